// Package journal writes and reads the ordered inputs of a lobby, from which its state can be rebuilt bit for bit. A
// journal is a file: the eight bytes of Magic, then a CBOR sequence (RFC 8742) of one head and any number of entries,
// each an array that begins with its kind. Hashes of the state stand between the inputs, so that a replay can tell
// where it first differs.
package journal

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
)

// Magic begins every journal; its last character is the version of the format.
const Magic = "TVXJRNL2"

// Head is how the lobby was opened.
type Head struct {
	_        struct{} `cbor:",toarray"`
	Rulebook []byte   // its source
	Setup    lobby.Setup
}

// entry is an input (kind 1), a hash (kind 2), or what a token stands for (kind 3).
type entry struct {
	_      struct{} `cbor:",toarray"`
	Kind   uint8
	At     int64
	Input  *input
	Hash   uint64
	Person *person
}

const (
	kindInput  = 1
	kindHash   = 2
	kindPerson = 3
)

// input is step.Input as it is written: by number, without what is empty.
type input struct {
	Kind   uint8        `cbor:"1,keyasint,omitempty"`
	Seat   uint32       `cbor:"2,keyasint,omitempty"`
	Seq    uint64       `cbor:"3,keyasint,omitempty"`
	Verb   string       `cbor:"4,keyasint,omitempty"`
	Name   string       `cbor:"5,keyasint,omitempty"`
	Target uint32       `cbor:"6,keyasint,omitempty"`
	X      int64        `cbor:"7,keyasint,omitempty"`
	Y      int64        `cbor:"8,keyasint,omitempty"`
	Point  bool         `cbor:"9,keyasint,omitempty"`
	Args   []step.Named `cbor:"10,keyasint,omitempty"`
	N      int64        `cbor:"11,keyasint,omitempty"`
	Yes    bool         `cbor:"12,keyasint,omitempty"`
	Text   string       `cbor:"13,keyasint,omitempty"`
	Team   string       `cbor:"14,keyasint,omitempty"`
	Acct   string       `cbor:"15,keyasint,omitempty"`
	Conn   string       `cbor:"16,keyasint,omitempty"`
	Record []step.Named `cbor:"17,keyasint,omitempty"`
	Value  *sheet.Value `cbor:"18,keyasint,omitempty"`
	Pass   string       `cbor:"19,keyasint,omitempty"`
	Names  []string     `cbor:"20,keyasint,omitempty"`
	Yaw    int64        `cbor:"21,keyasint,omitempty"`
	Faces  bool         `cbor:"22,keyasint,omitempty"`
	Z      int64        `cbor:"23,keyasint,omitempty"`
	Pitch  int64        `cbor:"24,keyasint,omitempty"`
}

func pack(in *step.Input) *input {
	out := &input{
		Kind:   uint8(in.Kind),
		Seat:   uint32(in.Seat),
		Seq:    in.Seq,
		Verb:   string(in.Verb),
		Name:   in.Name,
		Target: uint32(in.Target),
		X:      in.X,
		Y:      in.Y,
		Point:  in.Point,
		Args:   in.Args,
		N:      in.N,
		Yes:    in.Yes,
		Text:   in.Text,
		Team:   in.Team,
		Acct:   in.Acct,
		Conn:   in.Conn,
		Record: in.Record,
		Pass:   in.Pass,
		Names:  in.Names,
		Yaw:    in.Yaw,
		Faces:  in.Faces,
		Z:      in.Z,
		Pitch:  in.Pitch,
	}
	if in.Value != (sheet.Value{}) {
		out.Value = &in.Value
	}
	return out
}

func (p *input) unpack(at int64) step.Input {
	out := step.Input{
		At:     sheet.Tick(at),
		Kind:   step.Kind(p.Kind),
		Seat:   sheet.ID(p.Seat),
		Seq:    p.Seq,
		Verb:   step.Verb(p.Verb),
		Name:   p.Name,
		Target: sheet.ID(p.Target),
		X:      p.X,
		Y:      p.Y,
		Point:  p.Point,
		Args:   p.Args,
		N:      p.N,
		Yes:    p.Yes,
		Text:   p.Text,
		Team:   p.Team,
		Acct:   p.Acct,
		Conn:   p.Conn,
		Record: p.Record,
		Pass:   p.Pass,
		Names:  p.Names,
		Yaw:    p.Yaw,
		Faces:  p.Faces,
		Z:      p.Z,
		Pitch:  p.Pitch,
	}
	if p.Value != nil {
		out.Value = *p.Value
	}
	return out
}

// Writer writes a journal. It is not safe for use by several goroutines.
type Writer struct {
	enc    *cbor.Encoder
	every  sheet.Tick
	due    sheet.Tick
	people *people
	failed error // of telling what a token stands for

	// Whose, if set, returns the account of whose connection a seat is: whose the name is that the seat takes.
	Whose func(seat sheet.ID) string
}

// NewWriter begins a journal with its head. A hash is due every so many ticks; 0 asks for none.
func NewWriter(w io.Writer, h Head, hashEvery sheet.Tick) (*Writer, error) {
	if _, err := io.WriteString(w, Magic); err != nil {
		return nil, err
	}
	jw := &Writer{enc: cbor.NewEncoder(w), every: hashEvery, due: hashEvery}
	jw.people = newPeople(func(p *person) {
		jw.failed = errors.Join(jw.failed, jw.enc.Encode(entry{Kind: kindPerson, Person: p}))
	})
	return jw, jw.enc.Encode(h)
}

// Input writes an input that is about to be taken. Ticks without anything else need not be written: the next input's
// tick implies them.
func (w *Writer) Input(in *step.Input) error {
	hidden := *in
	whose := ""
	if w.Whose != nil && (in.Kind == step.Called || written(in)) {
		whose = w.Whose(in.Seat)
	}
	w.people.hide(&hidden, whose)
	return errors.Join(w.failed, w.enc.Encode(entry{Kind: kindInput, At: int64(in.At), Input: pack(&hidden)}))
}

// Hash writes the state's hash, if one is due at the machine's tick.
func (w *Writer) Hash(m *lobby.Lobby) error {
	if w.every == 0 || m.Tick() < w.due {
		return nil
	}
	w.due = m.Tick() + w.every
	return w.Final(m)
}

// Final writes the state's hash as it is, for the journal's end.
func (w *Writer) Final(m *lobby.Lobby) error {
	return w.enc.Encode(entry{Kind: kindHash, At: int64(m.Tick()), Hash: m.Hash()})
}

// Replay is a journal being played back.
type Replay struct {
	Book *rulebook.Book
	M    *lobby.Lobby
	// OnOutput, if set, is called with the output of each input.
	OnOutput func(*step.Output)

	setup   lobby.Setup
	dec     *cbor.Decoder
	pending *entry
	names   map[string]string // what tokens of names and texts stand for
	Inputs  int
	Hashes  int
}

// Difference tells that the state is another than when the journal was written.
type Difference struct {
	Tick     sheet.Tick // of the first hash that differs
	Last     sheet.Tick // of the last one that was the same
	Got      uint64
	Recorded uint64
}

func (d *Difference) Error() string {
	return fmt.Sprintf("the state differs at tick %d: %016x, recorded %016x; at tick %d it was still the same", d.Tick,
		d.Got, d.Recorded, d.Last)
}

// reading is how journals are read.
var reading = func() cbor.DecMode {
	mode, err := cbor.DecOptions{MaxArrayElements: 4096, MaxMapPairs: 64, MaxNestedLevels: 8,
		DupMapKey: cbor.DupMapKeyEnforcedAPF}.DecMode()
	if err != nil {
		panic(err) // the options are constants
	}
	return mode
}()

// begins reads the first bytes of a journal.
func begins(r io.Reader) error {
	magic := make([]byte, len(Magic))
	if _, err := io.ReadFull(r, magic); err != nil || !bytes.Equal(magic[:7], []byte(Magic[:7])) {
		return errors.New("this is not a journal: it does not begin with " + Magic)
	}
	if string(magic) != Magic {
		return fmt.Errorf("this journal is of version %q; version %q is read here", magic[7:], Magic[7:])
	}
	return nil
}

// Open reads a journal's head and opens its lobby. Its people stay tokens; their names are those that the journal still
// tells.
func Open(r io.Reader) (*Replay, error) {
	if err := begins(r); err != nil {
		return nil, err
	}
	rp := &Replay{dec: reading.NewDecoder(r), names: map[string]string{}}
	var h Head
	if err := rp.dec.Decode(&h); err != nil {
		return nil, fmt.Errorf("the journal's head cannot be read: %w", err)
	}
	book, problems := rulebook.CompileKept(h.Rulebook)
	if book == nil {
		return nil, fmt.Errorf("the journal's rulebook does not compile:\n%w", problems.Errors())
	}
	for _, o := range h.Setup.Options {
		f := book.Schema.Field(sheet.Lobby, o.Name)
		if f == nil || f.Type != o.Value.Type {
			return nil, fmt.Errorf("the journal sets an option %q that its rulebook does not have", o.Name)
		}
	}
	rp.Book, rp.M, rp.setup = book, lobby.New(book, h.Setup), h.Setup
	return rp, nil
}

// next returns the next entry; io.EOF at the end. A journal that breaks off in the midst of an entry, as after a crash,
// ends there.
func (rp *Replay) next() (*entry, error) {
	if e := rp.pending; e != nil {
		rp.pending = nil
		return e, nil
	}
	e, err := rp.decode()
	if err != nil {
		return nil, err
	}
	if e.Kind == kindInput && e.Input == nil || e.Kind != kindInput && e.Kind != kindHash {
		return nil, fmt.Errorf("entry %d is neither an input nor a hash", rp.Inputs+rp.Hashes+1)
	}
	if sheet.Tick(e.At) < rp.M.Tick() || e.At > 1<<40 {
		return nil, fmt.Errorf("entry %d stands at tick %d, but the journal is at tick %d already",
			rp.Inputs+rp.Hashes+1, e.At, rp.M.Tick())
	}
	return e, nil
}

// decode returns the next entry that is not about what a token stands for.
func (rp *Replay) decode() (*entry, error) {
	for {
		var e entry
		if err := rp.dec.Decode(&e); err != nil {
			if errors.Is(err, io.ErrUnexpectedEOF) {
				err = io.EOF
			}
			return nil, err
		}
		if e.Kind != kindPerson || e.Person == nil {
			return &e, nil
		}
		if t := e.Person.Token; strings.HasPrefix(t, "n") || strings.HasPrefix(t, "w") {
			rp.names[t] = e.Person.Text
		}
	}
}

// input is the input of an entry, with the names and texts that the journal tells in the place of their tokens.
func (rp *Replay) input(e *entry) step.Input {
	in := e.Input.unpack(e.At)
	reveal(&in, rp.names)
	return in
}

// RunTo plays the journal back up to a tick, or to its end when that is negative. It returns io.EOF at the journal's
// end and a *Difference where a hash is another one than was recorded.
func (rp *Replay) RunTo(tick sheet.Tick) error {
	last := rp.M.Tick()
	for {
		e, err := rp.next()
		if err != nil {
			return err
		}
		if tick >= 0 && sheet.Tick(e.At) > tick {
			rp.pending = e
			rp.step(&step.Input{At: tick, Kind: step.Tick})
			return nil
		}
		if e.Kind == kindInput {
			in := rp.input(e)
			if int(in.Kind) >= step.Kinds {
				return fmt.Errorf("an input of unknown kind %d", in.Kind)
			}
			rp.Inputs++
			rp.step(&in)
			continue
		}
		rp.Hashes++
		rp.step(&step.Input{At: sheet.Tick(e.At), Kind: step.Tick})
		if got := rp.M.Hash(); got != e.Hash {
			return &Difference{Tick: sheet.Tick(e.At), Last: last, Got: got, Recorded: e.Hash}
		}
		last = sheet.Tick(e.At)
	}
}

func (rp *Replay) step(in *step.Input) {
	out := rp.M.Step(in)
	if rp.OnOutput != nil {
		rp.OnOutput(out)
	}
	rp.M.Store().ClearChanges()
}

// Read reads a journal whole: the rulebook, how the lobby was opened, and the inputs.
func Read(r io.Reader) (*rulebook.Book, lobby.Setup, []step.Input, error) {
	rp, err := Open(r)
	if err != nil {
		return nil, lobby.Setup{}, nil, err
	}
	var inputs []step.Input
	for {
		e, err := rp.next()
		if errors.Is(err, io.EOF) {
			return rp.Book, rp.setup, inputs, nil
		}
		if err != nil {
			return nil, lobby.Setup{}, nil, err
		}
		if e.Kind == kindInput && int(e.Input.Kind) < step.Kinds {
			inputs = append(inputs, rp.input(e))
		}
	}
}
