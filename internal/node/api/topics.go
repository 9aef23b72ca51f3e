package api

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/audit"
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
		"results": {Stands: s.newestResults, Read: s.topicResults},
		"nodes":   {Scope: account.Read, Read: s.topicNodes},
		"metrics": {Scope: account.Read, Read: s.topicMetrics},
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
