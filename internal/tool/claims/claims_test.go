package claims

import (
	"os"
	"testing"
)

// TestClaims: each key and each built-in field does something in a play, and docs/keys.md shows what.
func TestClaims(t *testing.T) {
	page, missing, err := Page("../../core/lobby/testdata")
	if err != nil {
		t.Fatal(err)
	}
	for _, m := range missing {
		t.Errorf("no play shows what %s does", m)
	}
	if old, err := os.ReadFile("../../../docs/keys.md"); err != nil || string(old) != page {
		t.Errorf("docs/keys.md is not the present one; ./dev docs writes it (%v)", err)
	}
}
