package deaths

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"sync"
	"syscall"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/client"
)

// world is what the workers have been told, and must find again.
type world struct {
	at      *node // that is asked
	workers []*worker
	stays   *stayer
}

// worker is a player with what was acknowledged to them.
type worker struct {
	w      *world
	no     int
	token  string
	player string
	device string

	mu      sync.Mutex
	lobbies []string        // guarded by mu; opened, by code
	seats   map[string]bool // guarded by mu; by code: seated, or left
	posted  int64           // guarded by mu; the sum of what was posted to a board
	doubt   int64           // guarded by mu; of it, what may or may not have been posted
	results map[string]int  // guarded by mu; matches told as saved, by code
	played  []string        // guarded by mu; lobbies in which it has played since the last check
	bought  int64           // guarded by mu; hats that were paid for, and perhaps is how many more there may be
	perhaps int64           // guarded by mu
	failed  error           // guarded by mu; why it could not play
	facts   int             // guarded by mu
}

const workers = 12

func newWorld(ctx context.Context, n *node) (*world, error) {
	w := &world{at: n}
	for i := range workers {
		x := &worker{w: w, no: i, device: fmt.Sprintf("a-device-that-outlives-the-node-%02d", i),
			seats:   map[string]bool{},
			results: map[string]int{}}
		if err := x.signIn(ctx); err != nil {
			return nil, err
		}
		w.workers = append(w.workers, x)
	}
	w.stays = &stayer{w: w}
	return w, w.stays.begin(ctx)
}

func (x *worker) signIn(ctx context.Context) error {
	in, err := client.SignIn(ctx, x.w.at.address, x.device, fmt.Sprintf("Worker %d", x.no))
	if err == nil {
		x.token, x.player = in.Token, in.Player
	}
	return err
}

func (x *worker) service() client.Service {
	return client.Service{Address: x.w.at.address, Token: x.token}
}

// note remembers something that was acknowledged.
func (x *worker) note(f func()) {
	x.mu.Lock()
	defer x.mu.Unlock()
	f()
	x.facts++
}

// pace is how long a worker waits between two requests: together they stay below what one address may ask for.
const pace = 200 * time.Millisecond

// work opens, joins, leaves, posts and plays until the node is gone.
func (x *worker) work(ctx context.Context) {
	for ctx.Err() == nil {
		if x.no%3 == 0 {
			if err := x.play(ctx); err != nil && ctx.Err() == nil {
				x.note(func() { x.failed = err })
				time.Sleep(pollEvery)
			}
			continue
		}
		time.Sleep(pace) // so that those who play are not refused what they ask for
		switch rand.IntN(4) {
		case 0:
			l, err := x.service().Open(ctx, client.Opening{Rulebook: "spark", Title: fmt.Sprint("Of worker ", x.no)})
			if err == nil {
				x.note(func() { x.lobbies = append(x.lobbies, l.Code) })
			}
		case 1, 2:
			x.sit(ctx)
		default:
			x.post(ctx)
		}
	}
}

// sit takes a seat in a lobby of the worker's own, or gives it up.
func (x *worker) sit(ctx context.Context) {
	x.mu.Lock()
	if len(x.lobbies) == 0 {
		x.mu.Unlock()
		return
	}
	code := x.lobbies[rand.IntN(len(x.lobbies))]
	there := x.seats[code]
	delete(x.seats, code) // until it is acknowledged nobody knows
	x.mu.Unlock()
	path, method, ok := "/v1/lobbies/"+code+"/seat", http.MethodPost, true
	if there {
		method, ok = http.MethodDelete, false
	}
	var in any
	if ok {
		in = map[string]any{}
	}
	err := x.service().Call(ctx, method, path, in, nil)
	if err == nil || ok && client.CodeOf(err) == "already-in" {
		x.note(func() { x.seats[code] = ok })
	}
}

func (x *worker) post(ctx context.Context) {
	x.mu.Lock()
	x.doubt++
	x.mu.Unlock()
	err := x.service().Post(ctx, "spark", "tally", client.Posting{Value: 1, ID: uuid.NewString()})
	if err == nil {
		x.note(func() { x.posted, x.doubt = x.posted+1, x.doubt-1 })
	}
}

// play plays short matches alone, and notes those that are told as saved.
func (x *worker) play(ctx context.Context) error {
	l, err := x.service().Open(ctx, client.Opening{Rulebook: "spark", Hidden: true})
	if err != nil {
		return err
	}
	c, err := client.Connect(ctx, client.Options{Address: x.w.at.address, Token: x.token, Lobby: l.Code, Patience: -1})
	if err != nil {
		return err
	}
	defer c.Close()
	x.mu.Lock()
	x.played = append(x.played, l.Code)
	x.mu.Unlock()
	for ctx.Err() == nil {
		c.Do(ctx, client.Intent{Do: "ready"})
		x.buy(ctx, c)
		saved := int64(0)
		if c.Wait(ctx, func(c *client.Copy) bool {
			if m := c.Match(); m != nil && m.Flag("saved") {
				saved = m.Int("number")
			}
			return saved > 0 || c.Match() == nil // it was over before we looked
		}) != nil {
			return c.Err()
		}
		if saved == 0 {
			continue
		}
		x.note(func() { x.results[l.Code] = max(x.results[l.Code], int(saved)) })
		if c.Wait(ctx,
			func(c *client.Copy) bool { m := c.Match(); return m == nil || m.Int("number") > saved }) != nil {
			return c.Err()
		}
	}
	return nil
}

// buy pays for a hat from the record, in the match that begins.
func (x *worker) buy(ctx context.Context, c *client.Conn) {
	if c.Wait(ctx, func(c *client.Copy) bool {
		return c.Match() != nil && c.Lobby().Text("state") == "playing"
	}) != nil {
		return
	}
	x.mu.Lock()
	x.perhaps++
	x.mu.Unlock()
	err := c.Do(ctx, client.Intent{Do: "act", Name: "buy"})
	var refused *client.Refusal
	switch {
	case err == nil:
		x.note(func() { x.bought, x.perhaps = x.bought+1, x.perhaps-1 })
	case errors.As(err, &refused) && refused.Code != "not-kept" && refused.Code != "stopping":
		x.note(func() { x.perhaps-- })
	}
}

// check looks for everything that was acknowledged, and says what is not there.
func (w *world) check(ctx context.Context) (lost []string) {
	var mu sync.Mutex
	var all sync.WaitGroup
	for _, x := range w.workers {
		all.Go(func() {
			out := x.check(ctx)
			mu.Lock()
			lost = append(lost, out...)
			mu.Unlock()
		})
	}
	all.Wait()
	return append(lost, w.stays.check(ctx)...)
}

// most is how many lobbies of each worker are looked for; older ones are closed, and forgotten.
const most = 8

func (x *worker) check(ctx context.Context) (lost []string) {
	if err := patiently(func() error { return x.signIn(ctx) }); err != nil {
		return []string{fmt.Sprintf("worker %d: %v", x.no, err)}
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	svc := x.service()
	for i, code := range x.lobbies {
		if i < len(x.lobbies)-most {
			x.service().Call(ctx, http.MethodDelete, "/v1/lobbies/"+code+"/seat", nil, nil)
			delete(x.seats, code)
			continue
		}
		err := patiently(func() error { _, err := svc.Lobby(ctx, code); return err })
		if err != nil {
			lost = append(lost, fmt.Sprintf("lobby %s of worker %d: %v", code, x.no, err))
			continue
		}
		seated, known := x.seats[code]
		if !known {
			continue
		}
		err = patiently(func() error {
			return svc.Call(ctx, http.MethodPost, "/v1/lobbies/"+code+"/seat", map[string]any{}, nil)
		})
		if has := client.CodeOf(err) == "already-in"; has != seated {
			lost = append(lost, fmt.Sprintf("in lobby %s worker %d has a seat: %v, not %v "+
				"(%v)", code, x.no, has, seated, err))
		}
		delete(x.seats, code)
		if err == nil || client.CodeOf(err) == "already-in" {
			x.seats[code] = true
		}
	}
	x.lobbies = append([]string(nil), x.lobbies[max(len(x.lobbies)-most, 0):]...)
	sum, _ := x.place(ctx, "tally")
	if sum < x.posted || sum > x.posted+x.doubt {
		lost = append(lost, fmt.Sprintf("worker %d posted %d to %d, and the board has "+
			"%d", x.no, x.posted, x.posted+x.doubt, sum))
	}
	x.posted, x.doubt = sum, 0
	for code, number := range x.results {
		var list []client.Match
		err := patiently(func() (err error) {
			list, err = svc.Matches(ctx, map[string][]string{"lobby": {code}, "limit": {"100"}})
			return err
		})
		if err != nil || len(list) == 0 || list[0].Result.Match < int64(number) {
			lost = append(lost, fmt.Sprintf("of lobby %s %d results were told as saved, and %d are there "+
				"(%v)", code, number, len(list), err))
		}
	}
	x.results = map[string]int{}
	return append(lost, x.twice(ctx)...)
}

// fortune is with how many coins everybody begins.
const fortune = 1_000_000

// place is the worker's own value on a board.
func (x *worker) place(ctx context.Context, board string) (value int64, err error) {
	err = patiently(func() error {
		page, err := x.service().Board(ctx, "spark", board, client.Part{Around: "me", Rows: 1})
		for _, row := range page.Rows {
			value = row.Value
		}
		if client.CodeOf(err) == "not-on-board" { // nothing was posted yet
			err = nil
		}
		return err
	})
	return value, err
}

// twice looks whether what matches gave is there once: each result of a lobby, and as many in the player's record as in
// their totals. What a lobby gives once more when it is back comes a moment later.
func (x *worker) twice(ctx context.Context) (wrong []string) {
	for range 100 {
		wrong = nil
		var totals []client.Totals
		fields := map[string]any{}
		err := patiently(func() (err error) {
			if totals, err = x.service().Totals(ctx, x.player); err == nil {
				fields, err = x.service().Record(ctx, x.player, "spark")
			}
			return err
		})
		matches, gone := int64(0), int64(0) // who is gone before the end is on no board
		for _, t := range totals {
			matches += t.Matches
			gone += t.Left
		}
		n := func(field string) int64 { f, _ := fields[field].(float64); return int64(f) }
		if n("matches") != matches || err != nil {
			wrong = append(wrong, fmt.Sprintf("worker %d has %d matches in their totals, and %v in their record (%v)",
				x.no, matches, fields["matches"], err))
		}
		if hats := n("hats"); len(fields) > 0 && (hats+n("coins") != fortune || hats < x.bought ||
			hats > x.bought+x.perhaps) {
			wrong = append(wrong, fmt.Sprintf("worker %d has %d hats and %d coins of %d, and was sold %d to %d", x.no,
				hats, n("coins"), fortune, x.bought, x.bought+x.perhaps))
		}
		for _, board := range []string{"rounds", "sum"} {
			if has, err := x.place(ctx, board); has != matches-gone || err != nil {
				wrong = append(wrong, fmt.Sprintf("worker %d has %d matches to their end, and %d on the board %s (%v)",
					x.no, matches-gone, has, board, err))
			}
		}
		for _, code := range x.played {
			list, err := x.service().Matches(ctx, map[string][]string{"lobby": {code}, "limit": {"100"}})
			for i := range list {
				if i > 0 && list[i].Result.Match != list[i-1].Result.Match-1 {
					wrong = append(wrong, fmt.Sprintf("of lobby %s match %d is kept behind match %d (%v)", code,
						list[i-1].Result.Match, list[i].Result.Match, err))
				}
			}
		}
		if wrong == nil {
			for _, code := range x.played { // nobody has more than so many seats
				x.service().Call(ctx, http.MethodDelete, "/v1/lobbies/"+code+"/seat", nil, nil)
			}
			x.played = nil
			x.perhaps += x.bought - n("hats") // what a lobby asks for once more may still come
			x.bought = n("hats")
			return nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	return wrong
}

// patiently tries again while the service says that it is asked too often, or that it cannot just now.
func patiently(f func() error) error {
	for range 600 {
		switch err := f(); client.CodeOf(err) {
		case "too-many-requests", "stopping", "not-kept":
		default:
			return err
		}
		time.Sleep(50 * time.Millisecond)
	}
	return f()
}

// failed is why workers could not play.
func (w *world) failed() (all []error) {
	for _, x := range w.workers {
		x.mu.Lock()
		if x.failed != nil {
			all = append(all, x.failed)
		}
		x.mu.Unlock()
	}
	return all
}

func (w *world) facts() string {
	n := 0
	for _, x := range w.workers {
		x.mu.Lock()
		n += x.facts
		x.mu.Unlock()
	}
	return fmt.Sprintf("%d facts acknowledged", n)
}

// restart measures how long it takes until so many lobbies with a match that runs play again.
func restart(ctx context.Context, n *node, lobbies int, row func(what, value, goal string)) error {
	var all sync.WaitGroup
	errs := make(chan error, 16)
	for w := range 16 {
		all.Go(func() {
			errs <- open(ctx, n, w, (lobbies+15-w)/16)
		})
	}
	all.Wait()
	close(errs)
	for err := range errs {
		if err != nil {
			return err
		}
	}
	n.end(syscall.SIGKILL)
	began := time.Now()
	if err := n.start(ctx); err != nil {
		return err
	}
	took := time.Since(began)
	list, err := client.Service{Address: n.Address}.Lobbies(ctx, client.Filter{Rulebook: "spark"}, "", 100, "")
	if err != nil {
		return err
	}
	playing := 0
	for _, l := range list.Lobbies {
		if l.State == "playing" {
			playing++
		}
	}
	row(fmt.Sprintf("%d lobbies with a match each are there again after a restart", lobbies),
		fmt.Sprintf("%s (of the newest %d, %d play)", took.Round(time.Millisecond), len(list.Lobbies), playing), "3 s")
	return nil
}

// open opens lobbies with a match that runs, each for a player of its own.
func open(ctx context.Context, n *node, w, count int) error {
	for i := range count {
		var in *client.Signed
		err := patiently(func() (err error) {
			in, err = client.SignIn(ctx, n.Address, fmt.Sprintf("a-device-of-a-long-match-%02d-%04d", w, i), "Long")
			return err
		})
		if err != nil {
			return err
		}
		svc := client.Service{Address: n.Address, Token: in.Token}
		var l *client.FoundLobby
		if err := patiently(func() (err error) {
			l, err = svc.Open(ctx, client.Opening{Rulebook: "spark", Options: map[string]any{"long": true}})
			return err
		}); err != nil {
			return err
		}
		c, err := client.Connect(ctx, client.Options{Address: n.Address, Token: in.Token, Lobby: l.Code, Patience: -1})
		if err != nil {
			return err
		}
		if err := c.Do(ctx, client.Intent{Do: "ready"}); err != nil {
			return err
		}
		if err := c.Wait(ctx, func(c *client.Copy) bool { return c.Match() != nil }); err != nil {
			return err
		}
		c.Close() // the match goes on, and the seat is held
	}
	return nil
}
