package cli

import (
	"cmp"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/library"
)

// report is what check says of a file, as JSON.
type report struct {
	File     string            `json:"file"`
	OK       bool              `json:"ok"`
	Name     string            `json:"name,omitempty"`
	Version  string            `json:"version,omitempty"`
	Watching string            `json:"watching,omitempty"`
	Bytes    int64             `json:"bytes,omitempty"` // of the sheets of a full lobby, at most
	Problems rulebook.Problems `json:"problems"`
}

func checkCommand() command {
	return command{name: "check", args: "FILE...", summary: "Check rulebooks and report every error",
		details: "FILE is YAML or JSON; - reads standard input. Each finding is one line:\nfile:line:column: " +
			"error or warning: what was found; expected …; did you mean …? [code]\nThe exit status is 1 if there " +
			"is an error; warnings alone leave it 0.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			current := fs.Bool("current", false, "compare with the service's version, as turnvex publish -try")
			keyFile := fs.String("key-file", "", "with -current: `file` with the operator's key")
			rewrite := fs.Bool("rewrite", false, "first change what older versions wrote otherwise, in the files")
			return func(ctx context.Context, t *Terminal, names []string) error {
				var svc client.Service
				if *current {
					var err error
					if svc, err = s.operator(ctx, *keyFile); err != nil {
						return err
					}
				}
				files, err := readFiles(t, names)
				if err != nil {
					return err
				}
				bad := false
				for i := range files {
					if *rewrite {
						if err := rewriteFile(t, &files[i]); err != nil {
							return err
						}
					}
				}
				for _, f := range files {
					book, problems := compileSource(f.Path, f.Source, files...)
					bad = bad || book == nil
					if err := showCheck(t, f.Path, book, problems, s.json); err != nil {
						return err
					}
				}
				switch {
				case bad:
					return errQuiet
				case *current:
					for _, g := range groups(files) {
						if _, err := s.meant(ctx, t, svc, g, true); err != nil {
							return err
						}
					}
				}
				return nil
			}
		},
	}
}

// rewriteFile writes a rulebook anew with what stands now for older keys, and says what it changes.
func rewriteFile(t *Terminal, f *library.File) error {
	source, changes := rulebook.Rewrite(f.Source)
	if len(changes) == 0 {
		return nil
	}
	if f.Path == "-" {
		return errors.New("-rewrite changes files, not standard input: name the file")
	}
	if err := replaceFile(f.Path, source); err != nil {
		return err
	}
	f.Source = source
	for _, c := range changes {
		fmt.Fprintf(t.Out, "%s: %s\n", f.Path, c)
	}
	return nil
}

// replaceFile puts a text in the place of a file, whole or not at all.
func replaceFile(path string, text []byte) error {
	was, err := os.Stat(path)
	if err != nil {
		return err
	}
	to, err := os.CreateTemp(filepath.Dir(path), ".rewrite-*")
	if err != nil {
		return err
	}
	defer os.Remove(to.Name())
	_, err = to.Write(text)
	if err = errors.Join(err, to.Chmod(was.Mode()), to.Close()); err != nil {
		return err
	}
	return os.Rename(to.Name(), path)
}

// readFiles reads files of rulebooks, games and arenas.
func readFiles(t *Terminal, names []string) (files []library.File, err error) {
	for _, name := range names {
		src, err := readFile(t, name)
		if err != nil {
			return nil, err
		}
		files = append(files, library.FileOf(name, src))
	}
	return files, nil
}

// compileSource checks a rulebook, with its arenas and its game where these are among the given files or in the same
// folder, or a game.
func compileSource(file string, src []byte, given ...library.File) (*rulebook.Book, rulebook.Problems) {
	if _, declares := rulebook.GameOf(src); declares {
		return rulebook.CompileGame(src)
	}
	if file == "-" && len(given) < 2 {
		return rulebook.Compile(src)
	}
	all := library.Gather(file, src, true, given...)
	book, problems := rulebook.Compile(all.Source)
	return book, all.Locate(problems)
}

// readFile reads a file, or standard input for "-", up to one byte more than a rulebook may have.
func readFile(t *Terminal, file string) ([]byte, error) {
	in := t.In
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		in = f
	}
	return io.ReadAll(io.LimitReader(in, rulebook.MaxBytes+1))
}

func showCheck(t *Terminal, file string, book *rulebook.Book, problems rulebook.Problems, asJSON bool) error {
	if asJSON {
		r := report{File: file, OK: book != nil, Problems: problems}
		if book != nil {
			r.Name, r.Version, r.Watching, r.Bytes = book.Name, book.Version, book.Watching(), book.State
		}
		if r.Problems == nil {
			r.Problems = rulebook.Problems{}
		}
		return writeJSON(t.Out, r)
	}
	for _, p := range problems {
		fmt.Fprintf(t.Out, "%s:%s\n", cmp.Or(p.File, file), p)
	}
	if book != nil && !strings.HasPrefix(book.Name, rulebook.GamePrefix) {
		fmt.Fprintf(t.Out, "%s: %s\n%[1]s: %[3]s\n", file, book.Watching(), book.Weighing())
	}
	errors := len(problems.Errors())
	switch {
	case errors > 0:
		fmt.Fprintf(t.Out, "%s: %s, %s\n", file, count(errors, "error"), count(len(problems)-errors, "warning"))
	case len(problems) > 0:
		fmt.Fprintf(t.Out, "%s: %s %s can be played, with %s\n", file, book.Name, book.Version,
			count(len(problems), "warning"))
	default:
		fmt.Fprintf(t.Out, "%s: %s %s can be played\n", file, book.Name, book.Version)
	}
	return nil
}

func count(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	if stem, is := strings.CutSuffix(what, "y"); is {
		return fmt.Sprintf("%d %sies", n, stem)
	}
	return fmt.Sprintf("%d %ss", n, what)
}

func schemaCommand() command {
	return command{name: "schema", summary: "Write the JSON Schema of rulebooks, for editors",
		setup: func(*flag.FlagSet) runner {
			return func(_ context.Context, t *Terminal, _ []string) error {
				_, err := t.Out.Write(rulebook.Schema())
				return err
			}
		},
	}
}
