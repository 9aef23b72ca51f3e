package cli

import "testing"

// TestSwitches: a switch from the environment is what it says, in whatever case, and what says neither is refused.
func TestSwitches(t *testing.T) {
	for value, want := range map[string]bool{"": false, "true": true, "TRUE": true, "1": true, "yes": true, "On": true,
		"false": false, "0": false, "no": false, "OFF": false} {
		t.Setenv("TURNVEX_PRACTICE", value)
		var s switches
		if on := s.on("TURNVEX_PRACTICE"); on != want || s.check() != nil {
			t.Errorf("%q is on: %v, %v", value, on, s.check())
		}
	}
	for _, value := range []string{"flase", "2", " true"} {
		t.Setenv("TURNVEX_PRACTICE", value)
		var s switches
		if s.on("TURNVEX_PRACTICE") || s.check() == nil {
			t.Errorf("%q is taken", value)
		}
	}
}
