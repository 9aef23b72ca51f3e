package series

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/series"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/live/safe"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// look is how often it looks who is late, and holds places anew; holdFor is for how long.
const (
	look    = 2 * time.Second
	holdFor = time.Minute
)

// Hall is what it needs of hall.Hall.
type Hall interface {
	Open(ctx context.Context, book *rulebook.Book, o hall.Opening) (*hall.Lobby, error)
	Find(joinCode string) (*hall.Lobby, error)
	TellPlayer(account string, message any)
}

// Library is what it needs of library.Library.
type Library interface {
	Book(name string) (*rulebook.Book, error)
}

// Manager runs the series of this node. It may be used by several goroutines.
type Manager struct {
	db   *store.DB
	hall Hall
	lib  Library
	log  *slog.Logger
	node string
	now  func() time.Time

	fence func() store.Fence

	mu   sync.Mutex
	live map[string]*run  // guarded by mu; by id, those that are not over
	at   map[string]place // guarded by mu; the meetings by the lobbies they are in, by its ID
	stop chan struct{}
	done sync.WaitGroup
}

// place is a meeting of a series.
type place struct {
	run     *run
	meeting int
}

// run is one series. Its lock is held while an input is taken and kept.
type run struct {
	id string
	mu sync.Mutex
	m  *series.Machine // guarded by mu
}

// New returns a manager for a node; nothing runs before Start.
func New(db *store.DB, lib Library, fence func() store.Fence, log *slog.Logger) *Manager {
	return &Manager{db: db, lib: lib, node: fence().Node, fence: fence, log: log, now: time.Now,
		live: map[string]*run{},
		at:   map[string]place{}, stop: make(chan struct{})}
}

// Start goes on with every series of this node that is not over.
func (x *Manager) Start(ctx context.Context, h Hall, goesOn func(lobbyID string) bool) error {
	x.hall = h
	rows, err := x.TakeFrom(x.db.WithContext(ctx), x.node)
	if err == nil {
		err = x.Adopt(ctx, rows, goesOn)
	}
	safe.In(&x.done, "watch series", x.watch)
	return err
}

// TakeFrom makes the series of a node this one's, and returns them.
func (x *Manager) TakeFrom(tx *store.Tx, node string) (rows []store.Series, err error) {
	f := x.fence()
	return rows, tx.Raw("update series set node = ?, epoch = ? where node = ? and not over and (node <> ? or epoch < "+
		"?) returning *", f.Node, f.Epoch, node, f.Node, f.Epoch).Scan(&rows).Error
}

// Given takes the series that were given to this node.
func (x *Manager) Given(tx *store.Tx) (rows []store.Series, err error) {
	f := x.fence()
	return rows, tx.Raw("update series set epoch = ? where node = ? and not over and epoch = 0 returning *", f.Epoch,
		f.Node).Scan(&rows).Error
}

// Mine returns those of some series that are this node's and do not run: of what was taken it may not be known whether
// it was.
func (x *Manager) Mine(ctx context.Context, rows []store.Series) (mine []store.Series, err error) {
	var ids []string
	x.mu.Lock()
	for i := range rows {
		if x.live[rows[i].ID] == nil {
			ids = append(ids, rows[i].ID)
		}
	}
	x.mu.Unlock()
	f := x.fence()
	return mine, x.db.WithContext(ctx).Find(&mine, "id in ? and node = ? and epoch = ? and not over", ids, f.Node,
		f.Epoch).Error
}

// Lobbies are the IDs of the lobbies in which series are played.
func (x *Manager) Lobbies(rows []store.Series) (ids []string) {
	for i := range rows {
		var s series.State
		if json.Unmarshal(rows[i].State, &s) != nil {
			continue // Adopt says so
		}
		for _, m := range s.Meetings {
			if m.LobbyID != "" && m.Stage != series.Decided {
				ids = append(ids, m.LobbyID)
			}
		}
	}
	return ids
}

// Adopt goes on with series. What was played and not counted yet is counted first; lobbies of an earlier run that do
// not go on are gone.
func (x *Manager) Adopt(ctx context.Context, rows []store.Series, goesOn func(lobbyID string) bool) error {
	for i := range rows {
		plan, problems := rulebook.CompileSeries(rows[i].Plan)
		if plan == nil {
			x.log.Error("a series no longer compiles and is left alone", "series", rows[i].ID, "error", problems)
			continue
		}
		m, do, err := series.Restore(plan, rows[i].State)
		if err != nil {
			x.log.Error("the state of a series cannot be read", "series", rows[i].ID, "error", err)
			continue
		}
		r := &run{id: rows[i].ID, m: m}
		x.mu.Lock()
		x.live[r.id] = r
		x.mu.Unlock()
		if err := x.catchUp(ctx, r, goesOn); err != nil {
			return err
		}
		x.carryOut(r, do)
	}
	return nil
}

// Give gives all series of this node to another one, and forgets them; without one, it only forgets them: another node
// has taken them over.
func (x *Manager) Give(ctx context.Context, to string) error {
	x.mu.Lock()
	all := slices.Collect(maps.Values(x.live))
	x.mu.Unlock()
	for _, r := range all {
		r.mu.Lock() // nothing is being taken
	}
	defer func() {
		for _, r := range all {
			r.mu.Unlock()
		}
	}()
	if f := x.fence(); to != "" {
		err := x.db.WithContext(ctx).Exec("update series set node = ?, epoch = 0 where node = ? and epoch = ? and "+
			"not over",
			to, f.Node, f.Epoch).Error
		if err != nil {
			return err
		}
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	x.live, x.at = map[string]*run{}, map[string]place{}
	return nil
}

// Plays tells whether a lobby belongs to a series of this node.
func (x *Manager) Plays(lobbyID string) bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	_, is := x.at[lobbyID]
	return is
}

// Stop ends the watching. Series go on at the next start.
func (x *Manager) Stop() {
	close(x.stop)
	x.done.Wait()
}

// catchUp counts results that were kept and not counted, and notes which lobbies are gone.
func (x *Manager) catchUp(ctx context.Context, r *run, goesOn func(lobbyID string) bool) error {
	r.mu.Lock()
	meetings := slices.Clone(r.m.State().Meetings)
	r.mu.Unlock()
	for i, meeting := range meetings {
		if meeting.Lobby == "" || meeting.Stage == series.Decided {
			continue
		}
		var played []store.Match
		err := x.db.WithContext(ctx).Where("lobby_id = ?", meeting.LobbyID).Order("number").Find(&played).Error
		if err != nil {
			return err
		}
		for _, p := range played {
			var res step.Result
			if err := json.Unmarshal(p.Result, &res); err != nil {
				return err
			}
			x.result(ctx, place{r, i + 1}, meeting.LobbyID, p.Number, &res)
		}
		if goesOn(meeting.LobbyID) {
			x.mu.Lock()
			x.at[meeting.LobbyID] = place{r, i + 1}
			x.mu.Unlock()
			continue
		}
		x.take(ctx, r, series.Input{Kind: series.Gone, Meeting: i + 1, LobbyID: meeting.LobbyID})
	}
	return nil
}

// Entrant is who is to take part: a name, and player IDs.
type Entrant struct {
	Name    string   `json:"name"`
	Players []string `json:"players"`
}

// Open begins a series with entrants, the strongest first.
func (x *Manager) Open(ctx context.Context, plan *rulebook.Series, entrants []Entrant) (string, error) {
	book, err := x.lib.Book(plan.Rulebook)
	if err != nil {
		return "", err
	}
	if err := hall.CheckOptions(book, plan.Options); err != nil {
		return "", err
	}
	var list []series.Entrant
	for _, e := range entrants {
		list = append(list, series.Entrant{Name: e.Name, Players: e.Players})
	}
	m, do, err := series.New(plan, list)
	if err != nil {
		return "", fault.New(code.BadSeries, "%s", err)
	}
	r := &run{id: uuid.Must(uuid.NewV7()).String(), m: m}
	if err := x.insert(ctx, r); err != nil {
		return "", err
	}
	x.mu.Lock()
	x.live[r.id] = r
	x.mu.Unlock()
	x.carryOut(r, do)
	return r.id, nil
}

func (x *Manager) insert(ctx context.Context, r *run) error {
	state, err := r.m.Save()
	if err != nil {
		return err
	}
	plan, now := r.m.Plan(), x.now().UTC()
	return x.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		row := store.Series{ID: r.id, Name: plan.Name, Title: plan.Title, Node: x.node, Epoch: x.fence().Epoch,
			Plan: plan.Source, State: state,
			OpenedAt: now, ChangedAt: now, Over: r.m.State().Over}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		for i, e := range r.m.State().Entrants {
			for _, p := range e.Players {
				part := store.SeriesPlayer{PlayerID: p, SeriesID: r.id, Entrant: i + 1}
				if err := tx.Create(&part).Error; err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// take lets a series take an input and keeps what it came to, before anything follows from it. Refused is what cannot
// be: nothing has changed then.
func (x *Manager) take(ctx context.Context, r *run, in series.Input) (refused, failed error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	before, err := r.m.Save()
	if err != nil {
		return nil, err
	}
	in.At = x.now().UnixMilli()
	was := slices.Clone(r.m.State().Meetings)
	do, err := r.m.Step(in)
	if err != nil {
		return err, nil
	}
	if err := x.keep(ctx, r, in); err != nil { // as if it had not been
		again, _, bad := series.Restore(r.m.Plan(), before)
		if bad == nil {
			r.m = again
		}
		return nil, errors.Join(err, bad)
	}
	x.follow(r, was)
	x.carryOut(r, do)
	return nil, nil
}

func (x *Manager) keep(ctx context.Context, r *run, in series.Input) error {
	state, err := r.m.Save()
	if err != nil {
		return err
	}
	input, err := json.Marshal(in)
	if err != nil {
		return err
	}
	return x.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		f := x.fence()
		done := tx.Model(&store.Series{}).
			Where("id = ? and seq = ? and node = ? and epoch = ?", r.id, r.m.State().Seq-1, f.Node, f.Epoch).
			Updates(map[string]any{"state": state, "seq": r.m.State().Seq, "over": r.m.State().Over,
				"changed_at": x.now().UTC()})
		if done.Error != nil {
			return done.Error
		}
		if done.RowsAffected != 1 {
			return fault.New(code.Internal, "series %s is run elsewhere", r.id)
		}
		return tx.Create(&store.SeriesInput{SeriesID: r.id, Seq: r.m.State().Seq, Input: input}).Error
	})
}

// follow notes where the meetings are now, and tells those who are in one that has changed.
func (x *Manager) follow(r *run, was []series.Meeting) {
	s := r.m.State()
	for i, m := range s.Meetings {
		if was[i].Stage == m.Stage && was[i].Lobby == m.Lobby && len(was[i].Played) == len(m.Played) {
			continue
		}
		x.mu.Lock()
		if was[i].LobbyID != "" && was[i].LobbyID != m.LobbyID || m.Stage == series.Decided {
			delete(x.at, was[i].LobbyID)
		}
		if m.LobbyID != "" && m.Stage != series.Decided {
			x.at[m.LobbyID] = place{r, i + 1}
		}
		x.mu.Unlock()
		for k, side := range m.Sides {
			if side.Entrant == 0 {
				continue
			}
			for _, p := range s.Entrants[side.Entrant-1].Players {
				x.hall.TellPlayer(p, due(r, i+1, k))
			}
		}
	}
	if s.Over {
		x.mu.Lock()
		delete(x.live, r.id)
		x.mu.Unlock()
	}
}

// due is what the player of one side of a meeting is told.
func due(r *run, no, side int) wire.SeriesDue {
	s, m := r.m.State(), r.m.State().Meetings[no-1]
	d := wire.SeriesDue{Is: "series", ID: r.id, Name: r.m.Plan().Name, Title: r.m.Plan().Title, Meeting: no,
		Round: m.Round, Stage: string(m.Stage), Lobby: m.Lobby, Until: m.Until, Wins: m.Sides[side].Wins,
		Lost: m.Sides[1-side].Wins}
	if other := m.Sides[1-side].Entrant; other != 0 {
		d.Against = s.Entrants[other-1].Name
	}
	if m.Stage == series.Decided {
		d.Lobby, d.Won = "", m.Winner == m.Sides[side].Entrant && m.Winner != 0
	}
	return d
}

// carryOut does what a series asks for; in its own time, and for as long as it takes.
func (x *Manager) carryOut(r *run, do []series.Effect) {
	for _, e := range do {
		if e.Close != "" {
			safe.In(&x.done, "close a meeting", func() { x.closeLobby(e.Close) })
		} else {
			safe.In(&x.done, "open a meeting", func() { x.openLobby(r, e.Open) })
		}
	}
}

// closeLobby closes the lobby of a decided meeting when its result has been shown.
func (x *Manager) closeLobby(joinCode string) {
	if l, err := x.hall.Find(joinCode); err == nil {
		l.CloseAfter()
	}
}

// openLobby opens the lobby of a meeting, with a place held for each who is to play.
func (x *Manager) openLobby(r *run, no int) {
	for wait := 200 * time.Millisecond; ; wait = min(2*wait, 10*time.Second) {
		x.mu.Lock()
		ours := x.live[r.id] == r
		x.mu.Unlock()
		if !ours { // another node runs it
			return
		}
		err := x.tryOpen(r, no)
		if err == nil {
			return
		}
		x.log.Warn("could not open the lobby of a meeting; trying again", "series", r.id, "meeting", no, "error", err)
		select {
		case <-x.stop:
			return
		case <-time.After(wait):
		}
	}
}

func (x *Manager) tryOpen(r *run, no int) error {
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	r.mu.Lock()
	plan, m := r.m.Plan(), r.m.State().Meetings[no-1]
	entrants := slices.Clone(r.m.State().Entrants)
	r.mu.Unlock()
	if m.Stage != series.Opens {
		return nil // it has been decided meanwhile
	}
	book, err := x.lib.Book(plan.Rulebook)
	if err != nil {
		return err
	}
	title := entrants[m.Sides[0].Entrant-1].Name + " and " + entrants[m.Sides[1].Entrant-1].Name
	l, err := x.hall.Open(ctx, book, hall.Opening{Title: title, Hidden: true, Hostless: true, Due: true,
		Password: rand.Text(), Options: plan.Options, Linger: time.Duration(plan.Come) * time.Millisecond})
	if err != nil {
		return err
	}
	if err := hold(ctx, l, &m, entrants, &series.Input{}); err != nil { // before anybody is told to come
		l.CloseAfter()
		return err
	}
	refused, failed := x.take(ctx, r, series.Input{Kind: series.Opened, Meeting: no, Lobby: l.Code, LobbyID: l.ID})
	if refused != nil || failed != nil {
		l.CloseAfter()
		return failed
	}
	return nil
}
