package account

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// The limits of a display name.
const (
	MaxName      = 24  // characters, after normalising
	maxNameBytes = 256 // before
	maxMarks     = 2   // combining marks on one character
)

// CleanName checks a display name and brings it into its normal form: Unicode
// NFC, trimmed, single spaces. Control and invisible characters are refused.
func CleanName(raw string) (string, error) {
	bad := func(why string) (string, error) {
		return "", fault.New(code.BadName, "the name %s; a name has 1 to %d visible characters", why, MaxName)
	}
	if len(raw) > maxNameBytes {
		return bad("is too long")
	}
	name := strings.Join(strings.Fields(norm.NFC.String(raw)), " ")
	n, marks := 0, 0
	for _, r := range name {
		switch {
		case r == unicode.ReplacementChar:
			return bad("is not valid text")
		case unicode.Is(unicode.M, r):
			if marks++; marks > maxMarks {
				return bad(fmt.Sprintf("has more than %d marks on one character", maxMarks))
			}
			continue
		case r != ' ' && !unicode.IsGraphic(r), unicode.Is(unicode.Cf, r), unicode.Is(unicode.Zs, r) && r != ' ', blank(r):
			return bad(fmt.Sprintf("holds the character U+%04X, which cannot be seen", r))
		}
		marks = 0
		n++
	}
	switch {
	case n == 0:
		return bad("is empty")
	case n > MaxName:
		return bad(fmt.Sprintf("has %d characters", n))
	}
	return name, nil
}

// blank tells whether a letter is drawn as nothing.
func blank(r rune) bool {
	return r == '\u115f' || r == '\u1160' || r == '\u3164' || r == '\uffa0' || r == '\u2800'
}

var (
	madeUpFirst  = strings.Fields("Brisk Calm Deft Eager Fair Gentle Hardy Keen Lively Merry Nimble Proud Quick Ready Silent Steady Tidy Warm Witty Bold")
	madeUpSecond = strings.Fields("Otter Heron Plover Dipper Marten Petrel Kelp Anchor Rudder Beacon Pebble Cove Spruce Harbour Lantern Compass Sloop Tern Wren Pike")
)

// MakeUpName makes a name for a player who gave none.
func MakeUpName() string {
	return madeUpFirst[rand.IntN(len(madeUpFirst))] + " " + madeUpSecond[rand.IntN(len(madeUpSecond))]
}
