// Package plain keeps what people wrote from steering the terminal it is shown on: no control characters come through,
// and none that turn the direction of writing.
package plain

import (
	"io"
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Text is a text without them; ends of lines and tabs stay.
func Text(s string) string { return strings.Map(shown, s) }

func shown(r rune) rune {
	switch {
	case r == '\n' || r == '\t':
		return r
	case unicode.IsControl(r), unicode.Is(unicode.Bidi_Control, r):
		return -1
	}
	return r
}

// style is what a terminal is told of colours and weights; nothing else is said to it.
var style = regexp.MustCompile("\x1b\\[[0-9;:]*m")

// Styled is Text for a text with styles, which stay.
func Styled(s string) string {
	var b strings.Builder
	for {
		at := style.FindStringIndex(s)
		if at == nil {
			b.WriteString(Text(s))
			return b.String()
		}
		b.WriteString(Text(s[:at[0]]))
		b.WriteString(s[at[0]:at[1]])
		s = s[at[1]:]
	}
}

// Writer hands on what is written to it, as Text.
func Writer(w io.Writer) io.Writer { return &writer{w: w} }

type writer struct {
	w    io.Writer
	rest []byte // the beginning of a character
}

// Write hands on whole characters; the beginning of one waits for its end.
func (w *writer) Write(p []byte) (int, error) {
	all := append(w.rest, p...)
	end := len(all)
	for back := 1; back <= min(utf8.UTFMax-1, len(all)); back++ {
		if at := len(all) - back; utf8.RuneStart(all[at]) {
			if !utf8.FullRune(all[at:]) {
				end = at
			}
			break
		}
	}
	w.rest = append([]byte(nil), all[end:]...)
	if _, err := io.WriteString(w.w, Text(string(all[:end]))); err != nil {
		return 0, err
	}
	return len(p), nil
}
