package hall

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/store"
)

// saveJob is what one input led to that must be kept, in one transaction.
type saveJob struct {
	records []step.Effect
	result  *step.Result
}

// carryOut does what the authority asks for.
func (l *Lobby) carryOut(out *step.Output) {
	var save saveJob
	for _, e := range out.Effects {
		switch e.Kind {
		case step.LoadRecord:
			l.loadRecord(e.Seat, e.Account)
		case step.SaveRecord:
			if e.Account != "" {
				l.hall.savings.begin(e.Account)
				save.records = append(save.records, e)
			}
		case step.SaveResult:
			if !e.Result.Practice { // nothing of practice is kept
				save.result = e.Result
			}
		case step.Seated:
			l.seated(e.Seat, e.Text)
		case step.Drop:
			l.bye(e.Seat, e.Reason, "the host has removed you from the lobby")
		case step.AskReferee:
			l.offer(e.Decision)
		case step.Fault:
			l.log.Warn("the rulebook did what it may not", "fault", e.Text)
		}
	}
	if save.result != nil || len(save.records) > 0 {
		l.saver <- save
	}
}

// loadRecord fetches a player's record and hands it to the authority. A player
// without an account of their own (a further one on a connection) has none.
func (l *Lobby) loadRecord(seat sheet.ID, account string) {
	if account == "" || len(l.book.Record) == 0 {
		l.post0(func() { l.step(&step.Input{Kind: step.Loaded, Seat: seat}) })
		return
	}
	go func() {
		var fields keep.Fields
		l.retry("load a record", func(ctx context.Context) (err error) {
			l.hall.savings.wait(account)
			fields, err = keep.LoadRecord(ctx, l.hall.cfg.DB, account, l.book.Name)
			if err == nil && fields == nil {
				err = keep.SaveRecord(l.hall.cfg.DB.WithContext(ctx), account, l.book.Name, l.defaults())
				if errors.Is(err, gorm.ErrForeignKeyViolated) {
					err = nil // deleted meanwhile
				}
			}
			return err
		})
		l.post(func() { l.step(&step.Input{Kind: step.Loaded, Seat: seat, Record: l.named(fields)}) })
	}()
}

// post0 queues a job from within the loop itself, which must not wait for room.
func (l *Lobby) post0(job func()) { go l.post(job) }

// defaults is the record of a first-time player.
func (l *Lobby) defaults() keep.Fields {
	f := keep.Fields{}
	for _, field := range l.book.Schema.Fields(sheet.Record) {
		f[field.Name] = field.Start.Plain()
	}
	return f
}

// named turns kept fields into values; what no longer fits its field is left at
// its start.
func (l *Lobby) named(fields keep.Fields) []step.Named {
	var out []step.Named
	for _, f := range l.book.Schema.Fields(sheet.Record) {
		raw, ok := fields[f.Name]
		if !ok {
			continue
		}
		if v, err := replica.ValueOf(f.Type, raw); err == nil {
			out = append(out, step.Named{Name: f.Name, Value: v})
		}
	}
	return out
}

// saveLoop keeps what the lobby's matches give, in order.
func (l *Lobby) saveLoop() {
	for job := range l.saver {
		l.retry("save a match", func(ctx context.Context) error { return l.save(ctx, job) })
		for _, e := range job.records {
			l.hall.savings.done(e.Account)
		}
		if job.result != nil {
			n := job.result.Match
			go l.post(func() { l.step(&step.Input{Kind: step.Saved, N: n}) })
		}
	}
}

// retry tries until it works. The database may be away for a while; nothing is
// given up until it has been for minutes.
func (l *Lobby) retry(what string, try func(context.Context) error) {
	for wait := 50 * time.Millisecond; ; wait *= 2 {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		err := try(ctx)
		cancel()
		if err == nil {
			return
		}
		if wait > 2*time.Minute {
			l.log.Error("could not "+what+"; it is lost", "error", err)
			return
		}
		l.log.Warn("could not "+what+"; trying again", "error", err, "in", wait)
		time.Sleep(wait)
	}
}

// save writes records, result and posts in one transaction.
func (l *Lobby) save(ctx context.Context, job saveJob) error {
	return l.hall.cfg.DB.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		there, err := store.Present(tx, job.accounts()...)
		if err != nil {
			return err
		}
		for _, e := range job.records {
			if !there[e.Account] {
				continue
			}
			f := keep.Fields{}
			for _, v := range e.Values {
				f[v.Name] = v.Value.Plain()
			}
			if err := keep.SaveRecord(tx, e.Account, l.book.Name, f); err != nil {
				return err
			}
		}
		if job.result == nil {
			return nil
		}
		return l.saveResult(tx, job.result, there)
	})
}

// accounts are those of everybody whom the job concerns.
func (j *saveJob) accounts() (all []string) {
	for _, e := range j.records {
		all = append(all, e.Account)
	}
	if j.result != nil {
		for _, p := range j.result.Players {
			all = append(all, p.Account)
		}
		for _, p := range j.result.Posts {
			all = append(all, p.Account)
		}
	}
	return all
}

// saveResult writes a result, with what follows from it for the players who are
// there: one who was deleted meanwhile is left out.
func (l *Lobby) saveResult(tx *store.Tx, r *step.Result, there map[string]bool) error {
	data, err := json.Marshal(r)
	if err != nil {
		return err
	}
	row := store.Match{ID: uuid.Must(uuid.NewV7()).String(), LobbyID: l.ID, Number: r.Match, Rulebook: r.Rulebook, Version: r.Version,
		Because: r.Because, Millis: r.Millis, Practice: r.Practice, EndedAt: time.Now().UTC(), Result: data}
	done := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
	if done.Error != nil || done.RowsAffected == 0 { // none: an earlier try was committed after all
		return done.Error
	}
	seen := map[string]bool{}
	for _, p := range r.Players {
		if !there[p.Account] || seen[p.Account] {
			continue
		}
		seen[p.Account] = true
		if err := tx.Create(&store.MatchPlayer{MatchID: row.ID, PlayerID: p.Account, Name: p.Name, Team: p.Team, Outcome: p.Outcome, Place: p.Place}).Error; err != nil {
			return err
		}
	}
	for _, p := range r.Posts {
		if b := l.book.Board(p.Board); b != nil && there[p.Account] {
			if err := keep.Post(tx, b, l.book.Name, p.Account, p.Value); err != nil {
				return err
			}
		}
	}
	return nil
}
