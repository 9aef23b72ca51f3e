package feed

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// moment is a moment in the history of a database: which transactions had ended then.
//
// What was committed between two moments are the rows whose mark, the number of the transaction that changed them last,
// was not among those that had ended at the first one, and is at the second. A transaction that stays open for long
// costs one number in a list; nothing is read twice for it.
type moment struct {
	history string  // of which database, and of which of its timelines
	next    int64   // this and greater numbers had not begun
	open    []int64 // of the lower ones, those that had not ended
	at      time.Time
}

// forget is after how long what was told last no longer counts. Deleted rows leave their keys for longer than that.
const forget = 30 * time.Minute

func (m *moment) set() bool { return m.history != "" }

// before tells whether what has changed since can be told key by key: it is the same database, which was not set back,
// and not too long ago.
func (m *moment) before(now *moment) bool {
	return m.history == now.history && m.next <= now.next && now.at.Sub(m.at) < forget
}

// openList writes the numbers of the open transactions as an array of PostgreSQL's.
func (m *moment) openList() string {
	all := make([]string, len(m.open))
	for i, n := range m.open {
		all[i] = strconv.FormatInt(n, 10)
	}
	return "{" + strings.Join(all, ",") + "}"
}

// momentOf reads a snapshot as PostgreSQL writes it: xmin:xmax:xip_list.
func momentOf(history, snapshot string) (m moment, err error) {
	parts := strings.Split(snapshot, ":")
	if len(parts) != 3 || history == "" {
		return m, fmt.Errorf("the database says that its present moment is %q in %q", snapshot, history)
	}
	m.history, m.at = history, time.Now()
	if m.next, err = strconv.ParseInt(parts[1], 10, 64); err != nil {
		return m, err
	}
	for _, text := range strings.FieldsFunc(parts[2], func(r rune) bool { return r == ',' }) {
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil {
			return m, err
		}
		m.open = append(m.open, n)
	}
	return m, nil
}
