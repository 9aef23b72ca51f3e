package api

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httputil"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/cluster"
	"turnvex.example/turnvex/internal/node/directory"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/hall"
)

// A node passes on what is about a lobby of another node: the request as it came, and who sent it, signed with a secret
// that the nodes share. What was passed on is not passed on again.
const (
	peerHeader = "Turnvex-Passed-On"
	signedFor  = 30 * time.Second
)

// sign is what a node says of a request that it passes on: when, for whom, in which manner, and the signature of it.
func (s *server) sign(r *http.Request, client, manner string) string {
	said := fmt.Sprintf("%d %s %s", time.Now().UnixMilli(), client, manner)
	return said + " " + s.signature(r, said)
}

func (s *server) signature(r *http.Request, said string) string {
	mac := hmac.New(sha256.New, s.Peers)
	fmt.Fprintf(mac, "%s\n%s\n%s", r.Method, r.URL.RequestURI(), said)
	return hex.EncodeToString(mac.Sum(nil))
}

// passedOn reads from where a request comes that another node has passed on, and in which manner; ok is false for all
// others.
func (s *server) passedOn(r *http.Request) (client, manner string, ok bool) {
	said := r.Header.Get(peerHeader)
	words := strings.Split(said, " ")
	if len(words) != 4 || len(s.Peers) == 0 {
		return "", "", false
	}
	at, err := strconv.ParseInt(words[0], 10, 64)
	if err != nil || time.Since(time.UnixMilli(at)).Abs() > signedFor {
		return "", "", false
	}
	said = said[:strings.LastIndexByte(said, ' ')]
	return words[1], words[2], hmac.Equal([]byte(words[3]), []byte(s.signature(r, said)))
}

// The manners in which a request is passed on.
const (
	asItIs   = "here"  // it is about a lobby of the other node, or that node is to open one
	findOnly = "found" // quick join: a lobby with room, or none
)

// elsewhere returns the node at which the lobby with a join code is alive, if it is not here; nil if it is here. Codes
// that do not exist are counted as find counts them.
func (s *server) elsewhere(r *http.Request, who *account.Who, joinCode string) (*cluster.Member, error) {
	_, missing := s.Hall.Find(joinCode)
	if missing == nil || s.Cluster == nil {
		return nil, nil
	}
	back, err := s.guesses(r, who)
	if err != nil {
		return nil, err
	}
	e, err := s.Directory.Place(r.Context(), hall.PlainCode(joinCode))
	if err == nil && e == nil {
		return nil, missing
	}
	back()
	if err != nil {
		return nil, err
	}
	return s.holderOf(r.Context(), e)
}

// holderOf is the node at which a lobby is alive, if it is not here.
func (s *server) holderOf(ctx context.Context, e *directory.Entry) (*cluster.Member, error) {
	if e.Node == s.Cluster.Self.Name {
		if err := s.Reclaim(ctx); err != nil {
			return nil, err
		}
		s.Hall.Lives(ctx, e.Code)
		if _, err := s.Hall.Find(e.Code); err == nil {
			return nil, nil
		}
		return nil, comesBack("the lobby is being taken up by this node; try again in a moment")
	}
	m, known := s.Cluster.Member(e.Node)
	if !known {
		s.Cluster.Look()
	}
	if !known || !m.Alive {
		return nil, comesBack("the lobby's node is gone, and another takes it over; try again in a moment")
	}
	return &m, nil
}

func comesBack(format string, args ...any) error {
	f := fault.New(code.Stopping, format, args...)
	f.Left = 1
	return f
}

// passOn has another node answer a request.
func (s *server) passOn(w http.ResponseWriter, r *http.Request, to *cluster.Member) {
	target, err := url.Parse(to.Address)
	if err != nil || target.Host == "" {
		s.fail(w, r, fault.New(code.Internal, "the node %s announces no address", to.Name))
		return
	}
	ctx := context.WithValue(r.Context(), passedTo{}, &passage{to.Name, target, w.Header()})
	s.proxy.ServeHTTP(w, r.WithContext(ctx))
}

// passedTo is the key of the passage of a request that another node answers.
type passedTo struct{}

// passage is which node answers a request, where it is, and the headers that this node has set.
type passage struct {
	node string
	at   *url.URL
	set  http.Header
}

func passageOf(r *http.Request) *passage { return r.Context().Value(passedTo{}).(*passage) }

// newProxy is what hands requests on to other nodes.
func (s *server) newProxy() *httputil.ReverseProxy {
	return &httputil.ReverseProxy{
		Rewrite: func(p *httputil.ProxyRequest) {
			p.SetURL(passageOf(p.In).at)
			p.Out.Host = p.In.Host // links in the answer lead to where it was asked
			p.Out.Header.Set(peerHeader, s.sign(p.Out, addressOf(p.In), asItIs))
			p.Out.Header.Set("X-Forwarded-Proto", schemeOf(p.In))
		},
		ModifyResponse: func(res *http.Response) error {
			clear(passageOf(res.Request).set) // the other node has set its own
			return nil
		},
		ErrorHandler: func(w http.ResponseWriter, r *http.Request, err error) {
			node := passageOf(r).node
			s.Log.Warn("a request could not be passed on", "node", node, "error", err)
			s.fail(w, r, comesBack("the node %s does not answer; try again in a moment", node))
		},
	}
}

// askPeer asks another node for the caller, and reads its answer. A refusal is a fault.
func (s *server) askPeer(c *call, to *cluster.Member, manner, method, path string, in, out any) error {
	raw, err := json.Marshal(in)
	if err != nil {
		return err
	}
	var body io.Reader
	if in != nil {
		body = bytes.NewReader(raw)
	}
	r, err := http.NewRequestWithContext(c.r.Context(), method, to.Address+path, body)
	if err != nil {
		return err
	}
	if in != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	r.Host = c.r.Host
	r.Header.Set("Authorization", c.r.Header.Get("Authorization"))
	r.Header.Set("X-Forwarded-Proto", schemeOf(c.r))
	r.Header.Set(peerHeader, s.sign(r, addressOf(c.r), manner))
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		s.Log.Warn("a node could not be asked", "node", to.Name, "error", err)
		if dial := new(net.OpError); errors.As(err, &dial) && dial.Op == "dial" {
			return fmt.Errorf("%w: %s", errUnreached, to.Name)
		}
		return comesBack("the node %s does not answer; try again in a moment", to.Name)
	}
	defer res.Body.Close()
	data, err := io.ReadAll(io.LimitReader(res.Body, maxPeerAnswer))
	if err != nil {
		return err
	}
	if res.StatusCode >= 400 {
		var p problem
		if json.Unmarshal(data, &p) != nil || p.Code == "" {
			return comesBack("the node %s answered %s", to.Name, res.Status)
		}
		f := fault.New(code.Code(p.Code), "%s", p.Detail)
		f.Left, _ = strconv.Atoi(res.Header.Get("Retry-After"))
		f.Extra = p.Findings
		return f
	}
	return json.Unmarshal(data, out)
}

// errUnreached is that a node has not even begun to be asked.
var errUnreached = errors.New("a node could not be reached")

// maxPeerAnswer is the most bytes of another node's answer.
const maxPeerAnswer = 8 << 20

// chosen are the nodes that may open a lobby in one of some regions (any, if none is named), the best first: this one,
// which is nil, unless it may not or others bear clearly less.
func (s *server) chosen(regions []string) (all []*cluster.Member, err error) {
	if s.Cluster == nil {
		return []*cluster.Member{nil}, nil
	}
	here := s.Cluster.Self.Region
	fits := len(regions) == 0 || slices.Contains(regions, here)
	if len(regions) == 0 {
		regions = []string{here}
	}
	others := s.Cluster.Others(regions...)
	own := s.Hall.Lobbies()
	calm := !s.Hall.Overloaded()
	free := len(others) > 0 && !others[0].Overloaded // who is not, comes first
	if fits && !s.Cluster.Draining() && calm && (!free || own <= others[0].Lobbies*5/4+spareLobbies) {
		return []*cluster.Member{nil}, nil
	}
	for i := range others {
		all = append(all, &others[i])
	}
	if fits && (!s.Cluster.Draining() || len(others) == 0) { // and if it cannot, it says why
		all = append(all, nil)
	}
	if len(all) == 0 {
		err = fault.New(code.WrongRegion, "no node is in the region %s", strings.Join(regions, ", or "))
	}
	return all, err
}

// spareLobbies is how many lobbies more than another node one opens by itself, so that what is asked of a node is
// mostly done there.
const spareLobbies = 20

// self is this node's name.
func (s *server) self() string {
	if s.Cluster == nil {
		return ""
	}
	return s.Cluster.Self.Name
}
