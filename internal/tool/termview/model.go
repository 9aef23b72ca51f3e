// Package termview draws a lobby and its match in a terminal, and turns keys into intents.
package termview

import (
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	tea "charm.land/bubbletea/v2"

	"turnvex.example/turnvex/client"
)

// Options say what to draw and where.
type Options struct {
	Conn    *client.Conn
	Play    bool // keys send intents
	In      io.Reader
	Out     io.Writer
	Events  <-chan client.Notice
	Changed <-chan struct{} // something changed since the last drawing
	Width   int             // of the terminal, where it cannot be asked; 0 asks it
	Height  int
}

// Run draws until the player quits, the connection ends or ctx does. It tells whether the player asked to leave.
func Run(ctx context.Context, o Options) (left bool, err error) {
	m := &model{o: o, width: 80, height: 24}
	opts := []tea.ProgramOption{tea.WithContext(ctx), tea.WithInput(o.In), tea.WithOutput(o.Out),
		tea.WithoutSignalHandler()}
	if o.Width > 0 {
		opts = append(opts, tea.WithWindowSize(o.Width, o.Height))
	}
	p := tea.NewProgram(m, opts...)
	stop := make(chan struct{})
	go m.feed(p, stop)
	_, err = p.Run()
	close(stop)
	if ctx.Err() != nil {
		return m.left, nil
	}
	return m.left, err
}

type (
	redraw  struct{}
	ended   struct{ err error }
	answer  struct{ text string }
	noticed struct{ n client.Notice }
)

// feed passes on what comes over the connection.
func (m *model) feed(p *tea.Program, stop chan struct{}) {
	clock := time.NewTicker(100 * time.Millisecond)
	defer clock.Stop()
	for {
		select {
		case <-m.o.Changed:
			p.Send(redraw{})
		case <-clock.C:
			p.Send(redraw{})
		case n := <-m.o.Events:
			p.Send(noticed{n})
		case <-m.o.Conn.Done():
			p.Send(ended{m.o.Conn.Err()})
			return
		case <-stop:
			return
		}
	}
}

// model is the state of the drawing beside the copy.
type model struct {
	o             Options
	width, height int
	target        uint32
	steer         [2]int64
	prompt        *prompt // nil while nothing is asked for
	log           []string
	left          bool
	err           error
}

func (m *model) Init() tea.Cmd { return nil }

func (m *model) Update(msg tea.Msg) (tea.Model, tea.Cmd) {
	switch msg := msg.(type) {
	case tea.WindowSizeMsg:
		m.width, m.height = msg.Width, msg.Height
	case answer:
		m.note(msg.text)
	case noticed:
		m.note(m.tell(msg.n))
	case ended:
		m.err = msg.err
		return m, tea.Quit
	case tea.KeyPressMsg:
		if m.prompt != nil {
			return m, m.typing(msg)
		}
		return m, m.key(msg.String())
	}
	return m, nil
}

// keptLines is how many events are kept for drawing.
const keptLines = 50

func (m *model) note(line string) {
	if line != "" {
		m.log = append(m.log, line)
		m.log = m.log[max(len(m.log)-keptLines, 0):]
	}
}

// tell puts a notice into words: its name, and who and what it speaks of.
func (m *model) tell(n client.Notice) string {
	if n.Name == "hint" {
		say, _ := n.With["say"].(string)
		return say
	}
	var b strings.Builder
	b.WriteString(strings.ReplaceAll(n.Name, "_", " "))
	m.o.Conn.Read(func(c *client.Copy) {
		for _, info := range c.Book.Notices {
			if info.Name != n.Name {
				continue
			}
			for _, f := range info.Fields {
				v := n.With[f.Name]
				text := fmt.Sprint(v)
				switch at, isPos := v.([]any); {
				case f.Type == client.TypeRef:
					text = nameOf(c, text)
				case isPos && (f.Type == client.TypePosition || f.Type == client.TypePosition3):
					parts := make([]string, len(at))
					for i := range at {
						parts[i] = metres(at[i])
					}
					text = strings.Join(parts, ", ") + " m"
				}
				fmt.Fprintf(&b, "  %s: %s", f.Name, text)
			}
		}
	})
	return b.String()
}

// metres writes a number of millimetres, as JSON gave it.
func metres(v any) string {
	mm, _ := strconv.ParseInt(fmt.Sprint(v), 10, 64)
	return client.FormatThousandths(mm)
}

func nameOf(c *client.Copy, id string) string {
	for _, p := range append(c.Players(), c.Teams()...) {
		if fmt.Sprint(p.ID) == id {
			return p.Text("name")
		}
	}
	return "nobody"
}
