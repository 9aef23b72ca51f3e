package demo

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/keep"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/node/store"
)

// The past that a first start makes up: skippers, and what they played until now.
const (
	skippers  = 240
	pastDays  = 42
	pastPlays = 900
)

var (
	firstNames = strings.Fields("Alma Birk Cleo Dario Edda Falk Greta Hugo Ilva Jonne Kaia Leif Mirja Nils Oda Per " +
		"Runa Sverre Tyra Ulf Vera Wim Yngve Zita Arne Bodil Ciro Dagny Elin Finn")
	lastNames = strings.Fields("Barrow Cask Dunmore Ebbing Fathom Gale Hawser Inlet Jetty Keel Lagoon Mooring " +
		"Narrows Oar Pennant Quayle Reef Sandbar Thole Undertow Vane Wharf")
)

// teller makes the past up, the same each time but for when it ends.
type teller struct {
	svc    *service.Service
	people []store.Player
	skill  []float64 // 0 to 1, by skipper
	random *rand.Rand
	until  time.Time
}

// past fills an empty service with what its skippers played in the last weeks: through the keeper, as a match's end
// does. It tells whether it had to.
func past(ctx context.Context, svc *service.Service) (bool, error) {
	var n int64
	if err := svc.DB.WithContext(ctx).Table("player_totals").Count(&n).Error; err != nil || n > skippers/2 {
		return false, err
	}
	t := &teller{svc: svc, random: rand.New(rand.NewPCG(19, 26)), until: time.Now().UTC().Add(-time.Hour)}
	if err := t.crew(ctx); err != nil {
		return false, err
	}
	jobs := make(chan *keep.Job)
	errs := make(chan error, 4)
	var all sync.WaitGroup
	for range cap(errs) {
		all.Go(func() {
			for job := range jobs {
				if _, err := svc.Keeper.Save(ctx, job); err != nil {
					select {
					case errs <- err:
					default:
					}
				}
			}
		})
	}
	for i := range pastPlays {
		job, err := t.play(i)
		if err != nil {
			return false, err
		}
		jobs <- job
	}
	close(jobs)
	all.Wait()
	close(errs)
	return true, <-errs
}

// crew makes the skippers.
func (t *teller) crew(ctx context.Context) error {
	for i := range skippers {
		name := firstNames[i%len(firstNames)] + " " + lastNames[(i*7+i/len(firstNames))%len(lastNames)]
		made := t.until.AddDate(0, 0, -pastDays).Add(time.Duration(i) * time.Hour)
		t.people = append(t.people, store.Player{ID: uuid.NewSHA1(uuid.NameSpaceOID, []byte("skipper "+name)).String(),
			Name: name, CreatedAt: made, SeenAt: t.until})
		t.skill = append(t.skill, t.random.Float64())
	}
	return t.svc.DB.WithContext(ctx).CreateInBatches(t.people, 100).Error
}

// play makes one match up.
func (t *teller) play(i int) (*keep.Job, error) {
	name := []string{"clash", "bell", "course"}[i%3]
	book, err := t.svc.Library.Book(name)
	if err != nil {
		return nil, err
	}
	before := time.Duration(float64(pastPlays-i) / pastPlays * float64(pastDays*24*time.Hour))
	ended := t.until.Add(-before).Truncate(time.Millisecond)
	r := &step.Result{Match: 1, Rulebook: book.Name, Version: book.Version, Because: "the time is up",
		Millis: 40_000 + t.random.Int64N(80_000)}
	who := t.random.Perm(skippers)[:2+2*t.random.IntN(2)]
	slices.SortFunc(who, func(a, b int) int { // the better ones win more often
		return int(1000 * ((t.skill[b] - t.skill[a]) + (t.random.Float64()-0.5)*0.8))
	})
	job := &keep.Job{Lobby: uuid.NewSHA1(uuid.NameSpaceOID, fmt.Appendf(nil, "past %d", i)).String(),
		Code: fmt.Sprintf("P%05d", i), Book: book, Result: r, Ended: ended,
		Moment: func(sheet.Tick) time.Time { return ended }}
	for place, p := range who {
		t.part(job, book, p, place, len(who))
	}
	if name == "clash" {
		t.sides(r)
	}
	return job, nil
}

// part makes up what one skipper has of a match, and what is kept and posted of it.
func (t *teller) part(job *keep.Job, book *rulebook.Book, who, place, of int) {
	p := &t.people[who]
	good := t.skill[who]*0.7 + t.random.Float64()*0.3
	x := step.PlayerResult{Account: p.ID, Name: p.Name, Place: int64(place + 1), Outcome: "lost",
		Fields: map[string]any{}}
	if place == 0 || book.Name == "clash" && place < of/2 {
		x.Outcome = "won"
	}
	add := func(field string, n int64) step.Change {
		return step.Change{Field: field, Kind: step.ChangeAdd, Value: sheet.IntValue(sheet.Integer, n)}
	}
	lower := func(field string, n int64) step.Change {
		return step.Change{Field: field, Kind: step.ChangeLower, Value: sheet.IntValue(sheet.Integer, n)}
	}
	changes := []step.Change{add("matches", 1)}
	post := func(board string, n int64) {
		job.Result.Posts = append(job.Result.Posts, step.Post{Board: board, Account: p.ID, Value: n})
	}
	switch book.Name {
	case "clash":
		n := int64(good*24) + 1
		x.Fields["lanterns"], x.Fields["points"], x.Team = n, n*10, []string{"amber", "teal"}[place*2/of]
		changes = append(changes, add("lanterns", n))
		post("lanterns", n)
		if x.Outcome == "won" {
			changes = append(changes, add("wins", 1))
			post("wins", 1)
		}
	case "bell":
		storm, throws := int64((1-good)*30)+2, int64(good*12)
		x.Fields["storm"], x.Fields["throws"] = storm, throws
		changes = append(changes, lower("storm", storm))
		post("calmest", storm)
		post("week", storm)
		post("throws", throws)
	case "course":
		ms := int64(13_700+(1-good)*12_000) + t.random.Int64N(900)
		x.Fields["time"], x.Fields["done"] = ms, true
		job.Result.Clocks = []string{"time"}
		changes = append(changes, lower("best", ms))
		post("fastest", ms)
		post("week", ms)
	}
	job.Result.Players = append(job.Result.Players, x)
	job.Records = append(job.Records, keep.Record{Player: p.ID, Number: int64(place + 1), Match: 1, Changes: changes})
}

// sides makes up what the crews of a clash have.
func (t *teller) sides(r *step.Result) {
	for i, side := range []string{"amber", "teal"} {
		var sum int64
		for _, p := range r.Players {
			if p.Team == side {
				sum += p.Fields["points"].(int64)
			}
		}
		outcome := []string{"won", "lost"}[i]
		r.Teams = append(r.Teams, step.TeamResult{Team: side, Title: strings.ToUpper(side[:1]) + side[1:],
			Outcome: outcome, Place: int64(i + 1), Fields: map[string]any{"points": sum}})
		r.Posts = append(r.Posts, step.Post{Board: "crews", Team: side, Value: sum})
	}
}
