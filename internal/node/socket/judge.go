package socket

import (
	"net/http"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/audit"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/wire"
)

// judging signs a referee in to all lobbies of a rulebook.
func (c *conn) judging(h *wire.Hello) error {
	if !h.Referee || !c.who.Can(account.Referee) {
		return fault.New(code.Forbidden, "a referee signs in with referee: true and a service key that has the scope "+
			"referee")
	}
	book, err := c.s.Library.Book(h.Judge)
	if err != nil {
		return err
	}
	c.judge = c.s.Hall.Judge(book.Name)
	return nil
}

// judgeSeats is for how many seats together a referee of many lobbies may send.
const judgeSeats = 32

// serveJudge asks a referee for decisions, and takes its words and acts, until the connection ends.
func (c *conn) serveJudge() {
	defer c.judge.Leave()
	if c.say(wire.Judging{Is: "judging", Rulebook: c.judge.Rulebook(), Lobbies: c.judge.Lobbies()}) != nil {
		return
	}
	c.limit = newInputLimit(judgeSeats)
	c.serveWatch(c.judge.Wake(), nil, c.judge.Receive, func() error {
		list, err := c.judge.Take()
		for _, m := range list {
			if err == nil {
				err = c.tell(m)
			}
		}
		return err
	})
}

// noteReferee writes into the audit trail that a service key decides as a referee; what it decides stands in the
// lobby's journal.
func (c *conn) noteReferee(r *http.Request, over string) error {
	done, err := c.s.Audit.Begin(r.Context(), audit.Line{Who: c.who.Name, What: "referee", Subject: over,
		Address: c.from})
	if err != nil {
		return err
	}
	return done(audit.Done)
}
