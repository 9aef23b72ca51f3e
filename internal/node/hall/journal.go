package hall

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/journal"
)

// journalFile is a lobby's journal on disk. A nil one writes nothing; one that cannot be written is given up, and the
// lobby goes on.
type journalFile struct {
	file    *os.File
	buffer  *bufio.Writer
	w       *journal.Writer
	flushed time.Time
}

// hashSeconds is how often a hash stands in a journal.
const hashSeconds = 5

func openJournal(l *room, s lobby.Setup, whose func(sheet.ID) string) *journalFile {
	f, err := l.hall.cfg.Journals.Create(s.Code + "-" + l.ID)
	if err != nil {
		l.log().Warn("the journal cannot be written", "error", err)
		return nil
	}
	j := &journalFile{file: f, buffer: bufio.NewWriter(f)}
	j.w, err = journal.NewWriter(j.buffer, journal.Head{Rulebook: l.book.Source, Setup: s},
		sheet.Tick(hashSeconds*l.book.Rate))
	if err != nil {
		j.failed(l, err)
		return j
	}
	j.w.Whose = whose
	return j
}

// whose is the account of the player on whose connection a seat is.
func (l *seating) whose(seat sheet.ID) string {
	if r := l.m.Store().Get(seat); r != nil && r.Kind == sheet.Player {
		if account := r.Text(l.book.F.Player.Account); account != "" {
			return account
		}
	}
	for _, held := range l.keys {
		if i := slices.Index(held.seats, seat); i > 0 && held.seats[0] != seat {
			return l.whose(held.seats[0])
		}
	}
	return ""
}

// input writes an input that is about to be taken.
func (j *journalFile) input(l *room, in *step.Input) {
	if j == nil || j.w == nil || in.Kind == step.Tick && l.m.Next() > in.At {
		return
	}
	err := errors.Join(j.w.Hash(l.m), j.w.Input(in))
	if now := l.hall.cfg.Now(); err == nil && now.Sub(j.flushed) > time.Second {
		err, j.flushed = errors.Join(j.buffer.Flush(), j.tooLong(l.hall.cfg.Journal)), now
	}
	if err != nil {
		j.failed(l, err)
	}
}

// tooLong refuses a file that has grown beyond so many bytes.
func (j *journalFile) tooLong(most int) error {
	info, err := j.file.Stat()
	if err == nil && info.Size() > int64(most) {
		err = fmt.Errorf("it has %d bytes; -lobby-journal-size allows %d", info.Size(), most)
	}
	return err
}

func (j *journalFile) failed(l *room, err error) {
	l.log().Warn("the journal is given up", "error", err)
	j.w = nil
}

func (j *journalFile) close(l *room) {
	if j == nil {
		return
	}
	var err error
	if j.w != nil {
		err = j.w.Final(l.m)
	}
	if err := errors.Join(err, j.buffer.Flush(), j.file.Close()); err != nil {
		l.log().Warn("the journal was not written to its end", "error", err)
	}
	l.hall.cfg.Journals.Close(l.Code + "-" + l.ID)
}
