package names_test

import (
	"strings"
	"testing"
	"unicode/utf8"

	"turnvex.example/turnvex/internal/core/names"
)

// TestClean: what a name may be, what becomes of it, and why one is refused.
func TestClean(t *testing.T) {
	for raw, want := range map[string]string{
		"Mara":                       "Mara",
		"\t Mara   Tide\n":           "Mara Tide",
		"Mara\tTide":                 "! U+0009",
		"Mara\r\nTide":               "! U+000D",
		"e\u0301":                    "é", // NFC
		"نور":                        "نور",
		"שלום עולם":                  "שלום עולם",
		"日本語":                        "日本語",
		strings.Repeat("x", 24):      strings.Repeat("x", 24),
		strings.Repeat("é", 24):      strings.Repeat("é", 24),
		"q\u0307\u0323":              "q\u0323\u0307", // two marks
		"a\u0316\u0317b\u0316\u0317": "a\u0316\u0317b\u0316\u0317",
		"":                           "! is empty",
		" \u00a0 ":                   "! is empty",
		"\u0301":                     "! is empty", // a mark on nothing
		strings.Repeat("x", 25):      "! has 25 characters",
		strings.Repeat("é", 25):      "! has 25 characters",
		strings.Repeat("x ", 13):     "! has 25 characters",
		strings.Repeat("x", 257):     "! is too long",
		strings.Repeat("x", 256):     "! has 256 characters",
		"a\u0316\u0317\u0318":        "! has more than 2 marks",
		"a\xff":                      "! is not valid text",
		"a\u200bb":                   "! U+200B",
		"a\u202eb":                   "! U+202E, which turns the direction of writing",
		"a\u2066b":                   "! U+2066, which turns the direction of writing",
		"a\u0007b":                   "! U+0007",
		"a\u3164b":                   "! U+3164",
		"\u115f":                     "! U+115F",
		"\u1160":                     "! U+1160",
		"\uffa0":                     "! U+FFA0",
		"\u2800":                     "! U+2800",
		"a\u2003b":                   "a b", // a wide blank is a blank
		"\U000e0041":                 "! U+E0041",
		"👩\u200d🚀":                   "👩\u200d🚀", // one emoji of two
		"👍🏽\u200d":                   "! U+200D",
		"👩🏽\u200d🚀":                  "👩🏽\u200d🚀",
		"می\u200cخواهم":              "می\u200cخواهم",
		"a\u200db":                   "! U+200D",
		"ab\u200c":                   "! U+200C",
		"می\u200c\u200cخواهم":        "! U+200C",
	} {
		got, err := names.Clean(raw)
		if err != nil {
			got = "! " + err.Error()
		}
		if part, refused := strings.CutPrefix(want, "! "); refused != (err != nil) || refused && !strings.Contains(got,
			part) || !refused && got != want {
			t.Errorf("%q is %q, wanted %q", raw, got, want)
		}
	}
}

// TestLine: titles and reasons are cleaned as names are, and are counted in characters.
func TestLine(t *testing.T) {
	for raw, want := range map[string]string{
		"\n  The  long quay ":     "The long quay",
		"":                        "",
		strings.Repeat("日", 40):   strings.Repeat("日", 40),
		strings.Repeat("日", 41):   "! has 41 characters; at most 40 are allowed",
		strings.Repeat("x", 9000): "! is too long",
		"red \x1b[31m":            "! U+001B",
		"left\u202eright":         "! turns the direction",
		"a\xff":                   "! is not valid text",
		"two\nlines":              "! U+000A",
		"nul \x00":                "! U+0000",
		"\u061cx":                 "! U+061C, which turns",
	} {
		got, err := names.Line(raw, 40)
		if err != nil {
			got = "! " + err.Error()
		}
		if part, refused := strings.CutPrefix(want, "! "); refused != (err != nil) || !strings.Contains(got, part) {
			t.Errorf("%q is %q, wanted %q", raw, got, want)
		}
	}
}

// FuzzTexts: what a text is cleaned to is cleaned already, holds nothing that steers or hides, and is as long as is
// allowed.
func FuzzTexts(f *testing.F) {
	for _, seed := range []string{"Mara", "  a  b ", "\u202e", "\u05d0\u05d1", "\U0001f468\u200d\U0001f680", "e\u0301",
		"\x1b[2J", "\xff", "a\u200bb", "\u0915\u094d\u200d\u0937"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, raw string) {
		line := func(s string) (string, error) { return names.Line(s, 50) }
		for _, clean := range []func(string) (string, error){names.Clean, line} {
			text, err := clean(raw)
			if err != nil {
				continue
			}
			again, err := clean(text)
			if err != nil || again != text {
				t.Errorf("%q becomes %q and then %q, %v", raw, text, again, err)
			}
			if n := utf8.RuneCountInString(text); n > 50 || !utf8.ValidString(text) || names.Shown(text) != nil {
				t.Errorf("%q becomes %q", raw, text)
			}
		}
	})
}
