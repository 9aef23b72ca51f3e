package cli

import (
	"cmp"
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
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
	Problems rulebook.Problems `json:"problems"`
}

func checkCommand() command {
	return command{
		name:    "check",
		args:    "FILE...",
		least:   1,
		most:    1000,
		summary: "Check rulebooks and report every error",
		details: "FILE is YAML or JSON; - reads standard input. Each finding is one line:\nfile:line:column: " +
			"error or warning: what was found; expected …; did you mean …? [code]\nThe exit status is 1 if there " +
			"is an error; warnings alone leave it 0.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			current := fs.Bool("current", false, "compare with the service's version, as turnvex publish -try")
			keyFile := fs.String("key-file", "", "with -current: `file` with the operator's key")
			return func(ctx context.Context, t *Terminal, files []string) error {
				var svc client.Service
				if *current {
					var err error
					if svc, err = s.operator(ctx, *keyFile); err != nil {
						return err
					}
				}
				bad := false
				for _, file := range files {
					src, err := readFile(t, file)
					if err != nil {
						return err
					}
					book, problems := compileSource(file, src)
					bad = bad || book == nil
					if err := showCheck(t, file, book, problems, s.json); err != nil {
						return err
					}
					if *current {
						if file != "-" {
							src = library.Gather(file, src, false).Source
						}
						if _, err := s.meant(ctx, t, svc, file, src, true); err != nil {
							return err
						}
					}
				}
				if bad {
					return errQuiet
				}
				return nil
			}
		},
	}
}

// compileSource checks a rulebook, with its arenas and its game where files of these stand in
// the same folder, or a game.
func compileSource(file string, src []byte) (*rulebook.Book, rulebook.Problems) {
	if _, declares := rulebook.GameOf(src); declares {
		return rulebook.CompileGame(src)
	}
	if file == "-" {
		return rulebook.Compile(src)
	}
	all := library.Gather(file, src, true)
	book, problems := rulebook.Compile(all.Source)
	return book, all.Locate(problems)
}

// readFile reads a file, or standard input for "-", up to one byte more than a
// rulebook may have.
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
			r.Name, r.Version = book.Name, book.Version
		}
		if r.Problems == nil {
			r.Problems = rulebook.Problems{}
		}
		return writeJSON(t.Out, r)
	}
	for _, p := range problems {
		fmt.Fprintf(t.Out, "%s:%s\n", cmp.Or(p.File, file), p)
	}
	errors := len(problems.Errors())
	switch {
	case errors > 0:
		fmt.Fprintf(t.Out, "%s: %s, %s\n", file, count(errors, "error"), count(len(problems)-errors, "warning"))
	case len(problems) > 0:
		fmt.Fprintf(
			t.Out,
			"%s: %s %s can be played, with %s\n",
			file,
			book.Name,
			book.Version,
			count(len(problems), "warning"),
		)
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

func publishCommand() command {
	return command{
		name:    "publish",
		args:    "FILE...",
		least:   1,
		most:    1000,
		summary: "Publish rulebooks to a service, as an operator",
		details: "A published rulebook becomes the current version; open lobbies keep the version they were " +
			"opened\n" +
			"with. The operator's key comes from -key-file or the environment variable TURNVEX_OPERATOR_KEY.\n" +
			"If the declaration of the record has changed, it first reports what that means for saved\n" +
			"records.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			keyFile := fs.String("key-file", "", "`file` with the operator's key")
			try := fs.Bool("try", false, "report what it means for saved records, without publishing")
			accept := fs.Bool("accept", false, "publish even if record fields are removed or read differently")
			return func(ctx context.Context, t *Terminal, files []string) error {
				svc, err := s.operator(ctx, *keyFile)
				if err != nil {
					return err
				}
				for _, file := range files {
					src, err := readFile(t, file)
					if err != nil {
						return err
					}
					if file != "-" {
						src = library.Gather(file, src, false).Source
					}
					if ok, err := s.meant(ctx, t, svc, file, src, *try || *accept); err != nil || !ok {
						return cmp.Or(err, error(errQuiet))
					}
					if *try {
						continue
					}
					if err := loadFile(ctx, t, svc, file, src, s.json); err != nil {
						return err
					}
				}
				return nil
			}
		},
	}
}

// meant says what a rulebook means for the records that are kept, and tells whether it may
// be published: what reads otherwise afterwards must be accepted.
func (s *session) meant(
	ctx context.Context, t *Terminal, svc client.Service, file string, src []byte, accept bool,
) (bool, error) {
	var out struct {
		Records []struct {
			Field, What, Means string
			Concerned          int64
		}
	}
	if err := svc.Call(ctx, http.MethodPost, "/v1/rulebooks/check", src, &out); err != nil || len(out.Records) == 0 {
		return err == nil, err
	}
	var rows [][]string
	loses := false
	for _, d := range out.Records {
		rows = append(rows, []string{"  " + d.Field, d.What, fmt.Sprint(d.Concerned), d.Means})
		loses = loses || d.Concerned > 0 && d.What != "renamed" && d.What != "added"
	}
	if !s.json {
		fmt.Fprintf(t.Out, "%s: of the records that are kept\n", file)
		if err := table(t.Out, []string{"  FIELD", "CHANGE", "RECORDS", "WHAT HAPPENS"}, rows); err != nil {
			return false, err
		}
	}
	if loses && !accept {
		fmt.Fprintln(t.Err, "Nothing is published. To publish it so, say -accept.")
		return false, nil
	}
	return true, nil
}

func loadFile(ctx context.Context, t *Terminal, svc client.Service, file string, src []byte, asJSON bool) error {
	var out report
	err := svc.Call(ctx, http.MethodPost, "/v1/rulebooks", src, &out)
	if client.CodeOf(err) == "bad-rulebook" { // show the findings as check does
		book, problems := compileSource(file, src)
		if book == nil {
			showCheck(t, file, book, problems, asJSON)
			return errQuiet
		}
	}
	if err != nil {
		return err
	}
	if out.File = file; asJSON {
		return writeJSON(t.Out, out)
	}
	fmt.Fprintf(
		t.Out,
		"%s: %s %s is published. Open a lobby with: turnvex open %s\n",
		file,
		out.Name,
		out.Version,
		out.Name,
	)
	return nil
}

func schemaCommand() command {
	return command{name: "schema", summary: "Write the JSON Schema of rulebooks, for editors",
		setup: func(*flag.FlagSet) runner {
			return func(_ context.Context, t *Terminal, _ []string) error {
				_, err := t.Out.Write(rulebook.Schema())
				return err
			}
		}}
}
