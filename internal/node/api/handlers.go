package api

import (
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"slices"
	"time"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/account"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/guard"
	"turnvex.example/turnvex/internal/node/keep"
)

type deviceRequest struct {
	Device string `json:"device"`
	Name   string `json:"name,omitempty"`
}

type keyRequest struct {
	Key string `json:"key"`
}

type loginRequest struct {
	Login    string `json:"login"`
	Password string `json:"password"`
	Device   string `json:"device,omitempty"` // belongs to the account's player from then on
}

type refreshRequest struct {
	Refresh string `json:"refresh"`
}

type addLoginRequest struct {
	Login    string `json:"login"`
	Password string `json:"password"`
}

type passwordRequest struct {
	Old     string `json:"old"`
	New     string `json:"new"`
	Devices bool   `json:"devices,omitempty"` // remove all devices as well: only the password leads in then
}

type recoveryRequest struct {
	Code     string `json:"code"`
	Device   string `json:"device"`             // belongs to the player from then on
	Password string `json:"password,omitempty"` // of the account from then on
}

type rotateRequest struct {
	KeepMS int64 `json:"keep_ms,omitempty"` // for how long the old text stays good, at most a week
}

type rotateSigningRequest struct {
	Drop bool `json:"drop,omitempty"` // believe what older secrets have signed no more
}

// SigningKeys are the secrets that sign tokens, without the secrets.
type SigningKeys struct {
	Keys []account.SigningKey `json:"keys"`
}

// Devices are the devices that a player signs in with.
type Devices struct {
	Devices []account.Device `json:"devices"`
}

type banRequest struct {
	Why   string     `json:"why"`
	Until *time.Time `json:"until,omitempty"` // for good if it is not given
}

type makeKeyRequest struct {
	Name   string          `json:"name"`
	Scopes []account.Scope `json:"scopes"`
}

// Keys are the service keys.
type Keys struct {
	Keys []account.ServiceKey `json:"keys"`
}

type renameRequest struct {
	Name string `json:"name"`
}

// Me is the player a token belongs to.
type Me struct {
	Player string `json:"player"`
	Name   string `json:"name"`
}

// Match is a match that has ended.
type Match struct {
	ID     string          `json:"id"`
	Lobby  string          `json:"lobby"`
	Ended  time.Time       `json:"ended"`
	Result json.RawMessage `json:"result"`
}

// Matches is a page of ended matches, newest first.
type Matches struct {
	Matches []Match `json:"matches"`
	Next    string  `json:"next,omitempty"`
}

// Book is a rulebook as lists show it.
type Book struct {
	Name    string   `json:"name"`
	Title   string   `json:"title"`
	About   string   `json:"about"`
	Version string   `json:"version"`
	Boards  []string `json:"boards"`
	Least   int      `json:"least"`
	Most    int      `json:"most"`
}

// Books are the rulebooks that are loaded.
type Books struct {
	Rulebooks []Book `json:"rulebooks"`
}

// Check is what the checker found.
type Check struct {
	OK       bool              `json:"ok"`
	Name     string            `json:"name,omitempty"`
	Version  string            `json:"version,omitempty"`
	Problems rulebook.Problems `json:"problems"`
	Records  []keep.Difference `json:"records,omitempty"` // what it means for the records that are kept now
}

// Record is what is kept of a player.
type Record struct {
	Player   string      `json:"player"`
	Rulebook string      `json:"rulebook"`
	Fields   keep.Fields `json:"fields"`
}

// History is what happened to a record.
type History struct {
	Changes []keep.Change `json:"changes"`
	Next    string        `json:"next,omitempty"` // the cursor of the next page
}

var matchParams = []param{
	{"rulebook", "only of this rulebook", "string"},
	{"player", "only with this player", "string"},
	{"lobby", "only of the lobby with this join code", "string"},
	{"since", "only what ended then or later, such as 2026-11-26T08:00:00Z", "string"},
	{"before", "only what ended earlier", "string"},
}

var paging = []param{
	{"limit", "how many entries, 1 to 100", "integer"},
	{"cursor", "where the last page ended: its next", "string"},
}

var routes = withWhy(slices.Concat(lobbyRoutes, boardRoutes, playerRoutes, seriesRoutes, auditRoutes, journalRoutes,
	[]route{
		{
			method:  "POST",
			path:    "/v1/sign-in/device",
			summary: "Sign in with a device key; an unknown one makes a player",
			in:      deviceRequest{},
			out:     account.SignedIn{},
			do:      (*server).signInDevice,
		},
		{
			method:  "POST",
			path:    "/v1/sign-in/key",
			summary: "Sign in with a service key",
			in:      keyRequest{},
			out:     account.SignedIn{},
			do:      (*server).signInKey,
		},
		{
			method:  "POST",
			path:    "/v1/sign-in/account",
			summary: "Sign in with a login name and a password; a device that is given belongs to the player from then on",
			in:      loginRequest{},
			out:     account.SignedIn{},
			do:      (*server).signInAccount,
		},
		{
			method:  "POST",
			path:    "/v1/sign-in/refresh",
			summary: "A new pair of tokens for a refresh token, which can be used once",
			in:      refreshRequest{},
			out:     account.SignedIn{},
			do:      (*server).refresh,
		},
		{
			method: "POST",
			path:   "/v1/sign-in/recovery",
			summary: "Sign in once with the code that an operator gave: the device becomes the player's only one, a " +
				"password " +
				"that of the account, and every other sign-in is void",
			in:  recoveryRequest{},
			out: account.SignedIn{},
			do:  (*server).signInRecovery,
		},
		{
			method:  "POST",
			path:    "/v1/sign-out",
			summary: "Void the tokens that follow from one sign-in",
			in:      refreshRequest{},
			do:      (*server).signOut,
		},
		{
			method:  "POST",
			path:    "/v1/me/sign-out",
			access:  signedIn,
			summary: "Void all tokens of the player, on every device",
			do:      (*server).signOutEverywhere,
		},
		{
			method:  "POST",
			path:    "/v1/me/account",
			access:  signedIn,
			summary: "Give the player a login name and a password",
			in:      addLoginRequest{},
			do:      (*server).addLogin,
		},
		{
			method:  "PATCH",
			path:    "/v1/me/account",
			access:  signedIn,
			summary: "Change the password; all tokens are void afterwards, and devices sign in again",
			in:      passwordRequest{},
			do:      (*server).changePassword,
		},
		{
			method:  "DELETE",
			path:    "/v1/me",
			access:  signedIn,
			summary: "Delete the player with everything that is kept of them",
			do:      (*server).deleteMe,
		},
		{
			method:  "GET",
			path:    "/v1/me/devices",
			access:  signedIn,
			summary: "The devices that the player signs in with, the one seen last first",
			out:     Devices{},
			do:      (*server).listDevices,
		},
		{
			method:  "PATCH",
			path:    "/v1/me/devices/{id}",
			access:  signedIn,
			summary: "Give a device a name",
			in:      renameRequest{},
			do:      (*server).nameDevice,
		},
		{
			method:  "DELETE",
			path:    "/v1/me/devices/{id}",
			access:  signedIn,
			summary: "Remove a device, with the tokens of its sign-ins; not the only way back to the player",
			do:      (*server).removeDevice,
		},
		{
			method:  "GET",
			path:    "/v1/keys",
			access:  operator,
			summary: "The service keys",
			out:     Keys{},
			do:      (*server).listKeys,
		},
		{
			method:  "POST",
			path:    "/v1/keys",
			access:  operator,
			summary: "Make a service key; its text is shown only now",
			in:      makeKeyRequest{},
			out:     account.ServiceKey{},
			status:  http.StatusCreated,
			do:      (*server).makeKey,
		},
		{
			method: "DELETE",
			path:   "/v1/keys/{name}",
			access: operator,
			summary: "Revoke a service key and every token had for it. An operator's key is revoked with itself, " +
				"unless it is the " +
				"last, or with the key of the environment",
			do: (*server).revokeKey,
		},
		{
			method: "POST",
			path:   "/v1/keys/{name}/rotate",
			access: operator,
			summary: "Give a service key another text, shown only now; who may revoke it may do so. Unless the old " +
				"text stays " +
				"good for a while, its tokens are void",
			in:  rotateRequest{},
			out: account.ServiceKey{},
			do:  (*server).rotateKey,
		},
		{
			method:  "GET",
			path:    "/v1/signing-keys",
			access:  operator,
			summary: "The secrets that sign tokens, by ID, the newest, which signs, first",
			out:     SigningKeys{},
			do:      (*server).listSigning,
		},
		{
			method: "POST",
			path:   "/v1/signing-keys",
			access: operator,
			summary: "Sign tokens with a new secret; those of before stay good for their time, unless the older " +
				"secrets are " +
				"dropped. Nobody has to sign in again",
			in:  rotateSigningRequest{},
			out: SigningKeys{},
			do:  (*server).rotateSigning,
		},
		{method: "GET", path: "/v1/me", access: signedIn, summary: "Who the token belongs to", out: Me{}, do: (*server).me},
		{
			method:  "PATCH",
			path:    "/v1/me",
			access:  signedIn,
			summary: "Take another name",
			in:      renameRequest{},
			out:     Me{},
			do:      (*server).rename,
		},
		{
			method:  "GET",
			path:    "/v1/rulebooks",
			summary: "The rulebooks that are loaded",
			out:     Books{},
			do:      (*server).listBooks,
		},
		{
			method:  "POST",
			path:    "/v1/rulebooks",
			access:  operator,
			summary: "Check a rulebook (the body is the YAML or JSON) and make it the current version of its name",
			in:      "",
			out:     Check{},
			do:      (*server).loadBook,
		},
		{
			method:  "POST",
			path:    "/v1/rulebooks/check",
			access:  tokened,
			summary: "Check a rulebook (the body is the YAML or JSON) without loading it",
			looks:   true,
			in:      "",
			out:     Check{},
			do:      (*server).checkBook,
		},
		{
			method:  "GET",
			path:    "/v1/rulebooks/schema",
			summary: "The JSON Schema of rulebooks",
			out:     map[string]any{},
			do:      (*server).bookSchema,
		},
		{
			method: "GET",
			path:   "/v1/matches",
			summary: "Ended matches, newest first; those of lobbies that were not listed for who took part, and for " +
				"service keys",
			out:    Matches{},
			params: append(slices.Clone(matchParams), paging...),
			do:     (*server).listMatches,
		},
		{
			method: "GET",
			path:   "/v1/matches/export",
			long:   true,
			kinds:  []string{"application/jsonl text/csv"},
			access: reading,
			summary: "All ended matches that fit, newest first: as JSON Lines, one match a line, or as CSV (RFC 4180), " +
				"one player a line",
			params: append(slices.Clone(matchParams), param{"format", "jsonl or csv", "string"}),
			do:     (*server).exportMatches,
		},
		{method: "GET", path: "/v1/matches/{id}", summary: "An ended match; of a lobby that was not listed as in the list",
			out: Match{}, do: (*server).getMatch},
		{
			method: "GET",
			path:   "/v1/players/{id}/records/{rulebook}",
			summary: "A player's record for a rulebook, as far as the caller may see it: integers and numbers as " +
				"decimals, choices as words, flags, texts, positions as [x, y] in millimetres",
			out: Record{},
			do:  (*server).getRecord,
		},
		{
			method: "POST",
			path:   "/v1/players/{id}/records/{rulebook}",
			access: operator,
			summary: "Correct a player's record, with a reason: each change adds to a field, sets it, raises it to a " +
				"value or lowers it to one. With a query id=UUID it happens once, however often it is sent",
			in:     keep.Correction{},
			out:    Record{},
			params: []param{{"id", "a UUID: the correction happens once", "string"}},
			do:     (*server).correctRecord,
		},
		{
			method: "GET",
			path:   "/v1/players/{id}/records/{rulebook}/history",
			access: operator,
			summary: "What happened to a player's record, newest first: when, in which match or by whom, " +
				"from what to what",
			out:    History{},
			params: paging,
			do:     (*server).recordHistory,
		},
	}))

func (s *server) signInDevice(c *call) (any, error) {
	in, err := read[deviceRequest](c)
	if err != nil {
		return nil, err
	}
	return s.Accounts.Device(c.r.Context(), in.Device, in.Name, addressOf(c.r))
}

func (s *server) signInKey(c *call) (any, error) {
	in, err := read[keyRequest](c)
	if err != nil {
		return nil, err
	}
	return s.Accounts.Key(c.r.Context(), in.Key, addressOf(c.r))
}

func (s *server) me(c *call) (any, error) {
	return Me{c.who.Player, c.who.Name}, nil
}

func (s *server) rename(c *call) (any, error) {
	in, err := read[renameRequest](c)
	if err != nil {
		return nil, err
	}
	if _, err := s.Guard.Take(guard.Renames, c.who.Player); err != nil {
		return nil, err
	}
	name, err := s.Accounts.Rename(c.r.Context(), c.who.Player, in.Name)
	if err != nil {
		return nil, err
	}
	s.Hall.Renamed(c.who.Player, name)
	s.Boards.Renamed(c.who.Player, name)
	return Me{c.who.Player, name}, nil
}

func (s *server) listBooks(c *call) (any, error) {
	out := Books{Rulebooks: []Book{}}
	for _, b := range s.Library.Books() {
		book := Book{
			Name:    b.Name,
			Title:   b.Title,
			About:   b.About,
			Version: b.Version,
			Boards:  []string{},
			Least:   b.Players.Least,
			Most:    b.Players.Most,
		}
		for _, x := range b.Boards {
			book.Boards = append(book.Boards, x.Name)
		}
		out.Rulebooks = append(out.Rulebooks, book)
	}
	return out, nil
}

// source reads a rulebook from the request's body.
func source(c *call) ([]byte, error) {
	src, err := io.ReadAll(http.MaxBytesReader(c.w, c.r.Body, rulebook.MaxBytes))
	if err != nil {
		var large *http.MaxBytesError
		if errors.As(err, &large) {
			return nil, fault.New(code.TooLarge, "a rulebook has at most %d bytes", rulebook.MaxBytes)
		}
		return nil, fault.New(code.BadRequest, "the rulebook could not be read")
	}
	return src, nil
}

func (s *server) checkBook(c *call) (any, error) {
	if _, err := s.Guard.Take(guard.Checks, c.who.Player+c.who.Name); err != nil {
		return nil, err
	}
	src, err := source(c)
	if err != nil {
		return nil, err
	}
	book, problems, err := s.compile(c.r.Context(), src)
	if err != nil {
		return nil, err
	}
	out := checked(book, problems)
	return out, s.differences(c, s.Library.Current(), book, &out)
}

// differences adds what a rulebook means for the records that are kept of the version that
// is, or was, current; how many are concerned is for operators.
func (s *server) differences(c *call, current map[string]*rulebook.Book, book *rulebook.Book, out *Check) error {
	if book == nil {
		return nil
	}
	old := current[book.Name]
	if old == nil { // nothing is kept
		return nil
	}
	out.Records = keep.Differences(old, book)
	if c.who == nil || !c.who.Can(account.Operator) {
		return nil
	}
	return s.Keeper.Count(c.r.Context(), book.Name, out.Records)
}

func checked(book *rulebook.Book, problems rulebook.Problems) Check {
	out := Check{OK: book != nil, Problems: problems}
	if book != nil {
		out.Name, out.Version = book.Name, book.Version
	}
	if out.Problems == nil {
		out.Problems = rulebook.Problems{}
	}
	return out
}

func (s *server) loadBook(c *call) (any, error) {
	src, err := source(c)
	if err != nil {
		return nil, err
	}
	before := s.Library.Current()
	book, problems, err := s.Library.Load(c.r.Context(), src)
	if err != nil {
		return nil, err
	}
	out := checked(book, problems)
	return out, s.differences(c, before, book, &out)
}

func (s *server) bookSchema(*call) (any, error) { return json.RawMessage(rulebook.Schema()), nil }
