package cli

import (
	"context"
	_ "embed"
	"flag"
	"fmt"
	"os"
	"regexp"
)

//go:embed first.yaml
var firstRulebook string

var rulebookName = regexp.MustCompile(`^[a-z][a-z0-9_]{0,31}$`)

func newCommand() command {
	return command{name: "new", args: "FILE", summary: "Write a small commented rulebook as a starting point",
		setup: func(fs *flag.FlagSet) runner {
			name := fs.String("name", "first", "the rulebook's `name`")
			return func(_ context.Context, t *Terminal, args []string) error {
				if !rulebookName.MatchString(*name) {
					return errUsage{
						fmt.Sprintf(
							"the name %q must be a lower-case letter, then letters, digits or _, at most 32 in all",
							*name),
					}
				}
				text := fmt.Sprintf(firstRulebook, *name)
				if args[0] == "-" {
					_, err := fmt.Fprint(t.Out, text)
					return err
				}
				f, err := os.OpenFile(args[0], os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o644)
				if err != nil {
					return fmt.Errorf("%w; a file that is there is not overwritten", err)
				}
				if _, err = f.WriteString(text); err == nil {
					err = f.Close()
				}
				if err == nil {
					fmt.Fprintf(t.Out, "%s is written. Check it with: turnvex check %s\n", args[0], args[0])
				}
				return err
			}
		},
	}
}
