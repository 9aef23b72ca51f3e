package service_test

import (
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
)

// TestFolder: a node's folder of rulebooks does not put back what an operator has replaced, publishes what is new and
// says so in the audit trail, and nothing, by whichever door, changes unasked how saved records and leaderboards read.
func TestFolder(t *testing.T) {
	const first = `turnvex: 1
name: pier
players: {least: 1, most: 2}
phases: {play: {lasts: 60s}}
record: {shells: {}, pearls: {}}
boards: {finds: {clients: {min: 0, max: 99, every: 0s}, keep: total}}
`
	second := strings.Replace(first, "phases:", "about: The second\nphases:", 1)
	worse := strings.Replace(strings.Replace(second, ", pearls: {}", "", 1), "keep: total", "keep: best", 1)
	dir := t.TempDir()
	write := func(text string) {
		if err := os.WriteFile(filepath.Join(dir, "pier.yaml"), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	start := func(accept bool) (about string, err error) {
		t.Helper()
		s, err := service.Start(soon(t), service.Config{Database: database, Node: "pier", Rulebooks: dir,
			AcceptKept: accept})
		if err != nil {
			return "", err
		}
		defer s.Stop()
		book, err := s.Library.Book("pier")
		return book.About, err
	}
	is := func(want string) {
		t.Helper()
		if got, err := start(false); got != want || err != nil {
			t.Errorf("after the start the rulebook is about %q, not %q: %v", got, want, err)
		}
	}
	op := operator(t)
	publish := func(text, query string) error {
		return op.Call(soon(t), http.MethodPost, "/v1/rulebooks"+query, []byte(text), nil)
	}
	if _, err := service.Start(soon(t), service.Config{Database: database, Node: "pier",
		Journals: filepath.Join(dir, "none")}); err == nil || !strings.Contains(err.Error(), "make it") {
		t.Errorf("with a folder for journals that is not there: %v", err)
	}
	write(first)
	is("")
	lines, _, err := op.Audit(soon(t), client.AuditQuery{Who: "node pier"})
	if err != nil || len(lines) != 1 || lines[0].Subject != "pier" || lines[0].What != "-rulebooks" {
		t.Errorf("the audit trail has %+v, %v", lines, err)
	}
	wants(t, "a newer version", publish(second, ""), "")
	is("The second")
	mara := player(t, "Mara")
	if _, err := op.CorrectRecord(soon(t), mara.Player, "pier", "found", "", client.RecordChange{Field: "pearls",
		Does: "add", Value: 3}); err != nil {
		t.Fatal(err)
	}
	if err := as(mara).Post(soon(t), "pier", "finds", client.Posting{Value: 7}); err != nil {
		t.Fatal(err)
	}
	err = publish(worse, "")
	if wants(t, "what reads otherwise", err, "changes-kept"); !strings.Contains(err.Error(), "accept=yes") {
		t.Error(err)
	}
	write(worse)
	if _, err := start(false); err == nil || !strings.Contains(err.Error(), "-accept") ||
		!strings.Contains(err.Error(), "pearls") {
		t.Errorf("from the folder: %v", err)
	}
	sh := newShell(t)
	told := sh.run(1, worse, "publish", "-key-file", sh.keyFile, "-")
	for _, want := range []string{"pearls", "removed", "board finds", "keep", "-accept"} {
		if !strings.Contains(told, want) {
			t.Errorf("the command does not tell %q:\n%s", want, told)
		}
	}
	if _, err := start(true); err != nil {
		t.Error(err)
	}
	wants(t, "back again", publish(second, "?accept=maybe"), "bad-request")
	wants(t, "back again", publish(second, "?accept=yes"), "")
}
