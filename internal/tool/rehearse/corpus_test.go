package rehearse_test

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/journal"
	"turnvex.example/turnvex/internal/tool/chance"
	"turnvex.example/turnvex/internal/tool/trial"
)

const (
	corpus      = "testdata/corpus/"
	checkpoints = 3 // of each lobby
)

// saved is a checkpoint of a lobby of the corpus, between two inputs.
type saved struct {
	_    struct{} `cbor:",toarray"`
	At   int64    // the tick, behind all inputs of it
	Data []byte
}

// TestCorpus plays the corpus back: lobbies of the demo and the cookbook in which everything happened, people coming
// and going through several matches. No hash of any second may move, and checkpoints that were saved when it was
// written can still be restored and go on to the same hashes. A change that is meant to alter what rules do rewrites
// it, with -update, and says so.
func TestCorpus(t *testing.T) {
	if *update {
		writeCorpus(t)
	}
	files, _ := filepath.Glob(corpus + "*.journal.gz")
	if len(files) < 20 {
		t.Fatalf("the corpus has %d journals", len(files))
	}
	matches := 0
	for _, file := range files {
		name := strings.TrimSuffix(filepath.Base(file), ".journal.gz")
		t.Run(name, func(t *testing.T) {
			data := unpacked(t, file)
			whole := opened(t, data)
			whole.OnOutput = func(out *step.Output) {
				for _, e := range out.Effects {
					matches += int(sheet.Bit(e.Kind == step.SaveResult))
				}
			}
			if err := whole.RunTo(-1); !errors.Is(err, io.EOF) || whole.Hashes < 60 {
				t.Fatalf("%v after %d hashes", err, whole.Hashes)
			}
			points := cbor.NewDecoder(bytes.NewReader(unpacked(t, corpus+name+".checkpoints.gz")))
			for n := 0; ; n++ {
				var p saved
				if err := points.Decode(&p); errors.Is(err, io.EOF) && n == checkpoints {
					break
				} else if err != nil {
					t.Fatalf("checkpoint %d: %v", n, err)
				}
				rp := opened(t, data)
				if err := rp.RunTo(sheet.Tick(p.At)); err != nil {
					t.Fatal(err)
				}
				var err error
				if rp.M, err = lobby.Restore(rp.Book, p.Data); err != nil {
					t.Fatalf("the checkpoint at %d: %v", p.At, err)
				}
				if err := rp.RunTo(-1); !errors.Is(err, io.EOF) || rp.M.Hash() != whole.M.Hash() {
					t.Errorf("from the checkpoint at %d: %v", p.At, err)
				}
			}
		})
	}
	if matches < 100 && !t.Failed() {
		t.Errorf("in the corpus %d matches end", matches)
	}
}

func opened(t *testing.T, data []byte) *journal.Replay {
	t.Helper()
	rp, err := journal.Open(bytes.NewReader(data))
	if err != nil {
		t.Fatal(err)
	}
	return rp
}

func unpacked(t *testing.T, file string) []byte {
	t.Helper()
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	data, err := io.ReadAll(z)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

func writeCorpus(t *testing.T) {
	os.RemoveAll(corpus)
	os.MkdirAll(corpus, 0o755)
	files, _ := filepath.Glob("../../../demo/rulebooks/*.yaml")
	var sources [][]byte
	for _, f := range files {
		src, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		sources = append(sources, src)
	}
	page, err := os.ReadFile("../../../docs/cookbook.md")
	if err != nil {
		t.Fatal(err)
	}
	for i, src := range append(sources, trial.Rulebooks(string(page))...) {
		book, problems := rulebook.Compile(src)
		if book == nil {
			t.Fatal(problems)
		}
		name := corpus + book.Name
		if _, err := os.Stat(name + ".journal.gz"); err == nil {
			name = fmt.Sprint(name, i)
		}
		w := &corpusWriter{t: t, m: lobby.New(book, lobby.Setup{Code: "CORPUS", Seed: uint64(i + 1)}), rate: book.Rate}
		w.write(book, uint64(i+1))
		packed(t, name+".journal.gz", w.journal.Bytes())
		packed(t, name+".checkpoints.gz", w.points.Bytes())
	}
}

func packed(t *testing.T, file string, data []byte) {
	var b bytes.Buffer
	z, _ := gzip.NewWriterLevel(&b, gzip.BestCompression)
	z.Write(data)
	if err := errors.Join(z.Close(), os.WriteFile(file, b.Bytes(), 0o644)); err != nil {
		t.Fatal(err)
	}
}

// corpusWriter plays a lobby by chance, as its driver would, and writes what it takes in.
type corpusWriter struct {
	t       *testing.T
	m       *lobby.Lobby
	rate    int
	out     *journal.Writer
	journal bytes.Buffer
	points  bytes.Buffer
}

func (w *corpusWriter) write(book *rulebook.Book, seed uint64) {
	var err error
	w.out, err = journal.NewWriter(&w.journal, journal.Head{Rulebook: book.Source,
		Setup: lobby.Setup{Code: "CORPUS", Seed: seed}}, sheet.Tick(book.Rate))
	if err != nil {
		w.t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(seed, 2))
	whim := w.m.Whim(r)
	w.take(step.Input{Kind: step.RefereeOn, N: 1})
	for i := 0; i < 2000 && !w.m.Closed(); i++ {
		in := chance.Input(r, w.m)
		me := w.m.Store().Get(in.Seat)
		if me != nil && me.Kind == sheet.Player && in.Kind == step.Intent && r.IntN(3) > 0 &&
			len(w.m.Store().Of(sheet.Match)) > 0 {
			sensible := step.Input{At: in.At, Kind: step.Intent, Seat: in.Seat}
			if whim.Does(me, &sensible) {
				in = sensible
			}
		}
		w.take(in)
	}
	w.pass(w.m.Tick() + sheet.Tick(w.rate)*60)
	points := cbor.NewEncoder(&w.points)
	for n := range checkpoints { // of a replay, in which people have other names
		rp, at := opened(w.t, w.journal.Bytes()), w.m.Tick()*sheet.Tick(n+1)/(checkpoints+1)
		if err := rp.RunTo(at); err != nil {
			w.t.Fatal(err)
		}
		if err := points.Encode(saved{At: int64(at), Data: rp.M.Save()}); err != nil {
			w.t.Fatal(err)
		}
	}
}

// pass lets time go on, with a hash for each second.
func (w *corpusWriter) pass(to sheet.Tick) {
	for w.m.Tick() < to && !w.m.Closed() {
		next := min(to, w.m.Tick()-w.m.Tick()%sheet.Tick(w.rate)+sheet.Tick(w.rate))
		w.m.Step(&step.Input{At: next, Kind: step.Tick})
		w.m.Store().ClearChanges()
		if err := w.out.Hash(w.m); err != nil {
			w.t.Fatal(err)
		}
	}
}

// take hands an input in, and answers what its driver has to answer.
func (w *corpusWriter) take(in step.Input) {
	in.At = max(in.At, w.m.Tick())
	if in.At > w.m.Tick() {
		w.pass(in.At)
	}
	if err := w.out.Input(&in); err != nil {
		w.t.Fatal(err)
	}
	out := w.m.Step(&in)
	var then []step.Input
	if out.Seat != 0 {
		then = append(then, step.Input{Kind: step.Loaded, Seat: out.Seat, Yes: out.Seat%2 == 0})
	}
	for _, e := range out.Effects {
		switch e.Kind {
		case step.SaveResult:
			then = append(then, step.Input{Kind: step.Saved, N: e.Result.Match})
		case step.AskReferee:
			then = append(then, step.Input{Kind: step.Answer, N: e.Decision.No, Yes: e.Decision.No%3 > 0})
		case step.Charge: // the same once more
			again := in
			again.N = e.N
			then = append(then, again)
		}
	}
	w.m.Store().ClearChanges()
	for _, x := range then {
		w.take(x)
	}
}
