package cli

import (
	"context"
	"flag"
	"fmt"
	"strings"

	"turnvex.example/turnvex/internal/tool/typenames"
)

func typesCommand() command {
	return command{name: "types", args: "FILE",
		summary: "Write a rulebook's names as declarations in a programming language",
		details: "Writes the names of fields, actions, notices, phases and so on to standard output, so that a\n" +
			"compiler finds names that are misspelt or gone.",
		setup: func(fs *flag.FlagSet) runner {
			language := fs.String("lang", "go", "`language`: "+strings.Join(typenames.Languages(), ", "))
			return func(_ context.Context, t *Terminal, args []string) error {
				src, err := readFile(t, args[0])
				if err != nil {
					return err
				}
				book, problems := compileSource(args[0], src)
				if book == nil {
					return fmt.Errorf("%s has errors; turnvex check shows them:\n%w", args[0], problems)
				}
				text, err := typenames.Write(book, *language)
				if err != nil {
					return errUsage{"-lang: " + err.Error()}
				}
				_, err = t.Out.Write([]byte(text))
				return err
			}
		},
	}
}
