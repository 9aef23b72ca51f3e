// Package directory knows which lobbies there are, on any node: it keeps a row for each in the database, lists them,
// and tells who watches the list what changes in it. The lobbies themselves are in package hall.
package directory

import (
	"context"
	"errors"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire"
)

// Entry is what the directory says of a lobby. Entries are compared with ==.
type Entry struct {
	wire.LobbyInfo
	ID     string // unique for ever, where the code is only while the lobby is open
	Node   string // on which it is alive
	Epoch  int64  // of the node, under which it is
	Listed bool   // listings show it
}

// ErrCode is what Open returns when another open lobby has the code.
var ErrCode = errors.New("another open lobby has this join code")

// Directory is the directory in the database. It may be used by several goroutines.
type Directory struct {
	db        *store.DB
	announced announced
	group     group
}

// New returns the directory of a database.
func New(db *store.DB) *Directory { return &Directory{db: db} }

// Open adds a lobby. It is ErrCode when another open lobby has its code, and fault code.NameTaken when another one of
// the rulebook has its name. After ErrCode the call may be repeated with another code.
func (d *Directory) Open(ctx context.Context, e Entry) error {
	row := store.Lobby{
		ID:        e.ID,
		Code:      e.Code,
		Rulebook:  e.Rulebook,
		Version:   e.Version,
		Title:     e.Title,
		Region:    e.Region,
		Node:      e.Node,
		Epoch:     e.Epoch,
		State:     e.State,
		Seats:     e.Seats,
		Capacity:  e.Capacity,
		Free:      e.Free,
		Waiting:   e.Waiting,
		Arena:     e.Arena,
		Password:  e.Password,
		Practice:  e.Practice,
		Open:      e.Open,
		Listed:    e.Listed,
		CreatedAt: e.Opened,
		UpdatedAt: e.Opened, // the database puts its own time in its place
	}
	if e.Name != "" {
		row.Name = &e.Name
	}
	err := d.db.WithContext(ctx).Create(&row).Error
	if !errors.Is(err, store.ErrDuplicate) {
		return err
	}
	if e.Name != "" {
		if c, err := d.Named(ctx, e.Rulebook, e.Name); err != nil || c != "" {
			return errors.Join(err, nameTaken(&e))
		}
	}
	return ErrCode
}

func nameTaken(e *Entry) error {
	return fault.New(code.NameTaken, "an open lobby of %s is called %q already", e.Rulebook, e.Name)
}

// Give gives a lobby, and its journal, to another node, which takes it as soon as it sees that; store.ErrFenced if it
// is no longer this node's to give. It may be repeated.
func (d *Directory) Give(ctx context.Context, lobby string, fence store.Fence, to string) error {
	return d.db.WithContext(ctx).Transaction(func(tx *store.Tx) error {
		done := tx.Exec("update lobbies set node = ?, epoch = 0 where id = ? and closed_at is null and "+
			"(node = ? and epoch = ? or node = ? and epoch = 0)", to, lobby, fence.Node, fence.Epoch, to)
		if done.Error != nil {
			return done.Error
		}
		if done.RowsAffected == 0 {
			return store.ErrFenced
		}
		return tx.Exec("update ledger_lobbies set node = ? where lobby_id = ?", to, lobby).Error
	})
}

// Place returns the open lobby with a join code, and where it is alive; nil if there is none.
func (d *Directory) Place(ctx context.Context, joinCode string) (*Entry, error) {
	var rows []store.Lobby
	err := d.db.WithContext(ctx).Find(&rows, "code = ? and closed_at is null", joinCode).Error
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	return &Entry{LobbyInfo: infoOf(&rows[0]), ID: rows[0].ID, Node: rows[0].Node, Epoch: rows[0].Epoch,
		Listed: rows[0].Listed}, nil
}

// maxRoomy is how many nodes are looked at for a lobby with room.
const maxRoomy = 5

// Roomy returns the nodes, but one, on which open lobbies of a version of a rulebook have so many free places, the one
// with the fullest of them first; only in some regions, if any are named.
func (d *Directory) Roomy(ctx context.Context, rulebook, version string, free int, regions []string, but string) (
	nodes []string, err error,
) {
	q := d.db.WithContext(ctx).Model(&store.Lobby{}).Where("closed_at is null and listed and open and not password "+
		"and not practice and rulebook = ? and version = ? and free >= ? and node <> ?", rulebook, version, free, but)
	if len(regions) > 0 {
		q = q.Where("region in ?", regions)
	}
	return nodes, q.Group("node").Order("min(free), node").Limit(maxRoomy).Pluck("node", &nodes).Error
}

// Closed is the state of a lobby that is no more.
const Closed = "closed"

// Named returns the code of the open lobby of a rulebook that has a name, whatever its case; "" if there is none.
func (d *Directory) Named(ctx context.Context, rulebook, name string) (string, error) {
	var row store.Lobby
	err := d.db.WithContext(ctx).
		First(&row, "rulebook = ? and lower(name) = lower(?) and closed_at is null", rulebook, name).
		Error
	if errors.Is(err, store.ErrNotFound) {
		return "", nil
	}
	return row.Code, err
}

// infoOf makes what listings show of a row.
func infoOf(r *store.Lobby) wire.LobbyInfo {
	i := wire.LobbyInfo{
		Code:     r.Code,
		Rulebook: r.Rulebook,
		Version:  r.Version,
		Title:    r.Title,
		Region:   r.Region,
		State:    r.State,
		Seats:    r.Seats,
		Capacity: r.Capacity,
		Free:     r.Free,
		Waiting:  r.Waiting,
		Arena:    r.Arena,
		Practice: r.Practice,
		Open:     r.Open,
		Password: r.Password,
		Opened:   r.CreatedAt,
	}
	if r.Name != nil {
		i.Name = *r.Name
	}
	return i
}
