package hall

import (
	"bytes"
	"context"
	"slices"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/journal"
)

// maxTape is the most bytes of what is remembered of a practice lobby; beyond that it is
// forgotten.
const maxTape = 8 << 20

// tape is the journal of a practice lobby, in memory. A nil one remembers nothing.
type tape struct {
	data bytes.Buffer
	w    *journal.Writer // nil when there was too much
}

func newTape(l *Lobby, s lobby.Setup) *tape {
	t := &tape{}
	t.w, _ = journal.NewWriter(&t.data, journal.Head{Rulebook: l.book.Source, Setup: s}, 0) // memory takes everything
	t.w.Whose = l.whose
	return t
}

// input remembers an input that is about to be taken.
func (t *tape) input(l *Lobby, in *step.Input) {
	if t == nil || t.w == nil || in.Kind == step.Tick || in.Kind == step.Ping {
		return
	}
	if t.w.Input(in); t.data.Len() > maxTape {
		t.w, t.data = nil, bytes.Buffer{}
	}
}

// Tape is the journal of a practice lobby from its opening to now.
func (l *Lobby) Tape(ctx context.Context) (data []byte, err error) {
	e := l.do(ctx, func() {
		switch t := l.tape; {
		case t == nil:
			err = fault.New(code.NotPractice, "only practice lobbies remember what was played")
		case t.w == nil:
			err = fault.New(
				code.TooLarge,
				"more than %d MiB were played in this lobby: it is not remembered",
				maxTape>>20,
			)
		default:
			t.w.Input(&step.Input{Kind: step.Tick, At: l.m.Tick()}) // to this moment
			data = slices.Clone(t.data.Bytes())
		}
	})
	if err == nil {
		err = e
	}
	return data, err
}
