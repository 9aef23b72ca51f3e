package account

import (
	"math/rand/v2"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/node/fault"
)

// CleanName brings a display name into its normal form, or is fault code.BadName.
func CleanName(raw string) (string, error) {
	name, err := names.Clean(raw)
	if err != nil {
		return "", fault.New(code.BadName, "%s", err)
	}
	return name, nil
}

var (
	madeUpFirst = strings.Fields(
		"Brisk Calm Deft Eager Fair Gentle Hardy Keen Lively Merry Nimble Proud Quick Ready Silent Steady Tidy Warm " +
			"Witty Bold",
	)
	madeUpSecond = strings.Fields(
		"Otter Heron Plover Dipper Marten Petrel Kelp Anchor Rudder Beacon Pebble Cove Spruce Harbour Lantern " +
			"Compass Sloop Tern Wren Pike",
	)
)

// MakeUpName makes a name for a player who gave none.
func MakeUpName() string {
	return madeUpFirst[rand.IntN(len(madeUpFirst))] + " " + madeUpSecond[rand.IntN(len(madeUpSecond))]
}
