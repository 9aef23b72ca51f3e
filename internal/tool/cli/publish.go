package cli

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"net/http"
	"strings"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/library"
)

func publishCommand() command {
	return command{name: "publish", args: "FILE...", summary: "Publish rulebooks to a service, as an operator",
		details: "A published rulebook becomes the current version; open lobbies keep the version they were opened\n" +
			"with. The operator's key comes from -key-file or the environment variable TURNVEX_OPERATOR_KEY.\n" +
			"A game and those of its rulebooks that are given with it are published together, all or none.\n" +
			"If the declaration of the record has changed, it first reports what that means for saved\n" +
			"records, and likewise for what stands on leaderboards.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			try := fs.Bool("try", false, "report what it means for saved records, without publishing")
			accept := fs.Bool("accept", false, "publish even if saved records or leaderboards read differently then")
			return func(ctx context.Context, t *Terminal, svc client.Service, names []string) error {
				files, err := readFiles(t, names)
				if err != nil {
					return err
				}
				for _, g := range groups(files) {
					if ok, err := s.meant(ctx, t, svc, g, *try || *accept); err != nil {
						return err
					} else if !ok {
						return errQuiet
					}
					if *try {
						continue
					}
					if err := s.publish(ctx, t, svc, g, *accept); err != nil {
						return err
					}
				}
				return nil
			}
		}),
	}
}

// groups are what is published together: a game with the files of its rulebooks, and every other file by itself.
func groups(files []library.File) (all [][]library.File) {
	of := map[string]int{} // where a game's group stands
	for _, f := range files {
		if _, there := of[f.Game]; f.Declares && !there {
			of[f.Game] = len(all)
			all = append(all, nil)
		}
	}
	for _, f := range files {
		if n, with := of[f.Game]; with {
			all[n] = append(all[n], f)
		} else {
			all = append(all, []library.File{f})
		}
	}
	return all
}

// findings is what the service found of one rulebook or game.
type findings struct {
	Name, Version string
	Problems      rulebook.Problems
	Records       []keep.Difference
}

// together sends a group to the service: to be tried (try=yes), or published, perhaps with accept=yes. What has errors
// is shown as check does.
func (s *session) together(ctx context.Context, t *Terminal, svc client.Service, group []library.File,
	how string) ([]findings, error) {
	var all []byte
	for i, f := range group {
		src := f.Source
		if f.Path != "-" {
			src = library.Gather(f.Path, f.Source, false, group...).Source
		}
		if i > 0 {
			all = append(bytes.TrimSuffix(all, []byte("\n")), "\n---\n"...)
		}
		all = append(all, src...)
	}
	path := "/v1/rulebooks/together?" + how
	var out struct{ Rulebooks []findings }
	err := svc.Call(ctx, http.MethodPost, path, all, &out)
	if client.CodeOf(err) == "bad-rulebook" {
		for _, f := range group {
			if book, problems := compileSource(f.Path, f.Source, group...); book == nil {
				return nil, errors.Join(showCheck(t, f.Path, book, problems, s.json), errQuiet)
			}
		}
	}
	if err == nil && len(out.Rulebooks) < len(group) {
		err = fmt.Errorf("the service has answered for %d of %d files", len(out.Rulebooks), len(group))
	}
	return out.Rulebooks, err
}

// meant says what rulebooks mean for the records that are kept, and tells whether they may be published: what reads
// otherwise afterwards must be accepted.
func (s *session) meant(ctx context.Context, t *Terminal, svc client.Service, group []library.File,
	accept bool) (bool, error) {
	all, err := s.together(ctx, t, svc, group, "try=yes")
	if err != nil {
		return false, err
	}
	loses := false
	for i, found := range all {
		var rows [][]string
		for _, d := range found.Records {
			of, many := d.Field, "-"
			if d.Board != "" {
				of = "board " + d.Board
			}
			if d.Concerned != nil {
				many = fmt.Sprint(*d.Concerned)
			}
			rows = append(rows, []string{"  " + of, d.What, many, d.Means})
			loses = loses || d.Loses()
		}
		if s.json || len(rows) == 0 {
			continue
		}
		name := found.Name
		if i < len(group) {
			name = group[i].Path
		}
		fmt.Fprintf(t.Out, "%s: what it means for saved records and leaderboards\n", name)
		if err := table(t.Out, "  OF|CHANGE|HOW MANY|WHAT HAPPENS", rows); err != nil {
			return false, err
		}
	}
	if loses && !accept {
		fmt.Fprintln(t.Err, "Nothing is published. To publish it so, say -accept.")
		return false, nil
	}
	return true, nil
}

func (s *session) publish(ctx context.Context, t *Terminal, svc client.Service, group []library.File,
	accept bool) error {
	how := ""
	if accept {
		how = "accept=yes"
	}
	all, err := s.together(ctx, t, svc, group, how)
	if err != nil {
		return err
	}
	for i, x := range all {
		file, then := "", "Open a lobby with: turnvex open "+x.Name
		if i < len(group) {
			file = group[i].Path
		}
		if game, is := strings.CutPrefix(x.Name, rulebook.GamePrefix); is {
			then = "Its rulebooks say: game: " + game
		}
		switch {
		case s.json:
			err = writeJSON(t.Out, report{File: file, OK: true, Name: x.Name, Version: x.Version, Problems: x.Problems})
		case file == "":
			_, err = fmt.Fprintf(t.Out, "%s %s, which belongs to it, is published again\n", x.Name, x.Version)
		default:
			_, err = fmt.Fprintf(t.Out, "%s: %s %s is published. %s\n", file, x.Name, x.Version, then)
		}
		if err != nil {
			return err
		}
	}
	return nil
}
