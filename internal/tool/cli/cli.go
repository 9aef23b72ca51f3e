// Package cli is the command line: one file a command.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io"
	"math"
	"net"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"

	"golang.org/x/term"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/tool/plain"
)

// Terminal is what a command reads from and writes to.
type Terminal struct {
	In  io.Reader
	Out io.Writer
	Err io.Writer

	raw *Terminal // what safely was called on
}

// safely returns a terminal that drops control characters, whoever wrote them. All commands get such a terminal; what
// draws asks it for its screen.
func (t *Terminal) safely() *Terminal {
	return &Terminal{In: t.In, Out: plain.Writer(t.Out), Err: plain.Writer(t.Err), raw: t}
}

// screen returns the files behind the terminal if a person sits at it, so that a command can draw there and read single
// keys. The command must then keep control characters out itself.
func (t *Terminal) screen() (in, out *os.File, ok bool) {
	if t.raw == nil {
		return nil, nil, false
	}
	in, okIn := t.raw.In.(*os.File)
	out, okOut := t.raw.Out.(*os.File)
	return in, out, okIn && okOut && term.IsTerminal(int(in.Fd())) && term.IsTerminal(int(out.Fd()))
}

// command is one subcommand.
type command struct {
	name    string
	args    string // what follows the flags
	summary string
	details string
	setup   func(*flag.FlagSet) runner
}

// runner does the work of a command, with what is left behind the flags.
type runner func(ctx context.Context, t *Terminal, args []string) error

func commands() []command {
	return []command{serveCommand(), checkCommand(), newCommand(), rehearseCommand(), replayCommand(), journalCommand(),
		publishCommand(), typesCommand(), schemaCommand(), signInCommand(), renameCommand(), rulebooksCommand(),
		lobbiesCommand(), openCommand(), quickCommand(), passCommand(),
		joinCommand(), watchCommand(), settingsCommand(), askCommand(),
		leaveCommand(), whereCommand(), accountCommand(), devicesCommand(), keysCommand(), auditCommand(),
		seriesCommand(), storiesCommand(), cutCommand(), resultsCommand(), recordCommand(), boardCommand(),
		seasonsCommand(), postCommand(), moderateCommand(), compareCommand(), playersCommand(), totalsCommand(),
		exportCommand(), eraseCommand(), banCommand(), recoverCommand(), copiesCommand(), endCommand(), closeCommand(),
		nodesCommand(), drainCommand(), moveCommand(), loadCommand()}
}

// errUsage is an error in how a command was called.
type errUsage struct{ text string }

func (e errUsage) Error() string { return e.text }

// errQuiet ends a command that has said everything already.
var errQuiet = errors.New("")

// Main runs the command line and returns the exit status: 0 when it worked, 1 when something was refused or failed, 2
// when it was called wrongly.
func Main(args []string, t *Terminal) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	return Run(ctx, args, t)
}

// Run is Main until a context ends.
func Run(ctx context.Context, args []string, t *Terminal) int {
	if len(args) == 0 || slices.Contains([]string{"-h", "-help", "--help", "help"}, args[0]) {
		overview(t.Out)
		return 0
	}
	for _, c := range commands() {
		if c.name == args[0] {
			return c.run(ctx, args[1:], t.safely())
		}
	}
	var names []string
	for _, c := range commands() {
		names = append(names, c.name)
	}
	fmt.Fprintf(t.Err, "turnvex: there is no command %q", args[0])
	if near := rulebook.Nearest(args[0], names); near != "" {
		fmt.Fprintf(t.Err, "; did you mean %q?", near)
	}
	fmt.Fprintln(t.Err, " Call turnvex -h for the list.")
	return 2
}

func overview(w io.Writer) {
	fmt.Fprint(w, "Turnvex runs matches from rulebooks and keeps every client's copy correct.\n\n"+
		"Usage: turnvex COMMAND [flags] [arguments]\n\n")
	for _, c := range commands() {
		fmt.Fprintf(w, "  %-10s %s\n", c.name, c.summary)
	}
	fmt.Fprint(w, "\nturnvex COMMAND -h explains a command and its flags.\n")
}

func (c command) run(ctx context.Context, args []string, t *Terminal) int {
	fs := flag.NewFlagSet(c.name, flag.ContinueOnError)
	fs.SetOutput(io.Discard)
	do := c.setup(fs)
	positional, err := parseMixed(fs, args)
	if errors.Is(err, flag.ErrHelp) {
		c.help(fs, t.Out)
		return 0
	}
	if least, most := c.arguments(); err == nil && (len(positional) < least || len(positional) > most) {
		err = fmt.Errorf("%s, where %q is expected", count(len(positional), "argument"), c.args)
		if c.args == "" {
			err = fmt.Errorf("%q is too much: no arguments are expected", strings.Join(positional, " "))
		}
	}
	if err != nil {
		fmt.Fprintf(t.Err, "turnvex %s: %v\nCall turnvex %s -h for its flags.\n", c.name, err, c.name)
		return 2
	}
	err = do(ctx, t, positional)
	var usage errUsage
	switch {
	case err == nil:
		return 0
	case errors.As(err, &usage):
		fmt.Fprintf(t.Err, "turnvex %s: %v\n", c.name, err)
		return 2
	case errors.Is(err, context.Canceled) && ctx.Err() != nil:
		return 130
	case !errors.Is(err, errQuiet):
		fmt.Fprintf(t.Err, "turnvex %s: %s\n", c.name, plain.Text(explain(err)))
		var dial *net.OpError
		if errors.As(err, &dial) && dial.Op == "dial" {
			fmt.Fprint(t.Err, remembered(fs))
		}
	}
	return 1
}

// arguments returns how many there may be, as args says: a word each, ways separated by " | ", what may be left out in
// [], and any number of what "..." stands behind.
func (c command) arguments() (least, most int) {
	span := func(ways string) (least, most int) {
		least = math.MaxInt
		for _, way := range strings.Split(ways, " | ") {
			n := len(strings.Fields(way))
			least, most = min(least, n), max(most, n)
		}
		if strings.Contains(ways, "...") {
			most = 1000
		}
		return least, most
	}
	needed, optional, _ := strings.Cut(c.args, "[")
	least, most = span(needed)
	_, more := span(strings.TrimSuffix(optional, "]"))
	return least, most + more
}

// parseMixed parses flags that may stand before, between and behind arguments.
func parseMixed(fs *flag.FlagSet, args []string) ([]string, error) {
	var positional []string
	for {
		if err := fs.Parse(args); err != nil {
			return nil, err
		}
		if args = fs.Args(); len(args) == 0 {
			return positional, nil
		}
		positional, args = append(positional, args[0]), args[1:]
	}
}

func (c command) help(fs *flag.FlagSet, w io.Writer) {
	fmt.Fprintf(w, "%s\n\nUsage: turnvex %s", c.summary, c.name)
	any := false
	fs.VisitAll(func(*flag.Flag) { any = true })
	if any {
		fmt.Fprint(w, " [flags]")
	}
	if c.args != "" {
		fmt.Fprint(w, " ", c.args)
	}
	fmt.Fprintln(w)
	if c.details != "" {
		fmt.Fprintf(w, "\n%s\n", c.details)
	}
	if any {
		fmt.Fprintln(w, "\nFlags:")
		fs.SetOutput(w)
		fs.PrintDefaults()
	}
}

// explain turns an error into a sentence for a person.
func explain(err error) string {
	var r *client.Refusal
	if errors.As(err, &r) {
		return fmt.Sprintf("%s [%s]", r.Reason, r.Code)
	}
	return err.Error()
}

// writeJSON writes one document.
func writeJSON(w io.Writer, v any) error {
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// switches are flags from environment variables that are on or off.
type switches struct{ bad []string }

// on tells whether a variable says that something is on. What says neither is refused by check.
func (s *switches) on(name string) bool {
	switch v := os.Getenv(name); strings.ToLower(v) {
	case "true", "1", "yes", "on":
		return true
	case "", "false", "0", "no", "off":
	default:
		s.bad = append(s.bad, fmt.Sprintf("%s is true or false, 1 or 0, yes or no, on or off, and not %.40q", name, v))
	}
	return false
}

func (s *switches) check() error {
	if len(s.bad) > 0 {
		return errUsage{strings.Join(s.bad, "; ")}
	}
	return nil
}

// env returns an environment variable, or otherwise.
func env(name, otherwise string) string {
	if v := os.Getenv(name); v != "" {
		return v
	}
	return otherwise
}
