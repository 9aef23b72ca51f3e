package cli

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/client"
)

// fieldValues are values by field, from options such as coins=15.
type fieldValues map[string]any

func (v *fieldValues) String() string { return "" }

// Set is part of flag.Value.
func (v *fieldValues) Set(text string) error {
	field, value, ok := strings.Cut(text, "=")
	if !ok || field == "" {
		return errors.New("it is FIELD=NUMBER, such as coins=15")
	}
	if *v == nil {
		*v = fieldValues{}
	}
	(*v)[field] = plainValue(value)
	return nil
}

func recordCommand() command {
	return command{name: "record", args: "PLAYER RULEBOOK [CHANGE...]",
		summary: "Show a player's record and its history, or correct it",
		details: "PLAYER is a player's ID, as in results. A change is DOES:FIELD=VALUE, where DOES is add, set,\n" +
			"raise or lower, as in add:coins=5 or set:rank=mate. Changes need a key of the scope grants,\n" +
			"-history and -put-back an operator's. All changes happen, or none.",
		setup: func(fs *flag.FlagSet) runner {
			var s session
			s.flags(fs)
			keyFile := keyFlag(fs)
			history := fs.Bool("history", false, "show its history, newest first")
			most := fs.Int("most", 20, "with -history: how `many`, 1 to 100")
			why := fs.String("why", "", "with changes: the `reason`, for the history")
			var least fieldValues
			fs.Var(&least, "at-least", "with changes: `FIELD=NUMBER` that the record must have; may be repeated")
			revision := fs.Int64("revision", 0, "with changes: the `revision` that the record must be at")
			back := fs.String("put-back", "", "restore it to its state after this `save`, LOBBY/NUMBER in the history")
			return func(ctx context.Context, t *Terminal, args []string) error {
				changes, err := readChanges(args[2:])
				if err != nil {
					return err
				}
				p, err := s.load()
				if err != nil {
					return err
				}
				svc := client.Service{Address: p.Service, Token: p.Token}
				if *keyFile != "" || *history || *back != "" || len(changes) > 0 {
					if svc, err = s.operator(ctx, *keyFile); err != nil {
						return err
					}
				}
				if *history {
					return s.history(ctx, t, svc, args[0], args[1], *most)
				}
				var f map[string]any
				if *back != "" {
					lobby, number, _ := strings.Cut(*back, "/")
					n, e := strconv.ParseInt(number, 10, 64)
					if e != nil || len(changes) > 0 {
						return errUsage{"-put-back takes LOBBY/NUMBER, as -history shows it, and no changes beside"}
					}
					f, err = svc.PutBackRecord(ctx, args[0], args[1], lobby, n, *why)
				} else if len(changes) > 0 {
					f, err = svc.CorrectRecordIf(ctx, args[0], args[1], *why, "",
						client.Conditions{AtLeast: least, Revision: *revision}, changes...)
				} else {
					f, err = svc.Record(ctx, args[0], args[1])
				}
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, f)
				}
				return showFields(t, f)
			}
		},
	}
}

// readChanges reads changes such as add:coins=5.
func readChanges(args []string) (out []client.RecordChange, err error) {
	for _, a := range args {
		does, rest, one := strings.Cut(a, ":")
		field, value, two := strings.Cut(rest, "=")
		if !one || !two {
			return nil, errUsage{fmt.Sprintf("%q is not DOES:FIELD=VALUE, such as add:coins=5", a)}
		}
		out = append(out, client.RecordChange{Field: field, Does: does, Value: plainValue(value)})
	}
	return out, nil
}

func showFields(t *Terminal, f map[string]any) error {
	var rows [][]string
	for _, name := range slices.Sorted(maps.Keys(f)) {
		rows = append(rows, []string{name, fmt.Sprint(f[name])})
	}
	return table(t.Out, "FIELD|KEPT", rows)
}

func (s *session) history(ctx context.Context, t *Terminal, svc client.Service, player, book string, most int) error {
	list, _, err := svc.RecordHistory(ctx, player, book, most, "")
	if err != nil {
		return err
	}
	if s.json {
		return writeJSON(t.Out, list)
	}
	var rows [][]string
	for _, h := range list {
		by := fmt.Sprintf("match %d of %s", h.Match, h.Lobby[:8])
		if h.Match == 0 {
			by = "lobby " + h.Lobby[:8]
		}
		if h.Author != "" {
			by = h.Author + ": " + h.Why
		}
		for _, name := range slices.Sorted(maps.Keys(h.Became)) {
			was := "nothing"
			if v, kept := h.Was[name]; kept {
				was = fmt.Sprint(v)
			}
			became := "nothing"
			if v := h.Became[name]; v != nil {
				became = fmt.Sprint(v)
			}
			rows = append(rows, []string{h.At.Local().Format(time.DateTime), name, was, became, by,
				fmt.Sprint(h.Lobby, "/", h.Number)})
		}
	}
	return table(t.Out, "WHEN|FIELD|WAS|BECAME|BY|SAVE", rows)
}
