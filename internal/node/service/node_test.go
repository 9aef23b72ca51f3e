package service_test

import (
	"bufio"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/node/store"
)

// emptyDatabase makes a database of its own beside the tests' and returns its address.
func emptyDatabase(t *testing.T) string {
	t.Helper()
	db, err := store.Open(soon(t), database, nil)
	if err != nil {
		t.Fatal(err)
	}
	name := "empty_" + fresh()
	if err := db.WithContext(soon(t)).Exec("create database " + name).Error; err != nil {
		t.Fatal(err)
	}
	db.Close()
	cut := strings.LastIndex(database, "/")
	rest := ""
	if i := strings.Index(database[cut:], "?"); i >= 0 {
		rest = database[cut+i:]
	}
	return database[:cut+1] + name + rest
}

// TestNodesStartTogether: several nodes start on an empty database at once; one makes the schema and the first key, and
// a second start finds everything as it was.
func TestNodesStartTogether(t *testing.T) {
	address := emptyDatabase(t)
	var all sync.WaitGroup
	var mu sync.Mutex
	var nodes []*service.Service
	for i := range 4 {
		all.Go(func() {
			s, err := service.Start(soon(t),
				service.Config{Database: address, Node: fmt.Sprint("n", i), Rulebooks: "../../../demo/rulebooks"})
			if err != nil {
				t.Error(err)
				return
			}
			mu.Lock()
			nodes = append(nodes, s)
			mu.Unlock()
		})
	}
	all.Wait()
	keys := map[string]bool{}
	for _, s := range nodes {
		if s.OperatorKey != "" {
			keys[s.OperatorKey] = true
		}
	}
	if len(keys) != 1 || len(nodes) != 4 {
		t.Fatalf("%d nodes made %d keys", len(nodes), len(keys))
	}
	in, err := client.SignIn(soon(t), nodes[0].Address, "a-device-key-for-all-the-nodes", "Mara")
	if err != nil {
		t.Fatal(err)
	}
	for _, s := range nodes { // the key that signs tokens, and the operator's, are the same for all
		wants(t, "the token at another node", at(s, in).Call(soon(t), http.MethodGet, "/v1/me", nil, nil), "")
		for key := range keys {
			_, err := client.SignInKey(soon(t), s.Address, key)
			wants(t, "the operator's key", err, "")
		}
		s.Stop()
	}
	again, err := service.Start(soon(t), service.Config{Database: address, Node: "n0"})
	if err != nil || again.OperatorKey != "" {
		t.Fatalf("a second start: %v, another key %v", err, again != nil && again.OperatorKey != "")
	}
	defer again.Stop()
	if _, err := again.Library.Book("clash"); err != nil {
		t.Errorf("the rulebooks are gone: %v", err)
	}
	wants(t, "the old token", at(again, in).Call(soon(t), http.MethodGet, "/v1/me", nil, nil), "")
}

// TestServeProgram: the program itself, from its start to its clean end, and what it says when it cannot start.
func TestServeProgram(t *testing.T) {
	bin := filepath.Join(t.TempDir(), "turnvex")
	program(t, "go", "build", "-o", bin, "turnvex.example/turnvex/cmd/turnvex")
	start := func(env []string, args ...string) *exec.Cmd {
		cmd := exec.CommandContext(soon(t), bin, append([]string{"serve"}, args...)...)
		cmd.Env = append(os.Environ(), env...)
		return cmd
	}
	fails := func(what, want string, env []string, args ...string) {
		t.Helper()
		out, err := start(env, args...).CombinedOutput()
		if err == nil || !strings.Contains(string(out), want) {
			t.Errorf("%s: %v, %q is missing in %s", what, err, want, out)
		}
	}
	db := []string{"TURNVEX_DATABASE=" + emptyDatabase(t)}
	taken := strings.TrimPrefix(node.Address, "http://")
	fails("a port that is taken", "choose another address with -listen", db, "-listen", taken)
	fails("a database that is not there", "127.0.0.1:1", nil, "-database", "postgres://x:y@127.0.0.1:1/z", "-listen",
		"127.0.0.1:0")
	fails("a folder without rulebooks", "holds no rulebook", db, "-listen", "127.0.0.1:0", "-rulebooks", t.TempDir())
	fails("a log level", "debug, info, warn or error", db, "-log", "loud")

	cmd := start(append(db, "TURNVEX_REGION=quay", "TURNVEX_OPERATOR_KEY=the-key-of-this-program-only"), "-listen",
		"127.0.0.1:0", "-rulebooks", "testdata", "-log-form", "json", "-practice")
	out, err := cmd.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	lines := bufio.NewScanner(out)
	lines.Scan()
	address := regexp.MustCompile(`http://[0-9.:]+`).FindString(lines.Text())
	if address == "" || !strings.Contains(lines.Text(), "region quay") {
		t.Fatalf("it says %q", lines.Text())
	}
	in, err := client.SignIn(soon(t), address, "a-device-key-for-the-program", "Mara")
	if err != nil {
		t.Fatal(err)
	}
	l, err := client.Service{Address: address, Token: in.Token}.Open(soon(t), client.Opening{Rulebook: "duel"})
	if err != nil || !l.Practice || l.Region != "quay" {
		t.Fatalf("%+v, %v", l, err)
	}
	c, err := client.Connect(soon(t), client.Options{Address: address, Token: in.Token, Lobby: l.Code, Patience: -1})
	if err != nil {
		t.Fatal(err)
	}
	cmd.Process.Signal(syscall.SIGHUP)
	do(t, c, client.Intent{Do: "rename", Text: "Mara V"}) // its terminal is gone, and it goes on
	cmd.Process.Signal(syscall.SIGTERM)
	<-c.Done()
	if !strings.Contains(c.Err().Error(), "stopping") {
		t.Errorf("clients are told %v", c.Err())
	}
	lines.Scan()
	if err := cmd.Wait(); err != nil || !strings.Contains(lines.Text(), "Stopping") {
		t.Errorf("it ends with %v, saying %q", err, lines.Text())
	}
}
