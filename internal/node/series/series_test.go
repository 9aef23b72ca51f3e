package series_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"sync/atomic"
	"testing"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/memdb"
	"turnvex.example/turnvex/internal/node/series"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/trial"
	"turnvex.example/turnvex/internal/wire"
)

var db *store.DB

func TestMain(m *testing.M) { os.Exit(pgbox.StoreTests(m.Run, &db)) }

const (
	sprint = "turnvex: 1\nname: sprint\nplayers: {least: 2, most: 2}\nphases: {play: {lasts: 1m}}\n"
	plan   = "turnvex: 1\nseries: regatta\nrulebook: sprint\nform: meeting\nbest_of: %d\ncome: 5m\n"
)

// pier is a hall and a library that series are played over, and the players of two entrants.
type pier struct {
	*testing.T
	*hall.Hall
	book     *rulebook.Book
	plan     *rulebook.Series
	refuses  atomic.Int32 // so many lobbies are not opened
	told     chan told
	closed   chan string // the IDs of lobbies
	ada, bea string
}

func (p *pier) Closed(id string)           { p.closed <- id }
func (p *pier) Ended(string, *step.Result) {}

// told is what a player was told of a meeting.
type told struct {
	player string
	wire.SeriesDue
}

func newPier(t *testing.T, bestOf int) *pier {
	t.Helper()
	if err := pgbox.Empty(t.Context(), db); err != nil {
		t.Fatal(err)
	}
	p := &pier{T: t, told: make(chan told, 256), closed: make(chan string, 16)}
	p.Hall = hall.New(hall.Config{Directory: memdb.NewDirectory(), Keeper: memdb.NewKeeper(), Names: memdb.NewNames(),
		Node: "n1", Secret: []byte("secret"), Follows: p})
	t.Cleanup(p.Hall.Stop)
	var problems rulebook.Problems
	if p.book, problems = rulebook.Compile([]byte(sprint)); p.book == nil {
		t.Fatal(problems)
	}
	if p.plan, problems = rulebook.CompileSeries(fmt.Appendf(nil, plan, bestOf)); p.plan == nil {
		t.Fatal(problems)
	}
	p.ada, p.bea = p.person("Ada"), p.person("Bea")
	return p
}

func (p *pier) person(name string) string {
	row := store.Player{ID: uuid.Must(uuid.NewV7()).String(), Name: name, CreatedAt: time.Now(), SeenAt: time.Now()}
	if err := db.Create(&row).Error; err != nil {
		p.Fatal(err)
	}
	return row.ID
}

// Open opens a lobby, or refuses to.
func (p *pier) Open(ctx context.Context, book *rulebook.Book, o hall.Opening) (*hall.Lobby, error) {
	if p.refuses.Add(-1) >= 0 {
		return nil, errors.New("no lobby today")
	}
	if o.Title != "Gulls and Terns" || !o.Hidden || o.Password == "" || o.Linger != 5*time.Minute {
		p.Errorf("a meeting's lobby is opened with %+v", o)
	}
	return p.Hall.Open(ctx, book, o)
}

// TellPlayer notes what a player is told.
func (p *pier) TellPlayer(account string, message any) {
	p.told <- told{account, message.(wire.SeriesDue)}
}

// Book is the only rulebook.
func (p *pier) Book(string) (*rulebook.Book, error) { return p.book, nil }

// node is a manager, whose lease the test moves.
type node struct {
	*series.Manager
	p     *pier
	epoch atomic.Int64
}

func (p *pier) node(name string, goesOn func(string) bool) *node {
	p.Helper()
	n := &node{p: p}
	n.epoch.Store(1)
	fence := func() store.Fence { return store.Fence{Node: name, Epoch: n.epoch.Load()} }
	n.Manager = series.New(db, p, fence, slog.New(slog.DiscardHandler))
	if err := n.Start(p.Context(), p, goesOn); err != nil {
		p.Fatal(err)
	}
	p.Cleanup(n.Stop)
	return n
}

func nowhere(string) bool { return false }

func (n *node) begin() (id string) {
	n.p.Helper()
	id, err := n.Open(n.p.Context(), n.p.plan, []series.Entrant{
		{Name: "Gulls", Players: []string{n.p.ada}}, {Name: "Terns", Players: []string{n.p.bea}}})
	if err != nil {
		n.p.Fatal(err)
	}
	return id
}

// await waits until a player is told what is wanted.
func (p *pier) await(player string, wanted func(d wire.SeriesDue) bool) wire.SeriesDue {
	p.Helper()
	for ctx := trial.Within(p.T, 10*time.Second); ; {
		select {
		case d := <-p.told:
			if d.player == player && wanted(d.SeriesDue) {
				return d.SeriesDue
			}
		case <-ctx.Done():
			p.Fatal("what is waited for is never told")
		}
	}
}

// lobby waits until the meeting has a lobby that is not the one before.
func (p *pier) lobby(before string) *hall.Lobby {
	p.Helper()
	d := p.await(p.ada, func(d wire.SeriesDue) bool { return d.Lobby != "" && d.Lobby != before })
	l, err := p.Find(d.Lobby)
	if err != nil {
		p.Fatal(err)
	}
	return l
}

// won is the result of a match of a lobby, with the outcomes of the players.
func (p *pier) won(number int64, ada, bea string) *step.Result {
	return &step.Result{Match: number, Because: "win", Players: []step.PlayerResult{
		{Account: p.ada, Outcome: ada}, {Account: p.bea, Outcome: bea}, {Account: "a stranger", Outcome: "won"}}}
}

// meeting is the only meeting of a series, as it is kept.
func (n *node) meeting(id string) (series.Meeting, *series.View) {
	n.p.Helper()
	v, err := n.Get(n.p.Context(), id)
	if err != nil {
		n.p.Fatal(err)
	}
	return v.Meetings[0], v
}

func (n *node) wins(id string, want string) {
	n.p.Helper()
	m, _ := n.meeting(id)
	if got := fmt.Sprintf("%s %d:%d", m.Stage, m.Sides[0].Wins, m.Sides[1].Wins); got != want {
		n.p.Errorf("the meeting %s, and not %s", got, want)
	}
}

// TestMatchesAreCounted: each match of a meeting's lobby counts once, for the entrant of whom alone somebody has won;
// what is played elsewhere, broken off, or told again does not.
func TestMatchesAreCounted(t *testing.T) {
	p := newPier(t, 5)
	n := p.node("n1", nowhere)
	id := n.begin()
	l := p.lobby("")
	if !n.Plays(l.ID) || n.Plays("another") {
		t.Error("the lobby is not the meeting's, or another is")
	}
	for player, against := range map[string]string{p.ada: "Terns", p.bea: "Gulls"} {
		if due := n.Due(player); len(due) != 1 || due[0].Lobby != l.Code || due[0].Against != against ||
			due[0].Stage != "comes" || due[0].Until == 0 {
			t.Errorf("due are %+v", due)
		}
	}
	if due := n.Due("a stranger"); len(due) != 0 {
		t.Errorf("a stranger is due: %+v", due)
	}
	closed, told := p.won(1, "won", "lost"), false
	closed.Because = step.BecauseClosed
	for _, of := range []struct {
		lobby string
		*step.Result
		want string
	}{
		{l.ID, closed, "comes 0:0"},
		{"another", p.won(1, "won", "lost"), "comes 0:0"},
		{l.ID, p.won(1, "drawn", "drawn"), "plays 0:0"},
		{l.ID, p.won(2, "won", "won"), "plays 0:0"},
		{l.ID, p.won(3, "lost", "won"), "plays 0:1"},
		{l.ID, p.won(3, "lost", "won"), "plays 0:1"},
		{l.ID, p.won(4, "won", "lost"), "plays 1:1"},
		{l.ID, p.won(5, "lost", "won"), "decided 1:2"},
		{l.ID, p.won(6, "won", "lost"), "decided 1:2"},
	} {
		n.Ended(of.lobby, of.Result)
		n.wins(id, of.want)
		if of.want == "plays 0:1" && !told { // the stage is the one of before
			d := p.await(p.ada, func(d wire.SeriesDue) bool { return d.Stage == "plays" && d.Lost > 0 })
			if told = true; d.Wins != 0 || d.Lost != 1 {
				t.Errorf("after a match she is told %+v", d)
			}
		}
	}
	for i, player := range []string{p.ada, p.bea} {
		var part store.SeriesPlayer
		if err := db.First(&part, "player_id = ?", player).Error; err != nil || part.Entrant != i+1 ||
			part.SeriesID != id {
			t.Errorf("kept of entrant %d: %+v, %v", i+1, part, err)
		}
	}
	d := p.await(p.bea, func(d wire.SeriesDue) bool { return d.Stage == "decided" })
	if !d.Won || d.Lobby != "" || d.Wins != 2 || d.Lost != 1 || d.Meeting != 1 || d.ID != id {
		t.Errorf("the winner is told %+v", d)
	}
	m, v := n.meeting(id)
	if m.Winner != "Terns" || m.Lobby != "" || !v.Over || v.Winner != "Terns" || v.Standings[0].Name != "Terns" {
		t.Errorf("kept is %+v", v)
	}
	if n.Plays(l.ID) || len(n.Due(p.ada)) != 0 {
		t.Error("a decided meeting goes on")
	}
	select { // the lobby closes once its result has been shown
	case gone := <-p.closed:
		if gone != l.ID {
			t.Errorf("another lobby closes: %s", gone)
		}
	case <-trial.Within(t, 10*time.Second).Done():
		t.Error("the lobby of a decided meeting stays open")
	}
	var inputs int64
	if db.Model(&store.SeriesInput{}).Count(&inputs); inputs != 6 { // opened, five matches
		t.Errorf("%d inputs are kept", inputs)
	}
}

// TestWhoIsLate: a side of which nobody is in the meeting's lobby when its time is over has lost to the one that is
// there; until then a place is held for each, whoever else would come in.
func TestWhoIsLate(t *testing.T) {
	p := newPier(t, 3)
	var later atomic.Int64
	n := p.node("n1", nowhere)
	n.SetNow(func() time.Time { return time.Now().Add(time.Duration(later.Load())) })
	id := n.begin()
	l := p.lobby("")
	if _, err := l.Join(t.Context(), hall.Joining{Account: p.bea, Name: "Bea"}); err != nil {
		t.Fatal(err)
	}
	if _, err := l.Join(t.Context(), hall.Joining{Account: "a stranger", Name: "Cy"}); err == nil {
		t.Error("a stranger has got a place in a meeting")
	}
	n.wins(id, "comes 0:0")
	later.Store(int64(5*time.Minute + time.Second))
	d := p.await(p.bea, func(d wire.SeriesDue) bool { return d.Stage == "decided" })
	if m, _ := n.meeting(id); !d.Won || m.Winner != "Terns" || m.Why != "walkover" {
		t.Errorf("who was there is told %+v; the meeting is %+v", d, m)
	}
}

// TestNotKeptHasNotHappened: an input that cannot be kept, because another node has taken over, changes nothing here
// either; it is taken when it can be kept.
func TestNotKeptHasNotHappened(t *testing.T) {
	p := newPier(t, 3)
	n := p.node("n1", nowhere)
	id := n.begin()
	p.lobby("")
	n.epoch.Store(2)
	for _, do := range []func() error{func() error { return n.Withdraw(t.Context(), id, "Gulls") },
		func() error { return n.End(t.Context(), id, "a storm") }} {
		if err := do(); fault.CodeOf(err) != code.Internal {
			t.Errorf("without the lease: %v", err)
		}
	}
	if m, v := n.meeting(id); m.Stage != "comes" || v.Over || len(n.Due(p.ada)) != 1 {
		t.Errorf("what was not kept happened: %+v", v)
	}
	n.epoch.Store(1)
	if err := n.Withdraw(t.Context(), id, "Puffins"); fault.CodeOf(err) != code.BadSeries {
		t.Errorf("nobody withdraws: %v", err)
	}
	if err := n.Withdraw(t.Context(), id, "Gulls"); err != nil {
		t.Fatal(err)
	}
	if m, v := n.meeting(id); m.Winner != "Terns" || m.Why != "withdrawn" || !v.Over {
		t.Errorf("withdrawn: %+v", v)
	}
	if err := n.End(t.Context(), id, "late"); fault.CodeOf(err) != code.BadSeries {
		t.Errorf("a series that is over ends: %v", err)
	}
	if err := n.End(t.Context(), "nothing", ""); fault.CodeOf(err) != code.NoSeries {
		t.Errorf("a series that is not there ends: %v", err)
	}
}

// TestLobbiesAreOpenedAgain: a lobby that cannot be opened is tried again, and one that is gone is replaced; each time
// the players hear of it.
func TestLobbiesAreOpenedAgain(t *testing.T) {
	p := newPier(t, 3)
	p.refuses.Store(2)
	n := p.node("n1", nowhere)
	id := n.begin()
	one := p.lobby("")
	n.Ended(one.ID, p.won(1, "won", "lost"))
	n.Closed("another")
	n.wins(id, "plays 1:0")
	n.Closed(one.ID)
	two := p.lobby(one.Code)
	n.wins(id, "plays 1:0")
	n.Ended(one.ID, p.won(2, "won", "lost")) // of the lobby that is gone
	n.wins(id, "plays 1:0")
	n.Ended(two.ID, p.won(1, "won", "lost"))
	n.wins(id, "decided 2:0")
}

// TestAnotherNodeGoesOn: after a death the other node counts what was kept and not counted, opens lobbies that are gone
// anew and leaves the others; who gives series away forgets them.
func TestAnotherNodeGoesOn(t *testing.T) {
	for _, lives := range []bool{false, true} {
		t.Run(fmt.Sprint("the lobby lives ", lives), func(t *testing.T) {
			p := newPier(t, 3)
			dead, other := p.node("n1", nowhere), p.node("n2", nowhere)
			id := dead.begin()
			l := p.lobby("")
			if err := db.Exec("select results_month(now())").Error; err != nil {
				t.Fatal(err)
			}
			for number, r := range []*step.Result{p.won(1, "won", "lost"), p.won(2, "lost", "won")} {
				text, _ := json.Marshal(r)
				row := store.Match{ID: uuid.Must(uuid.NewV7()).String(), EndedAt: time.Now(), LobbyID: l.ID,
					Number: int64(number + 1), Result: text}
				if err := db.Create(&row).Error; err != nil {
					t.Fatal(err)
				}
			}
			dead.Ended(l.ID, p.won(1, "won", "lost"))
			if err := dead.Give(t.Context(), ""); err != nil || dead.Plays(l.ID) || len(dead.Due(p.ada)) != 0 {
				t.Errorf("given away, and still played: %v", err)
			}
			rows, err := other.TakeFrom(db.WithContext(t.Context()), "n1")
			if err != nil || len(rows) != 1 {
				t.Fatalf("%d series are taken over: %v", len(rows), err)
			}
			if ids := other.Lobbies(rows); len(ids) != 1 || ids[0] != l.ID {
				t.Errorf("they are played in %v", ids)
			}
			if err := other.Adopt(t.Context(), rows, func(string) bool { return lives }); err != nil {
				t.Fatal(err)
			}
			if !lives {
				l = p.lobby(l.Code)
			}
			other.wins(id, "plays 1:1")
			other.Ended(l.ID, p.won(3, "won", "lost"))
			other.wins(id, "decided 2:1")
		})
	}
}

// TestGiven: a series that a node gives to another is that one's, once, and no other's.
func TestGiven(t *testing.T) {
	p := newPier(t, 3)
	n, other, third := p.node("n1", nowhere), p.node("n2", nowhere), p.node("n3", nowhere)
	id := n.begin()
	l := p.lobby("")
	if err := n.Give(t.Context(), "n2"); err != nil || n.Plays(l.ID) {
		t.Fatalf("given away, and still played: %v", err)
	}
	n.Ended(l.ID, p.won(1, "won", "lost"))
	other.wins(id, "comes 0:0")
	if err := n.End(t.Context(), id, ""); fault.CodeOf(err) != code.BadSeries {
		t.Errorf("ended where it is not run: %v", err)
	}
	for i, of := range []*node{third, other, other} {
		rows, err := of.Given(db.WithContext(t.Context()))
		if err != nil || len(rows) != []int{0, 1, 0}[i] {
			t.Fatalf("given: %d series, %v", len(rows), err)
		}
		if err := of.Adopt(t.Context(), rows, func(string) bool { return true }); err != nil {
			t.Fatal(err)
		}
	}
	other.Ended(l.ID, p.won(1, "won", "lost"))
	other.wins(id, "plays 1:0")
	list, err := third.List(t.Context(), time.Time{}, "", 5)
	if err != nil || len(list) != 1 || list[0].ID != id || list[0].Entrants != 2 || list[0].Form != "meeting" {
		t.Fatalf("listed: %+v, %v", list, err)
	}
	if list, err = third.List(t.Context(), list[0].Opened, id, 5); err != nil || len(list) != 0 {
		t.Errorf("after the oldest: %+v, %v", list, err)
	}
}
