package rulebook

import (
	"fmt"
	"strings"
	"testing"
)

// TestCrowded: a map with too many keys, a document with too many values and too much of expressions are refused, each
// with one finding; maps beside each other are not added up.
func TestCrowded(t *testing.T) {
	const head = "turnvex: 1\nname: long\nphases: {play: {}}\nsheets: {player: {n: {type: integer}}}\n"
	many := func(format string, n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, format, i)
		}
		return b.String()
	}
	effects := func(actions int, format string) string {
		var b strings.Builder
		for a := range actions {
			fmt.Fprintf(&b, "\n  a%d:\n    do:\n", a)
			for i := range 60 {
				fmt.Fprintf(&b, "      - {set: me.n, to: \""+format+"\"}\n", a*60+i, 7)
			}
		}
		return "actions:" + b.String()
	}
	for name, c := range map[string]struct {
		text string
		code string // of the finding beyond those of unknown keys
		line int
	}{
		"keys of a map in lines":    {many("k%d: 1\n", 1001), "too-many", 4 + 997},
		"keys of a map in brackets": {"x: {" + many("k%d: 1, ", 1001) + "}", "too-many", 5},
		"keys of a map further in":  {"x:\n  - y:\n" + many("      k%d: 1\n", 1001), "too-many", 6 + 1001},
		"two maps of half as many":  {"x:\n" + many("  k%d: 1\n", 600) + "y:\n" + many("  k%d: 1\n", 600), "", 0},
		"two lists of maps":         {"x:\n" + many("  - k: %d\n", 1100), "", 0},
		"maps in brackets in a map": {"x: {" + many("k%d: {a: 1, b: 2, c: [1, 2]}, ", 900) + "}", "", 0},
		"values of lists":           {"x: [" + many("%d, ", 20_100) + "]", "too-many", 5},
		"expressions":               {effects(40, "me.n * 2 + me.n * %[1]d + 12345"), "too-many", 0},
		"calls of what calls others": {"define:\n  d0: {takes: {k: integer}, is: arg.k + 1}\n" +
			many("  d1%[1]d: {takes: {k: integer}, is: \"d0(arg.k) + d0(%[1]d) + d0(2) + d0(3)\"}\n", 9) +
			effects(20, "d1%[2]d(%[1]d)"), "too-many", 0},
		"the same expression each time": {effects(40, "me.n * 2 + me.n * %[2]d + 12345"), "", 0},
	} {
		_, problems := Compile([]byte(head + c.text))
		got := 0
		for _, p := range problems {
			if p.Code == "too-many" && !strings.HasPrefix(p.Message, "more than 500 problems") {
				got++
				if c.line != 0 && p.Line != c.line {
					t.Errorf("%s: %s", name, p)
				}
			}
		}
		if want := len(c.code) / len("too-many"); got != want {
			t.Errorf("%s: %d findings of too many, %d wanted: %.200s", name, got, want, problems.Error())
		}
	}
}
