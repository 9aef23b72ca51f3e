package socket

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// topicEvery is how often a topic is looked at, and told at most.
const topicEvery = time.Second

// topicPlayers is the most rows of the topic players.
const topicPlayers = 500

// Topic is something that can be watched.
type Topic struct {
	Of    []string      // by what it may be narrowed: rulebook, lobby, player
	Scope account.Scope // that a service key needs to watch it; "" for anyone
	// Stands tells, for all who watch on this node, whether anything may have changed; nil where reading costs nothing.
	Stands func(context.Context) (string, error)
	Read   func(r *http.Request, who *account.Who, t *wire.TopicWatch) ([]wire.TopicRow, error)
}

// mayWatch tells whether who asks may watch what they ask for.
func (c *conn) mayWatch() error {
	if c.topic == nil {
		return nil
	}
	t, known := c.s.topics.all[c.topic.Name]
	if !known {
		return fault.New(code.OutOfRange, "there is no topic %.40q; there are: %s", c.topic.Name,
			strings.Join(slices.Sorted(maps.Keys(c.s.topics.all)), ", "))
	}
	if t.Scope != "" && !c.who.Can(t.Scope) && (t.Scope != account.Read || len(c.who.Scopes) == 0) {
		return fault.New(code.Forbidden, "the topic %s needs a service key with the scope %s", c.topic.Name, t.Scope)
	}
	for _, of := range [...]struct{ what, value string }{{"rulebook", c.topic.Rulebook}, {"lobby", c.topic.Lobby},
		{"player", c.topic.Player}} {
		if of.value != "" && !slices.Contains(t.Of, of.what) {
			return fault.New(code.OutOfRange, "the topic %s is not of a %s", c.topic.Name, of.what)
		}
	}
	return nil
}

// serveTopic sends a topic and what changes in it, until the connection ends.
func (c *conn) serveTopic(r *http.Request) {
	t := c.s.topics.all[c.topic.Name]
	stood, rows, err := c.lookAt(r, &t, "")
	if err != nil {
		c.refuse(err)
		return
	}
	if c.say(wire.Topic{Is: "topic", Name: c.topic.Name, Rows: rows}) != nil {
		return
	}
	told := shapes(rows)
	look := time.NewTicker(topicEvery)
	defer look.Stop()
	c.serveWatch(nil, look.C, onlyPongs, func() error {
		var err error
		if stood, rows, err = c.lookAt(r, &t, stood); err != nil || rows == nil {
			if fault.CodeOf(err) == code.BadToken {
				return err
			}
			return nil // the database may be away: the next look tells
		}
		news := wire.News{Is: "news", Order: make([]string, 0, len(rows))}
		next := shapes(rows)
		for i := range rows {
			news.Order = append(news.Order, rows[i].Key)
			if !bytes.Equal(next[rows[i].Key], told[rows[i].Key]) {
				news.Set = append(news.Set, rows[i])
			}
		}
		if len(news.Set) == 0 && len(next) == len(told) {
			return nil
		}
		told = next
		return c.tell(news)
	})
}

// lookAt reads a topic, if it may stand differently than it stood; no rows if it does not.
func (c *conn) lookAt(r *http.Request, t *Topic, stood string) (stands string, rows []wire.TopicRow, err error) {
	ctx, over := context.WithTimeout(r.Context(), c.s.Within())
	defer over()
	if t.Stands != nil {
		if stands, err = c.s.topics.look(ctx, c.topic.Name, t); err != nil || stands == stood && stood != "" {
			return stood, nil, err
		}
	}
	rows, err = t.Read(r.WithContext(ctx), c.who, c.topic)
	if err != nil {
		return stood, nil, err // the next look reads it again
	}
	if rows == nil {
		rows = []wire.TopicRow{}
	}
	return stands, rows, nil
}

func shapes(rows []wire.TopicRow) map[string][]byte {
	out := make(map[string][]byte, len(rows))
	for i := range rows {
		out[rows[i].Key], _ = json.Marshal(rows[i].Row)
	}
	return out
}

// lookouts know how topics stood when they were looked at last, for all who watch them here.
type lookouts struct {
	all map[string]Topic // by name

	mu sync.Mutex
	of map[string]*lookout // guarded by mu
}

type lookout struct {
	mu     sync.Mutex
	at     time.Time // guarded by mu
	stands string    // guarded by mu
}

// look asks how a topic stands, at most once a second however many watch it.
func (all *lookouts) look(ctx context.Context, name string, t *Topic) (string, error) {
	all.mu.Lock()
	if all.of == nil {
		all.of = map[string]*lookout{}
	}
	if all.of[name] == nil {
		all.of[name] = &lookout{}
	}
	l := all.of[name]
	all.mu.Unlock()
	l.mu.Lock()
	defer l.mu.Unlock()
	if time.Since(l.at) < topicEvery/2 {
		return l.stands, nil
	}
	stands, err := t.Stands(ctx)
	if err == nil {
		l.at, l.stands = time.Now(), stands
	}
	return stands, err
}

// Connected is a live connection of a node.
type Connected struct {
	Player  string    `json:"player,omitempty"` // none for a service key
	Name    string    `json:"name"`
	Address string    `json:"address"`
	Since   time.Time `json:"since"`
	Does    string    `json:"does"` // plays, watches, listing, board, topic or referee
	Lobby   string    `json:"lobby,omitempty"`
}

func (s *Socket) topicPlayers(*http.Request, *account.Who, *wire.TopicWatch) (rows []wire.TopicRow, err error) {
	for key, x := range s.conns.list(topicPlayers) {
		rows = append(rows, wire.TopicRow{Key: key, Row: x})
	}
	slices.SortFunc(rows, func(a, b wire.TopicRow) int { return strings.Compare(a.Key, b.Key) })
	return rows, nil
}

// list describes the connections, the longest first, at most so many.
func (all *conns) list(most int) map[string]Connected {
	all.mu.Lock()
	defer all.mu.Unlock()
	list := slices.SortedFunc(maps.Keys(all.all), func(a, b *conn) int { return cmp.Compare(a.no, b.no) })
	out := map[string]Connected{}
	for _, c := range list[:min(len(list), most)] {
		x := Connected{Player: c.who.Player, Name: c.who.Name, Address: c.from, Since: c.since.UTC()}
		switch {
		case c.list != nil:
			x.Does = "listing"
		case c.board != nil:
			x.Does = "board"
		case c.topic != nil:
			x.Does = "topic"
		case c.judge != nil:
			x.Does = "referee"
		case c.client != nil:
			x.Does, x.Lobby = "watches", c.client.Lobby()
			if c.client.First() != 0 {
				x.Does = "plays"
			}
		}
		out[fmt.Sprintf("%020d", c.no)] = x
	}
	return out
}
