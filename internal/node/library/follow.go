package library

import (
	"context"
	"fmt"

	"turnvex.example/turnvex/internal/node/store"
)

// Look learns which versions of some rulebooks, or of all where names is nil, are current now. It returns the errors of
// those that do not compile here.
func (l *Library) Look(ctx context.Context, names []string) (bad []error, err error) {
	var rows []store.Rulebook
	q := l.db.WithContext(ctx).Select("name", "version").Where("current")
	if names != nil {
		q = q.Where("name in ?", names)
	}
	if err := q.Find(&rows).Error; err != nil {
		return nil, err
	}
	now := l.Current()
	for _, r := range rows {
		if b := now[r.Name]; b != nil && b.Version == r.Version {
			continue
		}
		if err := l.renew(ctx, r.Name, r.Version); err != nil {
			bad = append(bad, err)
		}
	}
	return bad, nil
}

// renew makes a version that another node has published the current one here. Once it is known that one does not
// compile it is not tried again.
func (l *Library) renew(ctx context.Context, name, version string) error {
	key := name + "@" + version
	l.mu.RLock()
	known := l.broken[key]
	l.mu.RUnlock()
	if known {
		return nil
	}
	var source []byte
	err := l.db.WithContext(ctx).Raw("select source from rulebooks where name = ? and version = ?", name, version).
		Row().Scan(&source)
	if err != nil {
		return fmt.Errorf("read the rulebook %s, version %s: %w", name, version, err)
	}
	book, problems := compile(name, source)
	l.mu.Lock()
	defer l.mu.Unlock()
	if book == nil {
		l.broken[key] = true
		return fmt.Errorf("the rulebook %s, version %s, which another node has published, does not compile here: %w",
			name, version, problems)
	}
	l.books[name] = book
	return nil
}
