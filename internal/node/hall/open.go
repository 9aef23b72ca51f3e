package hall

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/lobby"
	"turnvex.example/turnvex/internal/core/names"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
)

// Opening is how a lobby is asked for.
type Opening struct {
	Name      string         // by which open-or-join finds it; "" for none
	Title     string         // the rulebook's if it is empty
	Capacity  int            // 0: what the rulebook allows
	Practice  bool           // nothing of it is kept
	Hidden    bool           // by code only, not listed
	Hostless  bool           // nobody is its host
	Closed    bool           // takes no newcomers at first
	Password  string         // as it was typed; "" for none
	Watchers  int            // 0: what the rulebook allows, negative: nobody
	Regions   []string       // one of them must be this node's, if any are given
	By        string         // the account of who opens it; "" for a service
	Reserve   []string       // accounts that places are held for; with Closed nobody else comes in but who opens it
	ReserveMS int64          // how long; a minute if 0
	ComeMS    int64          // how soon the first of them must come, or nobody is waited for; 0: as the others
	Party     string         // the accounts belong together
	Due       bool           // of a series that runs: opened even where the node has too much to do
	Linger    time.Duration  // how long it stays open before anybody has come; a minute if 0
	Options   map[string]any // of the rulebook, as programs send them
}

// The limits of an opening.
const (
	maxTitle    = 60
	maxPassword = 100
	maxReserve  = 50
	maxHold     = 10 * time.Minute
)

// Open opens a lobby with a rulebook. When another open lobby of the rulebook has the same name, it is fault
// code.NameTaken.
func (h *Hall) Open(ctx context.Context, book *rulebook.Book, o Opening) (*Lobby, error) {
	h.mu.Lock()
	drains := h.drains
	h.mu.Unlock()
	if drains {
		return nil, fault.New(code.Stopping, "this node opens no more lobbies; another one does")
	}
	if h.Overloaded() && !o.Due {
		return nil, h.errOverloaded()
	}
	options, err := readOptions(book, o.Options)
	if err != nil {
		return nil, err
	}
	if err := h.checkOpening(book, &o); err != nil {
		return nil, err
	}
	o.Practice = o.Practice || h.cfg.Practice
	setup := lobby.Setup{Title: o.Title, Region: h.cfg.Region, Capacity: o.Capacity, Practice: o.Practice,
		Options: options, Seed: seed(), Hidden: o.Hidden, Hostless: o.Hostless, Closed: o.Closed,
		Password: h.digest(o.Password), Watchers: o.Watchers, Linger: o.Linger}
	id := uuid.Must(uuid.NewV7()).String()
	for range 20 {
		setup.Code = NewCode()
		l := newLobby(h, id, o.Name, book, setup, nil)
		if err = h.open(ctx, l, func() {
			if len(o.Reserve) > 0 {
				l.step(&step.Input{Kind: step.Reserve, Names: o.Reserve, Text: o.Party, Yes: true,
					N: o.ReserveMS * int64(book.Rate) / 1000, X: o.ComeMS * int64(book.Rate) / 1000})
			}
		}); err == nil {
			return l, nil
		}
		if !errors.Is(err, directory.ErrCode) {
			return nil, err
		}
	}
	return nil, err
}

// open makes a lobby known, with the first that it takes in, and lets it live. Whoever has found it in the directory
// before it lives waits for that.
func (h *Hall) open(ctx context.Context, l *Lobby, first func()) error {
	lives := make(chan struct{})
	h.mu.Lock()
	h.opening[l.Code] = lives
	h.mu.Unlock()
	defer func() {
		h.mu.Lock()
		delete(h.opening, l.Code)
		h.mu.Unlock()
		close(lives)
	}()
	if g := h.cfg.Ledger; g != nil {
		if err := g.Open(ctx, l.head(), l.m.Save()); err != nil {
			return err
		}
		l.memory = newMemory(l.room, l.seats.whose)
		first()
		l.sign.setEntry(l.sign.present())
		if err := h.listed(ctx, l); err != nil {
			return errors.Join(err, g.Drop(context.WithoutCancel(ctx), l.ID))
		}
		return h.start(l, nil)
	}
	first()
	l.sign.setEntry(l.sign.present())
	if err := h.listed(ctx, l); err != nil {
		return err
	}
	return h.start(l, nil)
}

func (h *Hall) listed(ctx context.Context, l *Lobby) error {
	return h.cfg.Directory.Open(ctx, l.sign.entry)
}

// Lives returns when a lobby that is being opened here lives.
func (h *Hall) Lives(ctx context.Context, joinCode string) {
	h.mu.Lock()
	lives := h.opening[joinCode]
	h.mu.Unlock()
	if lives == nil {
		return
	}
	select {
	case <-lives:
	case <-ctx.Done():
	}
}

// digest is what is kept of a lobby's password; "" for none.
func (h *Hall) digest(password string) string {
	if password == "" {
		return ""
	}
	mac := hmac.New(sha256.New, h.cfg.Secret)
	mac.Write([]byte(password))
	return hex.EncodeToString(mac.Sum(nil))
}

func (h *Hall) checkOpening(book *rulebook.Book, o *Opening) error {
	var err error
	if o.Title, err = names.Line(o.Title, maxTitle); err != nil {
		return fault.New(code.BadName, "a lobby's title %s", err)
	}
	if o.Name, err = names.Line(o.Name, maxTitle); err != nil {
		return fault.New(code.BadName, "a lobby's name %s", err)
	}
	if o.ReserveMS == 0 {
		o.ReserveMS = 60_000
	}
	if o.Closed && o.By != "" {
		o.Reserve = append(slices.Clone(o.Reserve), o.By)
	}
	slices.Sort(o.Reserve)
	o.Reserve = slices.Compact(o.Reserve)
	most := min(maxReserve, cmp.Or(o.Capacity, book.Players.Most))
	switch {
	case o.Capacity < 0 || o.Capacity > book.Players.Most || o.Capacity > 0 && o.Capacity < book.Players.Least:
		return fault.New(code.OutOfRange, "the capacity of a lobby of %s is from %d to %d, not %d",
			book.Name, book.Players.Least, book.Players.Most, o.Capacity)
	case len(o.Password) > maxPassword:
		return fault.New(code.TooLarge, "a lobby's password has at most %d bytes", maxPassword)
	case len(o.Reserve) > most:
		return fault.New(code.OutOfRange, "this lobby has %d places, and %d are to be held, with that of who opens a "+
			"closed one", most, len(o.Reserve))
	case o.ReserveMS < 0 || o.ReserveMS > maxHold.Milliseconds():
		return fault.New(code.OutOfRange, "places are held for at most %s", maxHold)
	case len(o.Regions) > 0 && !slices.Contains(o.Regions, h.cfg.Region):
		return fault.New(code.WrongRegion, "this node is in the region %s, not in %s; ask a node there", h.cfg.Region,
			strings.Join(o.Regions, ", or "))
	case len(book.Regions) > 0 && !slices.Contains(book.Regions, h.cfg.Region):
		return fault.New(code.WrongRegion, "%s may be played in %s; this node is in %s", book.Name,
			strings.Join(book.Regions, ", "), h.cfg.Region)
	}
	return nil
}

// OpenOrJoin returns the code of the open lobby with the opening's name, or opens it. Two calls at the same moment, on
// any nodes, never make two.
func (h *Hall) OpenOrJoin(ctx context.Context, book *rulebook.Book,
	o Opening) (joinCode string, opened bool, err error) {
	for range 5 {
		if joinCode, err = h.cfg.Directory.Named(ctx, book.Name, o.Name); err != nil || joinCode != "" {
			h.Lives(ctx, joinCode)
			return joinCode, false, err
		}
		l, err := h.Open(ctx, book, o)
		if err == nil {
			return l.Code, true, nil
		}
		if fault.CodeOf(err) != code.NameTaken {
			return "", false, err
		}
	}
	return "", false, fault.New(code.NameTaken, "the lobby %q opens and closes too fast to be joined; try again",
		o.Name)
}
