package client_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// heavy are the imports that a game that uses the client must not be made to carry.
var heavy = []string{"cel.dev", "github.com/goccy/go-yaml", "gorm.io", "github.com/jackc", "jsonschema",
	"internal/core/expr", "internal/core/rulebook", "internal/core/match", "internal/core/lobby", "internal/node",
	"internal/tool"}

// maxProgram is how large a program with the client may be, in bytes.
const maxProgram = 12 << 20

// modules is how many modules the client brings along, as the README says.
const modules = 5

// TestLight: the client brings along nothing of what only a service needs.
func TestLight(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "turnvex.example/turnvex/client").Output()
	if err != nil {
		t.Fatal(err)
	}
	for _, dep := range strings.Fields(string(out)) {
		for _, h := range heavy {
			if strings.Contains(dep, h) {
				t.Errorf("the client imports %s", dep)
			}
		}
	}
	out, err = exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{.Path}}{{end}}",
		"turnvex.example/turnvex/client").Output()
	if err != nil {
		t.Fatal(err)
	}
	brought := map[string]bool{}
	for _, m := range strings.Fields(string(out)) {
		brought[m] = true
	}
	if delete(brought, "turnvex.example/turnvex"); len(brought) != modules {
		t.Errorf("the client brings %d modules, not %d: %v", len(brought), modules, brought)
	}
}

// TestFromOutside builds a program in an empty folder, as the README says how.
func TestFromOutside(t *testing.T) {
	root, err := filepath.Abs("..")
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	write := func(name, text string) {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write(
		"go.mod",
		"module game.example/game\n\ngo 1.26\n\nrequire turnvex.example/turnvex v0.0.0\n\nreplace "+
			"turnvex.example/turnvex => "+root+"\n",
	)
	write("main.go", `package main

import (
	"context"
	"fmt"
	"os"

	"turnvex.example/turnvex/client"
)

func main() {
	conn, err := client.Connect(context.Background(), client.Options{Address: "http://127.0.0.1:1", Lobby: "NOBODY"})
	if err != nil {
		fmt.Println(err)
		os.Exit(1)
	}
	conn.Close()
}
`)
	sums, err := os.ReadFile(filepath.Join(root, "go.sum"))
	if err != nil {
		t.Fatal(err)
	}
	write("go.sum", string(sums))
	build := exec.Command("go", "build", "-mod=mod", "-o", "game", ".")
	build.Dir = dir
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	info, err := os.Stat(filepath.Join(dir, "game"))
	if err != nil || info.Size() > maxProgram {
		t.Errorf("the program has %d bytes, %v", info.Size(), err)
	}
	out, err := exec.Command(filepath.Join(dir, "game")).CombinedOutput()
	if err == nil || !strings.Contains(string(out), "does not answer") {
		t.Errorf("it says %s, %v", out, err)
	}
}
