package service_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestCapabilities: what the table of docs/clients.md says that a client has is there, by name.
func TestCapabilities(t *testing.T) {
	source := func(pattern string) string {
		var all strings.Builder
		files, _ := filepath.Glob(pattern)
		for _, file := range files {
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			all.Write(text)
		}
		return all.String()
	}
	golang, script := source("../../../client/*.go"), source("../../../clients/typescript/src/*.ts")
	page, _ := os.ReadFile("../../../docs/clients.md")
	_, table, _ := strings.Cut(string(page), "## What each client has")
	table, _, _ = strings.Cut(table, "\n## ")
	rows, name := 0, regexp.MustCompile("`([A-Za-z]+)(?:\\.([A-Za-z]+))?`")
	for _, line := range strings.Split(table, "\n") {
		cells := strings.Split(line, "|")
		if len(cells) != 5 || !strings.Contains(line, "`") {
			continue
		}
		rows++
		for i, text := range map[int]string{2: golang, 3: script} {
			for _, x := range name.FindAllStringSubmatch(cells[i], -1) {
				of, is := x[1], x[2]
				declared := `(?m)(^func |^type |^export (class|const|function|async function|interface|type) )` + of + `\b`
				if is != "" { // a method, a field, or a member of a class
					declared = `(?m)^func \([a-z]+ \*?` + of + `(\[T\])?\) ` + is + `\(|^\t` + is + ` |^  (get |async )?` + is + `[<(?:]`
				}
				if !regexp.MustCompile(declared).MatchString(text) {
					t.Errorf("%q: there is no %s", strings.TrimSpace(cells[1]), x[0])
				}
			}
		}
	}
	if rows < 20 {
		t.Errorf("the table has %d rows", rows)
	}
}
