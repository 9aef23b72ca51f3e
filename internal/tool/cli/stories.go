package cli

import (
	"bytes"
	"context"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/tool/story"
)

// storyKind is how the files of stories end.
const storyKind = ".story"

func storiesCommand() command {
	return command{name: "stories", args: "FILE|FOLDER...",
		summary: "Run the stories beside rulebooks and report those that fail",
		details: "A story is a script with the outcome of each step, in a file that ends in " + storyKind + ": see\n" +
			"docs/scripts.md#stories. The exit status is 1 if a story differs, breaks a promise of its rulebook or\n" +
			"cannot be played. Use -accept to update stories after an intended change.",
		setup: func(flags *flag.FlagSet) runner {
			accept := flags.Bool("accept", false, "update the files of the stories with the actual outcome")
			junit := flags.String("junit", "", "write a JUnit XML report to this `file`")
			asJSON := flags.Bool("json", false, "write JSON: one document")
			return func(_ context.Context, t *Terminal, args []string) error {
				files, err := storyFiles(args)
				if err != nil {
					return err
				}
				var list []story.Outcome
				for _, f := range files {
					list = append(list, playStory(f, *accept))
				}
				if *junit != "" {
					var b bytes.Buffer
					if err := story.JUnit(&b, list); err != nil {
						return err
					}
					if err := os.WriteFile(*junit, b.Bytes(), 0o644); err != nil {
						return err
					}
				}
				return showStories(t, list, *asJSON)
			}
		},
	}
}

// storyFiles finds the stories that are named, or are below the folders that are.
func storyFiles(args []string) (files []string, err error) {
	for _, arg := range args {
		info, err := os.Stat(arg)
		if err != nil {
			return nil, err
		}
		if !info.IsDir() {
			files = append(files, arg)
			continue
		}
		err = filepath.WalkDir(arg, func(path string, d fs.DirEntry, err error) error {
			if err == nil && !d.IsDir() && filepath.Ext(path) == storyKind {
				files = append(files, path)
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	slices.Sort(files)
	if files = slices.Compact(files); len(files) == 0 {
		return nil, fmt.Errorf("there is no story here; their files end in %s", storyKind)
	}
	return files, nil
}

func playStory(file string, accept bool) (o story.Outcome) {
	began := time.Now()
	o.File = file
	defer func() { o.Took = time.Since(began) }()
	fail := func(err error) story.Outcome {
		o.Error = err.Error()
		return o
	}
	src, err := os.ReadFile(file)
	if err != nil {
		return fail(err)
	}
	head, err := story.ReadHead(src)
	if err != nil {
		return fail(err)
	}
	path := filepath.Join(filepath.Dir(file), head.Rulebook)
	rules, err := os.ReadFile(path)
	if err != nil {
		return fail(err)
	}
	book, problems := compileSource(path, rules)
	if book == nil {
		return fail(fmt.Errorf("%s has errors; turnvex check shows them: %w", head.Rulebook, problems.Errors()[:1]))
	}
	now, broken, err := story.Play(book, head, src)
	if err != nil {
		return fail(err)
	}
	o.Broken = broken
	if o.Differs = story.Compare(src, now); o.Differs != nil && accept {
		if err := os.WriteFile(file, now, 0o644); err != nil {
			return fail(err)
		}
		o.Differs, o.Accepted = nil, true
	}
	o.OK = o.Differs == nil && len(o.Broken) == 0
	return o
}

func showStories(t *Terminal, list []story.Outcome, asJSON bool) error {
	wrong, accepted := 0, 0
	for i := range list {
		if !list[i].OK {
			wrong++
		}
		if list[i].Accepted {
			accepted++
		}
		if !asJSON {
			io.WriteString(t.Out, list[i].Text())
		}
	}
	if asJSON {
		if err := writeJSON(t.Out, list); err != nil {
			return err
		}
	} else {
		fmt.Fprintf(t.Out, "%d of %d go as they are written", len(list)-wrong, len(list))
		if accepted > 0 {
			fmt.Fprintf(t.Out, ", %d of them written anew", accepted)
		}
		fmt.Fprintln(t.Out, ".")
	}
	if wrong > 0 {
		return errQuiet
	}
	return nil
}

func cutCommand() command {
	return command{name: "cut", args: "CODE", summary: "Save the play in a practice lobby as a story",
		details: "The story is written to standard output: save it in a file that ends in " + storyKind + "\n" +
			"beside the rulebook, for turnvex stories. You need a seat in the lobby or a service key.",
		setup: func(flags *flag.FlagSet) runner {
			var s session
			s.flags(flags)
			keyFile := flags.String("key-file", "", "`file` with a service key")
			rules := flags.String(
				"rulebook",
				"",
				"the rulebook's `file`, as named in the story; default: its name and .yaml",
			)
			return func(ctx context.Context, t *Terminal, args []string) error {
				var svc client.Service
				var err error
				if *keyFile != "" {
					svc, err = s.operator(ctx, *keyFile)
				} else {
					_, svc, err = s.open(ctx, t)
				}
				if err != nil {
					return err
				}
				var data bytes.Buffer
				if err := svc.Read(ctx, "/v1/lobbies/"+codeOf(args[0])+"/journal", &data); err != nil {
					return err
				}
				book, setup, inputs, err := journal.Read(&data)
				if err != nil {
					return err
				}
				if *rules == "" {
					*rules = book.Name + ".yaml"
				}
				text, err := story.Write(book, *rules, setup, inputs)
				if err == nil {
					_, err = t.Out.Write(text)
				}
				return err
			}
		},
	}
}
