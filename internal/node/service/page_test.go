package service_test

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"

	"turnvex.example/turnvex/client"
)

// blocks returns the code of a language on a page of the documentation.
func blocks(t *testing.T, page, language string) (out []string) {
	t.Helper()
	text, err := os.ReadFile(page)
	if err != nil {
		t.Fatal(err)
	}
	for i, part := range strings.Split(string(text), "\n```") {
		if code, ok := strings.CutPrefix(part, language+"\n"); ok && i%2 == 1 {
			out = append(out, code)
		}
	}
	if len(out) == 0 {
		t.Fatalf("%s has no %s", page, language)
	}
	return out
}

// goProgram runs a page's Go as the body of a function with ctx, address and
// deviceKey, and returns what it prints.
func goProgram(t *testing.T, body string) string {
	t.Helper()
	return goFile(t, `package main

import (
	"context"
	"fmt"
	"os"

	"turnvex.example/turnvex/client"
)

func run(ctx context.Context, address, deviceKey string) error {
`+body+`
	return nil
}

func main() {
	if err := run(context.Background(), os.Args[1], os.Args[2]); err != nil {
		fmt.Println("error:", err)
		os.Exit(1)
	}
}
`)
}

// goFile runs a Go program and returns what it prints.
func goFile(t *testing.T, src string) string {
	t.Helper()
	dir, err := os.MkdirTemp("../../../bin", "page") // inside the module, ignored by git
	if err == nil {
		t.Cleanup(func() { os.RemoveAll(dir) })
		err = os.WriteFile(filepath.Join(dir, "main.go"), []byte(src), 0o600)
	}
	if err != nil {
		t.Error(err)
		return ""
	}
	return program(t, "go", "run", "./"+dir, node.Address, "device-of-a-page-"+fresh()+strings.Repeat("x", 24))
}

// TestClientsPage: the page's examples run, and print what it says; those in TypeScript with the package as
// it is packed, in an empty folder.
func TestClientsPage(t *testing.T) {
	const page = "../../../docs/clients.md"
	out := goProgram(t, blocks(t, page, "go")[0])
	if want := strings.TrimSpace(blocks(t, page, "")[0]); strings.TrimSpace(out) != want {
		t.Errorf("the Go example prints\n%s\nnot\n%s", out, want)
	}
	in := player(t, "Mara")
	code := lobby(t, in, client.Opening{Rulebook: "clash"})
	project, clone := t.TempDir(), freshClient(t)
	for _, line := range strings.Split(strings.TrimSpace(blocks(t, page, "")[1]), "\n") { // as the page says
		args := strings.Fields(line)
		if args[1] == "pack" {
			args = append(args, "--pack-destination", project)
		} else {
			args = append(args, "--prefer-offline", "--no-audit", "--no-fund", "--prefix", project)
			args[2] = filepath.Join(project, args[2])
		}
		programIn(t, clone, args[0], args[1:]...)
	}
	for i, wants := range [][]string{
		{"state: open\n", "name: undefined -> Mara\n", "name: Mara -> Mara Tide\n", "renamed: Mara Tide\n", "refused: not-a-power\n",
			"state: ended\n"},
		{"drawn at 3 numbers; 0 times wrong\n"},
		{"clash has 8 seats\n", "no-such-lobby 404\n"},
	} {
		script := filepath.Join(project, "page.mjs")
		text := fmt.Sprintf("const [address, token, lobby] = process.argv.slice(2)\n%s", blocks(t, page, "ts")[i])
		if err := os.WriteFile(script, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		out = program(t, "node", "--experimental-websocket", "--no-warnings", script, node.Address, in.Token, code)
		for _, want := range wants {
			if !strings.Contains(out, want) {
				t.Errorf("%q is missing in what the TypeScript example prints:\n%s", want, out)
			}
		}
	}
}

// freshClient returns a folder with the TypeScript client as a fresh clone has it, but for what npm fetches.
func freshClient(t *testing.T) string {
	const client = "clients/typescript"
	clone := t.TempDir()
	to := filepath.Join(clone, client)
	from, err := filepath.Abs("../../../" + client)
	if err == nil {
		err = os.CopyFS(filepath.Join(to, "src"), os.DirFS(filepath.Join(from, "src")))
	}
	for _, name := range []string{"package.json", "package-lock.json", "tsconfig.json"} {
		data, e := os.ReadFile(filepath.Join(from, name))
		err = errors.Join(err, e, os.WriteFile(filepath.Join(to, name), data, 0o600))
	}
	err = errors.Join(err, os.Symlink(filepath.Join(from, "node_modules"), filepath.Join(to, "node_modules")))
	if err != nil {
		t.Fatal(err)
	}
	return clone
}

// TestReadme: the README's Go runs, and its commands are commands that there are.
func TestReadme(t *testing.T) {
	const page = "../../../README.md"
	book := firstBook(t)
	text := strings.NewReplacer("http://127.0.0.1:7420", node.Address, `"first"`, `"`+book+`"`).
		Replace(blocks(t, page, "go")[0])
	if out := goProgram(t, text); out != "Joss sees Mara's point\n" {
		t.Error(out)
	}
	known := commands(t)
	readme, _ := os.ReadFile(page)
	for _, line := range strings.Split(string(readme), "\n") {
		if _, rest, ok := strings.Cut(line, "bin/turnvex "); ok {
			if word := strings.FieldsFunc(rest, func(r rune) bool { return r == ' ' || r == '`' })[0]; !known[word] {
				t.Errorf("the README uses turnvex %s", word)
			}
		}
	}
}

// TestClientExample runs the client's example as its documentation says: twice, as two players.
func TestClientExample(t *testing.T) {
	src, err := os.ReadFile("../../../client/example_test.go")
	if err != nil {
		t.Fatal(err)
	}
	head, rest, _ := strings.Cut(string(src), "// The whole way")
	_, body, _ := strings.Cut(rest, "func Example() {")
	body, _, found := strings.Cut(body, "\n}\n")
	if !found {
		t.Fatal("there is no Example")
	}
	book := firstBook(t)
	var all sync.WaitGroup
	for _, name := range []string{"Mara", "Joss"} {
		text := strings.NewReplacer("package client_test", "package main", "http://127.0.0.1:7420", node.Address,
			`"Mara"`, `"`+name+`"`, `"first"`, `"`+book+`"`, "of-", "of-"+book).Replace(head + "func main() {" + body + "\n}\n")
		all.Go(func() {
			out := goFile(t, text)
			for _, want := range []string{"Mara has 1\n", "Joss has 1\n", "everybody has scored\n"} {
				if !strings.Contains(out, want) {
					t.Errorf("%s: %q is missing in %s", name, want, out)
				}
			}
		})
	}
	all.Wait()
}

// firstBook loads the rulebook that "turnvex new" writes under a name of its own.
func firstBook(t *testing.T) string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "first.yaml")
	if out, errs, status := turnvex(t, "", "new", file); status != 0 {
		t.Fatal(out, errs)
	}
	src, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	book := "book_" + fresh()
	src = []byte(strings.Replace(string(src), "name: first", "name: "+book, 1))
	if _, _, err := node.Library.Load(soon(t), src); err != nil {
		t.Fatal(err)
	}
	return book
}

// commands are those that the overview lists.
func commands(t *testing.T) map[string]bool {
	out, _, _ := turnvex(t, "", "-h")
	known := map[string]bool{}
	for _, line := range strings.Split(out, "\n") {
		if f := strings.Fields(line); strings.HasPrefix(line, "  ") && len(f) > 1 {
			known[f[0]] = true
		}
	}
	return known
}

// TestPagesNameWhatThereIs: commands and flags that the pages show are there.
func TestPagesNameWhatThereIs(t *testing.T) {
	known := commands(t)
	pages, _ := filepath.Glob("../../../docs/*.md")
	for _, page := range append(pages, "../../../README.md") {
		text, err := os.ReadFile(page)
		if err != nil {
			t.Fatal(err)
		}
		for _, line := range strings.Split(string(text), "\n") {
			for _, part := range strings.Split(line, "turnvex ")[1:] {
				words := strings.FieldsFunc(part, func(r rune) bool { return strings.ContainsRune(" `;,)\"", r) })
				if len(words) == 0 || !known[words[0]] {
					continue // turnvex as a word
				}
				help, _, _ := turnvex(t, "", words[0], "-h")
				for _, w := range words[1:] {
					if name, ok := strings.CutPrefix(w, "-"); ok && name != "h" && name != "" &&
						!strings.Contains(help, "\n  -"+name) {
						t.Errorf("%s: turnvex %s has no flag -%s: %s", filepath.Base(page), words[0], name, line)
					}
				}
			}
		}
	}
}

// TestSecurityPage: every test that docs/security.md names is there.
func TestSecurityPage(t *testing.T) {
	page, err := os.ReadFile("../../../docs/security.md")
	if err != nil {
		t.Fatal(err)
	}
	there := map[string]bool{}
	err = filepath.WalkDir("../../..", func(path string, d fs.DirEntry, err error) error {
		if err == nil && d.IsDir() && d.Name() == "node_modules" {
			return fs.SkipDir
		}
		if err == nil && strings.HasSuffix(path, "_test.go") {
			text, err := os.ReadFile(path)
			for _, m := range regexp.MustCompile(`(?m)^func ((?:Test|Fuzz)\w+)\(`).FindAllSubmatch(text, -1) {
				there[string(m[1])] = true
			}
			return err
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	named := regexp.MustCompile(`\b(?:Test|Fuzz)[A-Z]\w+`).FindAllString(string(page), -1)
	for _, name := range named {
		if !there[name] {
			t.Errorf("docs/security.md names %s, which there is not", name)
		}
	}
	if len(named) < 60 {
		t.Errorf("docs/security.md names %d tests", len(named))
	}
}
