package audit

import (
	"strings"
	"testing"
	"unicode/utf8"
)

// TestDetails: what was asked for is kept without what is secret, and not without end; what is no JSON object in UTF-8
// is not kept.
func TestDetails(t *testing.T) {
	long := strings.Repeat("é", maxDetails)
	for body, want := range map[string]string{
		`{"name":"quay","scopes":["read"],"why":"x"}`: `{"name":"quay","scopes":["read"]}`,
		`{"password":"secret","code":"c","n":1}`:      `{"code":"…","n":1,"password":"…"}`,
		`{"why":"only"}`:                              "",
		`["a"]`:                                       "",
		`{"a":`:                                       "",
		"{\"a\":\"\xff\"}":                            "",
		`{"a":"` + long + `"}`:                        (`{"a":"` + long)[:maxDetails+1] + "…",
	} {
		got := Details([]byte(body))
		if got != want && !(len(body) > maxDetails && len(got) <= maxDetails+5 && strings.HasSuffix(got,
			"…")) || !utf8.ValidString(got) {
			t.Errorf("%.60s: %.80q, wanted %.80q", body, got, want)
		}
	}
}
