package store

import (
	"context"
	"fmt"

	"gorm.io/gorm/clause"
)

// Setting is something that all nodes share and that is made at the first start.
type Setting struct {
	Name  string `gorm:"primaryKey"` // what it is
	Value string // a text; some are secrets
}

// Setting returns a setting; when it is not there it becomes the given value. Two nodes that start at once get the
// same.
func (d *DB) Setting(ctx context.Context, name, otherwise string) (string, error) {
	db := d.WithContext(ctx)
	if err := db.Clauses(clause.OnConflict{DoNothing: true}).Create(&Setting{name, otherwise}).Error; err != nil {
		return "", fmt.Errorf("keep the setting %s: %w", name, err)
	}
	var s Setting
	err := db.First(&s, "name = ?", name).Error
	return s.Value, err
}
