// Package size says what the bytes of a program are for: by module, and by what belongs to all of it.
package size

import (
	"cmp"
	"debug/buildinfo"
	"debug/elf"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"
)

// Print writes what a program's bytes are for, the most first: what is less than a hundredth stands in one line.
func Print(w io.Writer, program string) error {
	parts, err := Parts(program)
	if err != nil {
		return err
	}
	all := 0
	for _, n := range parts {
		all += n
	}
	names := slices.SortedFunc(maps.Keys(parts), func(a, b string) int { return cmp.Compare(parts[b], parts[a]) })
	rest := 0
	for _, name := range names {
		if parts[name] < all/100 {
			rest += parts[name]
			continue
		}
		fmt.Fprintf(w, "  %-52s %6.1f MB\n", name, float64(parts[name])/1e6)
	}
	fmt.Fprintf(w, "  %-52s %6.1f MB\n  %-52s %6.1f MB\n", "others", float64(rest)/1e6, "all", float64(all)/1e6)
	return nil
}

// Parts returns how many bytes of a program's file belong to what.
func Parts(program string) (map[string]int, error) {
	f, err := elf.Open(program)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := buildinfo.ReadFile(program)
	if err != nil {
		return nil, err
	}
	stat, err := os.Stat(program)
	if err != nil {
		return nil, err
	}
	modules := []string{info.Main.Path}
	for _, d := range info.Deps {
		modules = append(modules, d.Path)
	}
	parts, left := map[string]int{}, int(stat.Size())
	add := func(name string, n int) { parts[name] += n; left -= n }
	inFile := map[elf.SectionIndex]bool{}
	for i, s := range f.Sections {
		switch {
		case strings.HasPrefix(s.Name, ".debug"):
			add("debugging information", int(s.FileSize))
		case s.Name == ".gopclntab":
			add("where code stands in the source, for stack traces", int(s.FileSize))
		case s.Name == ".symtab" || s.Name == ".strtab":
			add("names of symbols", int(s.FileSize))
		case s.Type == elf.SHT_PROGBITS:
			inFile[elf.SectionIndex(i)] = true
		}
	}
	symbols, err := f.Symbols()
	if err != nil {
		return nil, err
	}
	for _, s := range symbols {
		if inFile[s.Section] && s.Size > 0 {
			add(moduleOf(s.Name, modules), int(s.Size))
		}
	}
	add("texts, types, and the files of the console", left)
	return parts, nil
}

// moduleOf is the module of a symbol: the longest of whose path its name begins with.
func moduleOf(symbol string, modules []string) string {
	best := ""
	for _, m := range modules {
		if strings.Contains(symbol, m) && len(m) > len(best) {
			best = m
		}
	}
	return cmp.Or(best, "Go: its runtime and standard library")
}
