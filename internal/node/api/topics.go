package api

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/audit"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/socket"
	"turnvex.example/turnvex/internal/wire"
)

// The most rows of a topic.
const (
	topicResults = 20
	topicAudit   = 50
)

// watchable are the topics of what routes tell.
func (s *server) watchable() map[string]socket.Topic {
	return map[string]socket.Topic{
		"results": {Of: []string{"rulebook", "lobby"}, Stands: s.newestResults, Read: s.topicResults},
		"nodes":   {Scope: account.Read, Read: s.topicNodes},
		"metrics": {Scope: account.Read, Read: s.topicMetrics},
		"record":  {Of: []string{"rulebook", "player"}, Read: s.topicRecord},
		"audit":   {Scope: account.Operator, Stands: s.newestAudit, Read: s.topicAudit},
	}
}

func (s *server) newestResults(ctx context.Context) (string, error) {
	var ids []string
	err := s.DB.WithContext(ctx).Raw("select id from matches order by ended_at desc, id desc limit ?", topicResults).
		Scan(&ids).Error
	return strings.Join(ids, " ") + ".", err
}

func (s *server) newestAudit(ctx context.Context) (string, error) {
	lines, err := s.Audit.Read(ctx, audit.Query{Limit: topicAudit})
	return fmt.Sprint(lines), err
}

func (s *server) topicResults(r *http.Request, who *account.Who, t *wire.TopicWatch) (rows []wire.TopicRow, err error) {
	q := url.Values{"limit": {strconv.Itoa(topicResults)}}
	if t.Rulebook != "" {
		q.Set("rulebook", t.Rulebook)
	}
	if t.Lobby != "" {
		q.Set("lobby", t.Lobby)
	}
	out, err := (&results{s}).listMatches(&call{r: r, who: who, q: q})
	if err != nil {
		return nil, err
	}
	for _, m := range out.(Matches).Matches {
		rows = append(rows, wire.TopicRow{Key: m.ID, Row: m})
	}
	return rows, nil
}

// topicRecord is a player's record of a rulebook: their own, or for service keys anybody's.
func (s *server) topicRecord(r *http.Request, who *account.Who, t *wire.TopicWatch) (rows []wire.TopicRow, err error) {
	player := t.Player
	if who.IsPlayer() {
		if player = who.Player; t.Player != "" && t.Player != player {
			return nil, fault.New(code.Forbidden, "players watch their own record; a service key watches anybody's")
		}
	}
	book, err := s.Library.Book(t.Rulebook)
	if err != nil {
		return nil, err
	}
	if _, err := s.Accounts.Player(r.Context(), player); err != nil {
		return nil, err
	}
	out, err := s.recordFor(r.Context(), who, player, book)
	return []wire.TopicRow{{Key: player, Row: out}}, err
}

func (s *server) topicNodes(*http.Request, *account.Who, *wire.TopicWatch) (rows []wire.TopicRow, err error) {
	for _, m := range s.Cluster.Members() {
		rows = append(rows, wire.TopicRow{Key: m.Name, Row: (&nodes{s}).node(&m)})
	}
	return rows, nil
}

func (s *server) topicMetrics(*http.Request, *account.Who, *wire.TopicWatch) (rows []wire.TopicRow, err error) {
	for _, p := range s.Meter.History() {
		rows = append(rows, wire.TopicRow{Key: strconv.FormatInt(p.At, 10), Row: p})
	}
	return rows, nil
}

func (s *server) topicAudit(r *http.Request, _ *account.Who, _ *wire.TopicWatch) (rows []wire.TopicRow, err error) {
	lines, err := s.Audit.Read(r.Context(), audit.Query{Limit: topicAudit})
	for _, l := range lines {
		rows = append(rows, wire.TopicRow{Key: strconv.FormatInt(l.ID, 10), Row: l})
	}
	return rows, err
}
