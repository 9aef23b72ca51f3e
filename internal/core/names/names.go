// Package names says what a display name may be.
package names

import (
	"fmt"
	"unicode"
)

// The limits of a display name.
const (
	Max      = 24  // characters, after normalising
	maxBytes = 256 // before
	maxMarks = 2   // combining marks on one character
)

// Clean checks a display name and brings it into its normal form: Unicode NFC, trimmed, single spaces; what cannot be
// seen is refused, as in Shown.
func Clean(raw string) (string, error) {
	bad := func(why string) (string, error) {
		return "", fmt.Errorf("the name %s; a name has 1 to %d visible characters", why, Max)
	}
	if len(raw) > maxBytes {
		return bad("is too long")
	}
	name, err := single(raw)
	if err == nil {
		err = Shown(name)
	}
	if err != nil {
		return bad(err.Error())
	}
	n, marks := 0, 0
	for _, r := range name {
		if unicode.Is(unicode.M, r) {
			if marks++; marks > maxMarks {
				return bad(fmt.Sprintf("has more than %d marks on one character", maxMarks))
			}
			continue
		}
		marks = 0
		n++
	}
	switch {
	case n == 0:
		return bad("is empty")
	case n > Max:
		return bad(fmt.Sprintf("has %d characters", n))
	}
	return name, nil
}

// blank tells whether a letter is drawn as nothing.
func blank(r rune) bool {
	return r == '\u115f' || r == '\u1160' || r == '\u3164' || r == '\uffa0' || r == '\u2800'
}
