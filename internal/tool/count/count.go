// Package count prints lines of code and of tests per folder and their ratio.
// Data, generated files and documentation are not counted.
package count

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path"
	"regexp"
	"slices"
	"strings"
)

var (
	isCode = regexp.MustCompile(`(\.(go|ts|tsx|mjs|py|sh|css)|(^|/)(dev|run))$`)
	isTest = regexp.MustCompile(`(_test\.go|\.test\.tsx?|_test\.py)$|(^|/)tests?/`)
	isMade = regexp.MustCompile(`(?m)^// Code generated .* DO NOT EDIT\.$`)
	isData = regexp.MustCompile(`(^|/)(testdata|node_modules|dist)/`)
)

type lines struct{ code, tests int }

// Print writes the table for the checkout in the present folder.
func Print(w io.Writer) error {
	out, err := exec.Command("git", "ls-files", "-co", "--exclude-standard").Output()
	if err != nil {
		return fmt.Errorf("git ls-files: %w", err)
	}
	folders := map[string]*lines{}
	var all lines
	for _, file := range strings.Fields(string(out)) {
		if !isCode.MatchString(file) || isData.MatchString(file) {
			continue
		}
		data, err := os.ReadFile(file)
		if err != nil || isMade.Match(data) {
			continue
		}
		dir := path.Dir(file)
		if folders[dir] == nil {
			folders[dir] = &lines{}
		}
		n := bytes.Count(data, []byte("\n"))
		if isTest.MatchString(file) {
			folders[dir].tests += n
			all.tests += n
		} else {
			folders[dir].code += n
			all.code += n
		}
	}
	var names []string
	for n := range folders {
		names = append(names, n)
	}
	slices.Sort(names)
	fmt.Fprintf(w, "%-32s %7s %7s %6s\n", "folder", "code", "tests", "ratio")
	for _, n := range names {
		show(w, n, *folders[n])
	}
	show(w, "all", all)
	return nil
}

func show(w io.Writer, name string, l lines) {
	ratio := "-"
	if l.code > 0 {
		ratio = fmt.Sprintf("%.2f", float64(l.tests)/float64(l.code))
	}
	fmt.Fprintf(w, "%-32s %7d %7d %6s\n", name, l.code, l.tests, ratio)
}
