package service_test

import (
	"context"
	"flag"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/cli"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/rehearse"
	"turnvex.example/turnvex/internal/tool/trial"
)

const operatorKey = "operator-key-of-the-tests"

var (
	database string
	node     *service.Service
)

// asProgram is set where this test is called as turnvex.
const asProgram = "TURNVEX_TEST_AS_PROGRAM"

func TestMain(m *testing.M) {
	if os.Getenv(asProgram) != "" {
		os.Exit(cli.Main(os.Args[1:], &cli.Terminal{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}))
	}
	flag.Parse()
	if status, did := runThemes(); did {
		os.Exit(status)
	}
	os.Exit(run(m))
}

func run(m *testing.M) int {
	ctx := context.Background()
	root, _ := filepath.Abs("../../..")
	box, stop, err := pgbox.Temp(ctx, pgbox.Folder(root))
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer stop()
	database = box.Address
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
	node, err = service.Start(ctx, service.Config{
		Rehearse:    rehearse.Served,
		Database:    database,
		Rulebooks:   filepath.Join(root, "demo/rulebooks"),
		OperatorKey: operatorKey,
		Log:         log,
	})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer node.Stop()
	duel, _ := os.ReadFile("testdata/duel.yaml")
	if _, _, err := node.Library.Load(ctx, duel); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	if openAPI, err = readDocument(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	http.DefaultTransport = openAPI
	status := m.Run()
	for _, why := range openAPI.verdict() {
		fmt.Fprintln(os.Stderr, "FAIL: docs/openapi.json and an answer differ: "+why)
		status = 1
	}
	return status
}

// soon is a context that ends before a test that waits in vain is too boring.
func soon(t testing.TB) context.Context { return trial.Within(t, time.Minute) }

// player signs a new player in.
func player(t testing.TB, name string) *client.Signed {
	t.Helper()
	in, err := client.SignIn(soon(t), node.Address,
		fmt.Sprintf("device-of-%s-%d-%p", t.Name(), time.Now().UnixNano(), &name), name)
	if err != nil {
		t.Fatal(err)
	}
	return in
}

func lobby(t testing.TB, in *client.Signed, o client.Opening) string {
	t.Helper()
	l, err := client.Service{Address: node.Address, Token: in.Token}.Open(soon(t), o)
	if err != nil {
		t.Fatal(err)
	}
	return l.Code
}

// join connects a player; the connection ends with the test.
func join(t testing.TB, in *client.Signed, o client.Options) *client.Conn {
	t.Helper()
	o.Address, o.Token = node.Address, in.Token
	c, err := client.Connect(soon(t), o)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(c.Close)
	return c
}

// do has an intent done: again where the machine was too slow for it to be kept, which takes nothing.
func do(t testing.TB, c *client.Conn, in client.Intent) {
	t.Helper()
	asked(t, in.Do+" "+in.Name+" is kept", func(ctx context.Context) bool {
		err := c.Do(ctx, in)
		if err != nil && client.CodeOf(err) != "not-kept" {
			t.Fatalf("%s %s: %v", in.Do, in.Name, err)
		}
		return err == nil
	})
}

// asked puts a question over HTTP until its answer is the one meant: at a pace that no limit for requests reaches,
// however quickly the answers come.
func asked(t testing.TB, what string, answered func(context.Context) bool) {
	t.Helper()
	again := time.NewTicker(50 * time.Millisecond)
	defer again.Stop()
	for ctx := soon(t); !answered(ctx); <-again.C {
		if ctx.Err() != nil {
			t.Fatalf("waiting until %s", what)
		}
	}
}

func until(t testing.TB, c *client.Conn, what string, f func(*client.Copy) bool) {
	t.Helper()
	if err := c.Wait(soon(t), f); err != nil {
		t.Fatalf("waiting until %s: %v", what, err)
	}
}

// untilSaved waits until the result of the present match, which is over, or of the last one can be read: the match's
// sheet may go before the result is saved.
func untilSaved(t testing.TB, c *client.Conn) {
	t.Helper()
	var code string
	var number int64
	c.Read(func(c *client.Copy) { code, number = c.Lobby().Text("code"), c.Match().Int("number") })
	until(t, c, "the result is saved", func(*client.Copy) bool {
		list, err := client.Service{Address: node.Address}.Matches(soon(t), url.Values{"lobby": {code}, "limit": {"1"}})
		return err == nil && len(list) > 0 && list[0].Result.Match >= number
	})
}
