package keep

import (
	"context"
	"slices"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/store"
)

// Charge takes from a record, if it has enough of all of it, and tells whether it did and how the record stands. It may
// be repeated: what was taken is not taken again, and what is void is not taken. Of a charge whose answer is not known
// Void makes sure.
func (k *Keeper) Charge(ctx context.Context, job *Job) (ok bool, stand Standing, err error) {
	r := &job.Records[0]
	err = k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if err := job.Fence.Holds(tx, job.Lobby); err != nil {
			return err
		}
		there, err := store.Present(tx, r.Player)
		if err != nil || !there[r.Player] {
			return err
		}
		rows, now, err := k.lockAll(tx, r.Player, job.Book)
		if stand = now; err != nil {
			return err
		}
		var before []int64
		err = tx.Table("record_changes").Where("lobby_id = ? and number in ?", job.Lobby, []int64{r.Number, -r.Number}).
			Pluck("number", &before).Error
		if err != nil || slices.Contains(before, -r.Number) { // it is void
			return err
		}
		if ok = len(before) > 0 || stand.Fields.Covers(job.Book, r.Changes); !ok {
			return nil
		}
		stand, err = k.saveLocked(tx, job, r, rows, now)
		return err
	})
	return ok && err == nil, stand, err
}

// Void sees to it that a charge has taken nothing: it gives back what was taken, or keeps it from being taken later. It
// may be repeated.
func (k *Keeper) Void(ctx context.Context, job *Job) (stand Standing, err error) {
	r := &job.Records[0]
	err = k.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		if err := job.Fence.Holds(tx, job.Lobby); err != nil {
			return err
		}
		there, err := store.Present(tx, r.Player)
		if err != nil || !there[r.Player] {
			return err
		}
		rows, before, err := k.lockAll(tx, r.Player, job.Book)
		if stand = before; err != nil {
			return err
		}
		// Whichever writes the charge's number first has it: this, and nothing is taken any more; or the charge, and it
		// is given back under a number of its own.
		never, err := k.noteChange(tx, job, &Record{Player: r.Player, Number: r.Number, Match: r.Match}, Fields{},
			Fields{}, rows[0].Version)
		if err != nil {
			return err
		}
		back := Record{Player: r.Player, Number: -r.Number, Match: r.Match, Changes: Back(r.Changes)}
		if never { // and nothing is given back by a later try
			_, err = k.noteChange(tx, job, &Record{Player: r.Player, Number: -r.Number, Match: r.Match}, Fields{},
				Fields{}, rows[0].Version)
			return err
		}
		stand, err = k.saveRecord(tx, job, &back)
		return err
	})
	return stand, err
}

// Covers tells whether a record has enough for what is to be taken from it.
func (f Fields) Covers(book *rulebook.Book, changes []step.Change) bool {
	for i := range changes {
		r := fieldNamed(book, changes[i].Field)
		if r == nil {
			return false
		}
		had, _ := f.of(r)
		if had.N[0]+changes[i].Value.N[0] < max(r.Field.Min, 0) {
			return false
		}
	}
	return true
}

// Back is what gives back what was taken.
func Back(changes []step.Change) (out []step.Change) {
	for _, c := range changes {
		c.Value = sheet.IntValue(c.Value.Type, -c.Value.N[0])
		out = append(out, c)
	}
	return out
}
