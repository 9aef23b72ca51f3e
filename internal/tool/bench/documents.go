package bench

import (
	"fmt"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// documents are kinds of rulebooks that take the longest to be checked, each as long as it is told to be: none breaks a
// limit of the text as a whole, and the first three none at all.
var documents = []struct {
	name  string
	write func(b *strings.Builder, size int)
}{
	{"many effects", func(b *strings.Builder, size int) {
		lists(b, size, func(i, k int) string { return "me.n * 7 + 1" })
	}},
	{"distinct expressions", func(b *strings.Builder, size int) {
		lists(b, size, func(i, k int) string { return fmt.Sprintf("(me.n * %d + %d) %% 7 > 3 ? 1 : 2", i, k) })
	}},
	{"a mistake in each expression", func(b *strings.Builder, size int) {
		lists(b, size, func(i, k int) string { return fmt.Sprintf("me.wrong%d * %d", k, i) })
	}},
	{"unknown keys in many maps", func(b *strings.Builder, size int) {
		for i := 0; b.Len() < size; i++ {
			fmt.Fprintf(b, "m%d:\n", i)
			for k := 0; k < 500 && b.Len() < size; k++ {
				fmt.Fprintf(b, "  key%d: some words that fill the line\n", k)
			}
		}
	}},
	{"unknown keys in one map", func(b *strings.Builder, size int) {
		for i := 0; b.Len() < size; i++ {
			fmt.Fprintf(b, "k%d: 1\n", i)
		}
	}},
	{"a long list", func(b *strings.Builder, size int) {
		b.WriteString("regions: [")
		for i := 0; b.Len() < size; i++ {
			fmt.Fprintf(b, "c%d, ", i)
		}
		b.WriteString("x]\n")
	}},
	{"a long list in lines", func(b *strings.Builder, size int) {
		b.WriteString("regions:\n")
		for i := 0; b.Len() < size; i++ {
			fmt.Fprintf(b, "  - somewhere%d\n", i)
		}
	}},
	{"aliases", func(b *strings.Builder, size int) {
		b.WriteString("x: &a [1, 2]\ny: [")
		for b.Len() < size {
			b.WriteString("*a, ")
		}
		b.WriteString("1]\n")
	}},
	{"comments", func(b *strings.Builder, size int) {
		for b.Len() < size {
			b.WriteString("# nothing\n")
		}
	}},
	{"a long text", func(b *strings.Builder, size int) {
		b.WriteString("description: >\n")
		for b.Len() < size {
			b.WriteString("  some words that fill the line\n")
		}
	}},
}

// lists writes actions with as many effects as fit.
func lists(b *strings.Builder, size int, text func(i, k int) string) {
	b.WriteString("actions:\n")
	for i := 0; i < 64 && b.Len() < size; i++ {
		fmt.Fprintf(b, "  a%d:\n    do:\n", i)
		for k := 0; k < 64 && b.Len() < size; k++ {
			fmt.Fprintf(b, "      - {set: me.n, to: \"%s\"}\n", text(i, k))
		}
	}
}

// checkDocuments measures how the time that checking takes grows with the document.
func checkDocuments(t *Table) error {
	for _, d := range documents[:t.Size(len(documents), 2)] {
		var took [2]time.Duration
		for i, size := range []int{256 << 10, t.Size(1020<<10, 257<<10)} {
			var b strings.Builder
			b.WriteString("turnvex: 1\nname: long\nphases: {play: {}}\nsheets: {player: {n: {type: integer}}}\n")
			d.write(&b, size)
			src := []byte(b.String())
			took[i] = 1 << 62
			for range t.Size(3, 1) {
				began := time.Now()
				rulebook.Compile(src)
				took[i] = min(took[i], time.Since(began))
			}
		}
		t.Row(d.name+", 256 KiB", took[0].Round(time.Millisecond).String(), "")
		t.Row(d.name+", 1020 KiB", took[1].Round(time.Millisecond).String(), "at most 500ms")
		if d.name == "aliases" { // which are refused
			continue
		}
		t.Row("  times", fmt.Sprintf("%.1f", float64(took[1])/float64(max(took[0], time.Millisecond))), "at most 5")
	}
	return nil
}
