package wire

import (
	"encoding/json"
	"strconv"
	"strings"
	"time"
)

// AppendJSON appends the page as encoding/json writes it, several times as fast: a page of a
// large board takes longer to write than to find. A test holds both to the same bytes.
func (p *BoardPage) AppendJSON(dst []byte) []byte {
	dst = appendText(append(dst, `{"rulebook":`...), p.Rulebook)
	dst = appendText(append(dst, `,"board":`...), p.Board)
	dst = appendText(append(dst, `,"title":`...), p.Title)
	dst = appendText(append(dst, `,"show":`...), p.Show)
	dst = appendText(append(dst, `,"order":`...), p.Order)
	dst = appendText(append(dst, `,"season":{"name":`...), p.Season.Name)
	dst = appendTime(append(dst, `,"begins":`...), p.Season.Begins)
	if p.Season.Ends != nil {
		dst = appendTime(append(dst, `,"ends":`...), *p.Season.Ends)
	}
	dst = appendText(append(dst, `,"state":`...), p.Season.State)
	dst = strconv.AppendInt(append(dst, `},"count":`...), int64(p.Count), 10)
	dst = strconv.AppendInt(append(dst, `,"first":`...), int64(p.First), 10)
	dst = append(dst, `,"rows":[`...)
	for i := range p.Rows {
		if i > 0 {
			dst = append(dst, ',')
		}
		dst = p.Rows[i].appendJSON(dst)
	}
	dst = append(dst, ']')
	if p.Next != "" {
		dst = appendText(append(dst, `,"next":`...), p.Next)
	}
	return append(dst, '}')
}

func (r *BoardRow) appendJSON(dst []byte) []byte {
	dst = strconv.AppendInt(append(dst, `{"place":`...), r.Place, 10)
	if r.Player != "" {
		dst = appendText(append(dst, `,"player":`...), r.Player)
	}
	if r.Team != "" {
		dst = appendText(append(dst, `,"team":`...), r.Team)
	}
	dst = appendText(append(dst, `,"name":`...), r.Name)
	dst = strconv.AppendInt(append(dst, `,"value":`...), r.Value, 10)
	dst = appendTime(append(dst, `,"posted":`...), r.Posted)
	if r.Match != "" {
		dst = appendText(append(dst, `,"match":`...), r.Match)
	}
	return append(dst, '}')
}

// plain are the bytes that JSON writes as they are.
var plain = func() (t [256]bool) {
	for c := ' '; c <= '~'; c++ {
		t[c] = !strings.ContainsRune(`"\<>&`, c)
	}
	return t
}()

// appendText appends a text; one that is not plain ASCII is left to the library.
func appendText(dst []byte, s string) []byte {
	for i := range len(s) {
		if !plain[s[i]] {
			quoted, _ := json.Marshal(s)
			return append(dst, quoted...)
		}
	}
	return append(append(append(dst, '"'), s...), '"')
}

func appendTime(dst []byte, t time.Time) []byte {
	return append(t.AppendFormat(append(dst, '"'), time.RFC3339Nano), '"')
}

// Cursor is where the cursor of the next page stands.
func (p *BoardPage) Cursor() *string { return &p.Next }
