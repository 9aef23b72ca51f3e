package store

import (
	"errors"

	"gorm.io/gorm/clause"
)

// Fence is the lease under which something is written: a node's name, and its epoch. The zero value is no fence.
type Fence struct {
	Node  string
	Epoch int64
}

// ErrFenced is what a write fails with whose node no longer holds the lease under which it was begun. It is never tried
// again.
var ErrFenced = errors.New("the lease under which this was begun is lost: another node has taken over")

// Holds makes sure that a lobby is still the fence's, and stays so until the transaction ends.
func (f Fence) Holds(tx *Tx, lobby string) error {
	if f.Node == "" {
		return nil
	}
	var there []Lobby
	err := tx.Clauses(clause.Locking{Strength: "KEY SHARE"}).Select("id").
		Find(&there, "id = ? and node = ? and epoch = ?", lobby, f.Node, f.Epoch).Error
	if err == nil && len(there) == 0 {
		err = ErrFenced
	}
	return err
}
