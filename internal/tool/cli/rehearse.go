package cli

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"strconv"
	"time"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/tool/rehearse"
	"turnvex.example/turnvex/internal/tool/script"
)

func rehearseCommand() command {
	return command{name: "rehearse", args: "FILE",
		summary: "Run a rulebook's matches at full speed, with random or scripted players",
		details: "Without -script the players act at random. Three matches in a row are played in each lobby, and\n" +
			"between them some people leave and others come. The report shows how long matches last, how often\n" +
			"each side wins, and which phases and actions were never used. The same seed gives the same\n" +
			"report, byte for byte; the speed is written to standard error.\n" +
			"With -script FILE one match is played as written and printed line by line:\n" +
			"  at 0s   Mara enters amber\n" +
			"  at 1s   all ready\n" +
			"  at 7s   Mara ram Joss",
		setup: func(fs *flag.FlagSet) runner {
			var o rehearse.Options
			fs.IntVar(&o.Matches, "matches", 100, "how `many` matches")
			fs.IntVar(&o.Players, "players", 0, "how `many` players; 0 means as many as the rulebook seats, at most 8")
			fs.Uint64Var(&o.Seed, "seed", 1, "seed of all randomness")
			fs.DurationVar(&o.Limit, "limit", time.Hour, "play `time` after which a match counts as endless")
			fs.IntVar(&o.Workers, "workers", 0, "how `many` matches at once; 0 means one per core")
			weights := optionList{}
			fs.Var(
				weights,
				"weight",
				"`ACTION=N`: the weight of an action (default 1), or of steering with steer=N; may be repeated",
			)
			given := optionList{}
			fs.Var(given, "option", "`NAME=VALUE` of an option of the rulebook; may be repeated")
			scriptFile := fs.String("script", "", "script `file` of who does what at which time")
			chart := fs.String("chart", "", "draw a chart of lengths and wins into this `file`, as SVG")
			record := fs.String("journal", "", "write the journal of one match's lobby (or of the script) to this `file`")
			which := fs.Int("match", 1, "with -journal: up to which `number` of match")
			asJSON := fs.Bool("json", false, "write the report as one JSON document")
			return func(ctx context.Context, t *Terminal, args []string) error {
				book, err := compileFile(t, args[0])
				if err != nil {
					return err
				}
				if o.Options, err = readOptions(book, given); err != nil {
					return err
				}
				if o.Weights, err = readWeights(weights); err != nil {
					return err
				}
				o.Stop = ctx.Done()
				r, err := runRehearsal(t, book, o, *scriptFile, *record, *which, *asJSON)
				if err != nil {
					return err
				}
				if *chart != "" {
					data, err := r.Chart()
					if err == nil {
						err = os.WriteFile(*chart, data, 0o644)
					}
					if err != nil {
						return err
					}
				}
				if *asJSON {
					err = writeJSON(t.Out, r)
				} else {
					_, err = io.WriteString(t.Out, r.Text())
				}
				if err == nil && r.Wrong() {
					return errQuiet
				}
				return err
			}
		},
	}
}

// compileFile reads and compiles a rulebook, and shows its problems if it has errors.
func compileFile(t *Terminal, file string) (*rulebook.Book, error) {
	src, err := readFile(t, file)
	if err != nil {
		return nil, err
	}
	book, problems := compileSource(file, src)
	if book == nil {
		showCheck(&Terminal{Out: t.Err}, file, nil, problems, false)
		return nil, errQuiet
	}
	return book, nil
}

func readOptions(book *rulebook.Book, given optionList) ([]step.Named, error) {
	var out []step.Named
	for _, f := range book.Options {
		raw, ok := given[f.Name]
		if !ok {
			continue
		}
		delete(given, f.Name)
		v, err := sheet.Read(f, raw)
		if err == nil {
			err = f.Check(v)
		}
		if err != nil {
			return nil, errUsage{fmt.Sprintf("the option %s: %s", f.Name, err)}
		}
		out = append(out, step.Named{Name: f.Name, Value: v})
	}
	for name := range given {
		return nil, errUsage{fmt.Sprintf("%s has no option %q", book.Name, name)}
	}
	return out, nil
}

func readWeights(given optionList) (map[string]int, error) {
	out := map[string]int{}
	for name, raw := range given {
		n, err := strconv.Atoi(fmt.Sprint(raw))
		if err != nil {
			return nil, errUsage{fmt.Sprintf("the weight of %s is %v; it is an integer", name, raw)}
		}
		out[name] = n
	}
	return out, nil
}

// untilStopped plays the matches. Once it is to stop no more of them begin, and those that are under way have a second.
func untilStopped(book *rulebook.Book, o rehearse.Options) (*rehearse.Report, error) {
	var r *rehearse.Report
	var err error
	done := make(chan struct{})
	safe.Go("rehearse", func() {
		defer close(done)
		if r, err = rehearse.Run(book, o); err != nil {
			err = errUsage{err.Error()}
		}
	})
	select {
	case <-done:
		return r, err
	case <-o.Stop:
	}
	select {
	case <-done:
		return r, err
	case <-time.After(time.Second):
		return nil, errors.New("stopped in the midst of matches; there is no report")
	}
}

func runRehearsal(t *Terminal, book *rulebook.Book, o rehearse.Options, scriptFile, record string, which int,
	asJSON bool) (*rehearse.Report, error) {
	var journalFile *os.File
	if record != "" {
		var err error
		if journalFile, err = os.Create(record); err != nil {
			return nil, err
		}
		defer journalFile.Close()
	}
	if scriptFile != "" {
		return runScript(t, book, o, scriptFile, journalFile, asJSON)
	}
	began := time.Now()
	r, err := untilStopped(book, o)
	if err != nil {
		return nil, err
	}
	took := time.Since(began)
	play := time.Duration(r.PlayTicks) * time.Second / time.Duration(r.Rate)
	fmt.Fprintf(t.Err, "%d matches, %s of play, in %.2f s: %.0f times real time\n", r.Matches, play.Round(time.Second),
		took.Seconds(), play.Seconds()/took.Seconds())
	if journalFile != nil {
		if err := rehearse.Record(book, o, which, journalFile); err != nil {
			return nil, err
		}
		return r, journalFile.Close()
	}
	return r, nil
}

func runScript(t *Terminal, book *rulebook.Book, o rehearse.Options, file string, record *os.File,
	asJSON bool) (*rehearse.Report, error) {
	src, err := readFile(t, file)
	if err != nil {
		return nil, err
	}
	steps, err := script.Parse(src)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	tell := func(at time.Duration, line string) {
		if !asJSON {
			fmt.Fprintf(t.Out, "%s  %s\n", sheet.FormatClock(at.Milliseconds()), line)
		}
	}
	var w io.Writer
	if record != nil {
		w = record
	}
	r, err := rehearse.Script(book, steps, o, tell, w)
	var wrong *script.Error
	if errors.As(err, &wrong) {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	if !asJSON && err == nil {
		fmt.Fprintln(t.Out)
	}
	return r, err
}

func replayCommand() command {
	return command{name: "replay", args: "FILE", summary: "Play a journal back, verify its hashes and show the state",
		details: "A journal comes from turnvex rehearse -journal FILE or from turnvex serve -journals FOLDER.\n" +
			"The exit status is 1 if the state differs from the recorded one; the message says at which tick.",
		setup: func(fs *flag.FlagSet) runner {
			to := fs.Int64("to", -1, "stop at this wall `tick` and show the state there; negative means the end")
			hidden := fs.Bool("hidden", false, "show hidden fields too")
			asJSON := fs.Bool("json", false, "write the state as one JSON document")
			return func(_ context.Context, t *Terminal, args []string) error {
				f, err := os.Open(args[0])
				if err != nil {
					return err
				}
				defer f.Close()
				rp, err := journal.Open(f)
				if err != nil {
					return fmt.Errorf("%s: %w", args[0], err)
				}
				err = rp.RunTo(sheet.Tick(*to))
				var diff *journal.Difference
				if err != nil && !errors.Is(err, io.EOF) && !errors.As(err, &diff) {
					return fmt.Errorf("%s: %w", args[0], err)
				}
				if e := showReplay(t, rp, *hidden, *asJSON, diff); e != nil {
					return e
				}
				if diff != nil {
					return fmt.Errorf("%s: %w", args[0], diff)
				}
				return nil
			}
		},
	}
}

// replayed is the state of a replay, as JSON.
type replayed struct {
	Rulebook string           `json:"rulebook"`
	Version  string           `json:"version"`
	Tick     sheet.Tick       `json:"tick"`
	Play     sheet.Tick       `json:"play_tick"`
	Hash     string           `json:"hash"`
	Inputs   int              `json:"inputs"`
	Hashes   int              `json:"hashes"`
	Same     bool             `json:"same"`
	Sheets   []map[string]any `json:"sheets"`
}

func showReplay(t *Terminal, rp *journal.Replay, hidden, asJSON bool, diff *journal.Difference) error {
	m := rp.M
	out := replayed{Rulebook: rp.Book.Name, Version: rp.Book.Version, Tick: m.Tick(), Play: m.PlayTick(),
		Hash: fmt.Sprintf("%016x", m.Hash()), Inputs: rp.Inputs, Hashes: rp.Hashes, Same: diff == nil,
		Sheets: []map[string]any{}}
	if !asJSON {
		verified := fmt.Sprintf("%d hashes are the same", rp.Hashes)
		if diff != nil {
			verified = "the hashes differ"
		}
		fmt.Fprintf(t.Out, "%s %s: tick %d (play tick %d), %d inputs, %s, state %s\n", out.Rulebook, out.Version,
			out.Tick, out.Play, out.Inputs, verified, out.Hash)
	}
	var rows [][]string
	for k := 0; k < sheet.Kinds; k++ {
		for _, r := range m.Store().Of(sheet.Kind(k)) {
			one := map[string]any{"sheet": r.ID, "kind": r.Kind.String()}
			for _, f := range rp.Book.Schema.Fields(r.Kind) {
				if f.See == sheet.Hidden && !hidden {
					continue
				}
				now := m.PlayTick()
				if f.Wall {
					now = m.Tick()
				}
				text := r.Get(f).Show(f, rp.Book.Rate, now)
				one[f.Name] = text
				rows = append(rows, []string{fmt.Sprintf("%s %d", r.Kind, r.ID), f.Name, text})
			}
			out.Sheets = append(out.Sheets, one)
		}
	}
	if asJSON {
		return writeJSON(t.Out, out)
	}
	return table(t.Out, "SHEET|FIELD|VALUE", rows)
}
