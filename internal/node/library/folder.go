package library

import (
	"bytes"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// Gathered is a rulebook with what belongs to it and stands in files beside it.
type Gathered struct {
	Source []byte
	parts  []part
}

// part is a file of a gathered rulebook.
type part struct {
	file string
	line int // of the whole at which it begins, from 1
}

// Gather finds what belongs to a rulebook in the given files and those of its folder: its arenas, and if game is set
// its game. What is not there is left to the checker to report.
func Gather(file string, src []byte, game bool, given ...File) *Gathered {
	g := &Gathered{Source: src}
	arenas := rulebook.ArenasBeside(src)
	name, declares := rulebook.GameOf(src)
	if declares || len(arenas) == 0 && (name == "" || !game) {
		return g
	}
	g.Source = bytes.TrimRight(src, "\n")
	g.Source = append(g.Source[:len(g.Source):len(g.Source)], '\n')
	others, _ := Files(filepath.Dir(file)) // what cannot be read is missing, and the checker says so
	others = append(given[:len(given):len(given)], others...)
	for _, arena := range arenas {
		i := slices.IndexFunc(others, func(f File) bool { return f.Arena == arena })
		if i >= 0 {
			g.join(others[i], rulebook.Join)
		}
	}
	if i := slices.IndexFunc(others, func(f File) bool { return f.Game == name && f.Declares }); game && i >= 0 {
		g.join(others[i], rulebook.Bundle)
	}
	return g
}

func (g *Gathered) join(f File, how func(a, b []byte) []byte) {
	g.Source = how(g.Source, f.Source)
	all, own := bytes.Count(g.Source, []byte("\n")), bytes.Count(f.Source, []byte("\n"))
	g.parts = append(g.parts, part{f.Path, all - own + 1})
}

// Locate puts the file and the line in it into problems that do not stand in the rulebook's own file.
func (g *Gathered) Locate(problems rulebook.Problems) rulebook.Problems {
	for i := range problems {
		p := &problems[i]
		for _, part := range slices.Backward(g.parts) {
			if p.Line >= part.line {
				p.File, p.Line = part.file, p.Line-part.line+1
				break
			}
		}
	}
	return problems
}

// File is a file of a folder of rulebooks.
type File struct {
	Path     string
	Source   []byte
	Game     string // to which it belongs, or that it declares
	Declares bool
	Arena    string // that it holds; "" for none
}

// FileOf is a file with what it holds.
func FileOf(path string, src []byte) File {
	f := File{Path: path, Source: src, Arena: rulebook.ArenaOf(src)}
	f.Game, f.Declares = rulebook.GameOf(src)
	return f
}

// Files reads the rulebooks, games and arenas of a folder, in the order of their names.
func Files(folder string) (out []File, bad error) {
	for _, pattern := range []string{"*.yaml", "*.yml", "*.json"} {
		files, err := filepath.Glob(filepath.Join(folder, pattern))
		bad = errors.Join(bad, err)
		for _, path := range files {
			src, err := read(path)
			if err != nil {
				bad = errors.Join(bad, err)
				continue
			}
			out = append(out, FileOf(path, src))
		}
	}
	slices.SortStableFunc(out, func(a, b File) int { return strings.Compare(a.Path, b.Path) })
	return out, bad
}

// read reads a file, up to one byte more than a rulebook may have.
func read(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, rulebook.MaxBytes+1))
}
