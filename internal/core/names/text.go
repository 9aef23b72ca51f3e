package names

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Line checks a text of one line that people write, such as a title or a reason, and brings it into its normal form:
// Unicode NFC, trimmed, single spaces. Length is counted in characters after that; most is the greatest allowed.
func Line(raw string, most int) (string, error) {
	if len(raw) > 4*most+maxBytes {
		return "", fmt.Errorf("is too long: at most %d characters are allowed", most)
	}
	if !utf8.ValidString(raw) {
		return "", fmt.Errorf("is not valid text")
	}
	text, err := single(raw)
	if err != nil {
		return "", err
	}
	if n := utf8.RuneCountInString(text); n > most {
		return "", fmt.Errorf("has %d characters; at most %d are allowed", n, most)
	}
	return text, Shown(text)
}

// single makes text of one line with single spaces, or says which character breaks it; what stands around it is left
// out.
func single(raw string) (string, error) {
	text := strings.TrimSpace(norm.NFC.String(raw))
	if i := strings.IndexFunc(text, unicode.IsControl); i >= 0 {
		r, _ := utf8.DecodeRuneInString(text[i:])
		return "", fmt.Errorf("holds the character U+%04X, which steers what shows it", r)
	}
	return strings.Join(strings.Fields(text), " "), nil
}

// Shown tells whether every character of a text can be seen, and leaves the direction of writing as it is, or says
// which does not. Joiners stand where a script or an emoji needs them.
func Shown(text string) error {
	before := rune(' ')
	for i, r := range text {
		switch {
		case r == utf8.RuneError:
			return fmt.Errorf("is not valid text")
		case unicode.Is(unicode.Bidi_Control, r):
			return fmt.Errorf("holds the character U+%04X, which turns the direction of writing", r)
		case joiner(r):
			next, size := utf8.DecodeRuneInString(text[i+utf8.RuneLen(r):])
			if size == 0 || !joins(r, before, next) {
				return fmt.Errorf("holds the character U+%04X, which cannot be seen", r)
			}
			before = r
		case r != ' ' && !unicode.IsGraphic(r),
			unicode.Is(unicode.Cf, r),
			unicode.Is(unicode.Zs, r) && r != ' ',
			blank(r):
			return fmt.Errorf("holds the character U+%04X, which cannot be seen", r)
		case !unicode.Is(unicode.M, r) && !unicode.Is(unicode.Sk, r): // marks and skins belong to what stands before
			before = r
		}
	}
	return nil
}

// joiner tells whether a character only says how those beside it are drawn.
func joiner(r rune) bool { return r == '\u200c' || r == '\u200d' }

// joins tells whether a joiner changes how two characters are drawn: those of an emoji, or letters of a script that
// joins its letters.
func joins(j, before, next rune) bool {
	if unicode.Is(unicode.So, before) && unicode.Is(unicode.So, next) {
		return j == '\u200d'
	}
	script := func(r rune) bool {
		return unicode.In(r, unicode.L, unicode.M) && unicode.In(r, unicode.Arabic, unicode.Syriac, unicode.Mongolian,
			unicode.Devanagari, unicode.Bengali, unicode.Gurmukhi, unicode.Gujarati, unicode.Oriya, unicode.Tamil,
			unicode.Telugu, unicode.Kannada, unicode.Malayalam, unicode.Sinhala, unicode.Khmer, unicode.Myanmar)
	}
	return script(before) && script(next)
}
