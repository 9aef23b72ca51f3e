package plain

import (
	"strings"
	"testing"
)

// TestText: nothing of a text steers the terminal, however it is cut into writes; of a styled text the styles are left.
func TestText(t *testing.T) {
	for raw, want := range map[string]string{
		"a quay\tand\n日本 👩\u200d🚀 é":                "a quay\tand\n日本 👩\u200d🚀 é",
		"red \x1b[31mtitle\x1b]0;mine\x07 \u009b2J": "red [31mtitle]0;mine 2J",
		"left\u202eright\u2066 \r\x00\x7f":          "leftright ",
		"broken \xff\x9b":                           "broken \ufffd\ufffd",
	} {
		if got := Text(raw); got != want {
			t.Errorf("%q is %q, wanted %q", raw, got, want)
		}
		var out strings.Builder
		w := Writer(&out)
		for _, b := range []byte(raw) {
			if n, err := w.Write([]byte{b}); n != 1 || err != nil {
				t.Fatal(n, err)
			}
		}
		if out.String() != want {
			t.Errorf("%q byte by byte is %q, wanted %q", raw, out.String(), want)
		}
	}
	if got := Styled("\x1b[1;38;5;9mbold\x1b[0m \x1b[2Jgone\x1b[m"); got != "\x1b[1;38;5;9mbold\x1b[0m [2Jgone\x1b[m" {
		t.Errorf("%q", got)
	}
}
