package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/pgbox"
	"turnvex.example/turnvex/internal/tool/rehearse"
	"turnvex.example/turnvex/internal/tool/trial"
)

var write = flag.Bool("write", false, "write the answers of transcripts instead of comparing them")

// alone starts a node over a database of its own.
func alone(t *testing.T) *service.Service {
	t.Helper()
	root, _ := filepath.Abs("../../..")
	box, stop, err := pgbox.Temp(t.Context(), pgbox.Folder(root))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(stop)
	node, err := service.Start(context.Background(), service.Config{Database: box.Address, Rehearse: rehearse.Served,
		OperatorKey: "operator-key-of-the-tests", Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(node.Stop)
	return node
}

// TestTranscripts plays the requests of each transcript in testdata and compares the answers, whole. A line
//
//	NAME METHOD PATH [BODY]
//
// is a request of whoever has signed in as NAME, "-" for nobody; NAME= keeps the token that the answer holds. JOIN
// /CODE is a live connection, which stays until the end. Lines with "| " before them are its body, "until TEXT"
// repeats it until the answer holds a text, and what follows up to an empty line is the answer. What differs from run
// to run stands in <>: the same thing under the same name. With -write the answers are written instead; read them
// before you believe them.
func TestTranscripts(t *testing.T) {
	files, _ := filepath.Glob("testdata/*.http")
	if len(files) == 0 {
		t.Fatal("there are no transcripts")
	}
	for _, file := range files {
		t.Run(strings.TrimSuffix(filepath.Base(file), ".http"), func(t *testing.T) {
			t.Parallel()
			node := alone(t)
			s := &transcript{T: t, node: node, tokens: map[string]string{}, counts: map[string]int{},
				names: map[string]string{node.Address: "<address>"}}
			data, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			var played []string
			for _, block := range strings.Split(strings.TrimSpace(string(data)), "\n\n") {
				played = append(played, s.block(block))
			}
			if *write {
				os.WriteFile(file, []byte(strings.Join(played, "\n\n")+"\n"), 0o644)
			}
		})
	}
}

type transcript struct {
	*testing.T
	node   *service.Service
	tokens map[string]string // by who has them
	names  map[string]string // of what differs from run to run, by what it is
	counts map[string]int    // of such names
}

var request = regexp.MustCompile(`^([\w-]+)(=?) ([A-Z]+) (\S+)(?: (.+))?$`)

// block plays a request, if it is one, compares the answer, and returns the block as it should be written.
func (s *transcript) block(block string) string {
	var head, body, want []string
	var parts []string
	until := ""
	for line := range strings.SplitSeq(block, "\n") {
		switch {
		case strings.HasPrefix(line, "#") && parts == nil:
			head = append(head, line)
		case parts == nil:
			head = append(head, line)
			if parts = request.FindStringSubmatch(line); parts == nil {
				s.Fatalf("no request: %s", line)
			}
		case strings.HasPrefix(line, "| "):
			head, body = append(head, line), append(body, line[2:])
		case strings.HasPrefix(line, "until "):
			head, until = append(head, line), line[6:]
		default:
			want = append(want, line)
		}
	}
	if parts == nil {
		return block
	}
	sent := parts[5]
	if body != nil {
		sent = strings.Join(body, "\n") + "\n"
	}
	got := s.ask(parts, sent)
	patience := 10 * time.Second
	if *write {
		patience /= 2 * trial.Patience
	}
	again := time.NewTicker(100 * time.Millisecond) // a node counts requests
	defer again.Stop()
	for ctx := trial.Within(s.T, patience); until != "" && !strings.Contains(got, until); {
		if ctx.Err() != nil && *write {
			break
		}
		if ctx.Err() != nil {
			s.Fatalf("%s\nnever holds %q:\n%s", strings.Join(head, "\n"), until, got)
		}
		<-again.C
		got = s.ask(parts, sent)
	}
	if expected := strings.Join(want, "\n"); got != expected && !*write {
		s.Errorf("%s\nis answered\n%s\ninstead of\n%s", strings.Join(head, "\n"), got, expected)
	}
	return strings.Join(head, "\n") + "\n" + got
}

// known writes what stands in <> as what it is in this run.
func (s *transcript) known(text string) string {
	for what, name := range s.names {
		text = strings.ReplaceAll(text, name, what)
	}
	return text
}

func (s *transcript) ask(parts []string, body string) string {
	s.Helper()
	who, keep, method, path := parts[1], parts[2] != "", parts[3], s.known(parts[4])
	if method == "JOIN" {
		c, err := client.Connect(trial.Within(s.T, time.Minute), client.Options{Address: s.node.Address,
			Token: s.tokens[who], Lobby: strings.TrimPrefix(path, "/")})
		if err != nil {
			s.Fatal(err)
		}
		s.Cleanup(c.Close)
		return "is there"
	}
	req, err := http.NewRequestWithContext(trial.Within(s.T, time.Minute), method, s.node.Address+path,
		strings.NewReader(s.known(body)))
	if err != nil {
		s.Fatal(err)
	}
	if token := s.tokens[who]; token != "" && !keep {
		req.Header.Set("Authorization", "Bearer "+token)
	}
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		s.Fatal(err)
	}
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	if err != nil {
		s.Fatal(err)
	}
	if keep {
		var in struct{ Token string }
		if json.Unmarshal(data, &in); in.Token == "" {
			s.Fatalf("nobody is signed in: %s", data)
		}
		s.tokens[who] = in.Token
	}
	return s.told(res, data)
}

// told writes an answer down: its status, the header fields that say something, and its body.
func (s *transcript) told(res *http.Response, data []byte) string {
	out := fmt.Sprint(res.StatusCode)
	for _, name := range []string{"Allow", "Content-Disposition", "Location", "Retry-After"} {
		if v := res.Header.Get(name); v != "" {
			out += " " + name + ": " + v
		}
	}
	kind := res.Header.Get("Content-Type")
	var v any
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber()
	if len(data) > 0 && d.Decode(&v) == nil && d.Decode(new(any)) == io.EOF {
		v = s.varied("", v)
		if p, is := v.(map[string]any); is && kind == "application/problem+json" {
			if fmt.Sprint(p["status"], p["title"], p["type"]) != fmt.Sprint(res.StatusCode,
				http.StatusText(res.StatusCode), "about:blank") || p["instance"] != "<request>" {
				s.Errorf("%v is no problem document of an answer with %d", p, res.StatusCode)
			}
			out += fmt.Sprint(" ", p["code"], ": ", p["detail"])
			v = p["findings"]
		}
		if data = nil; v != nil {
			data = []byte(strings.NewReplacer(`\u003c`, "<", `\u003e`, ">", `\u0026`, "&").Replace(laidOut(v, "")))
		}
	} else if kind != "" {
		out += " " + kind
		data = isNumber.ReplaceAll([]byte(s.named(string(data))), []byte("<number>"))
	}
	text := strings.TrimSpace(strings.ReplaceAll(out+"\n"+string(data), "\n\n", "\n"))
	return s.named(text)
}

// named writes what is known of this run as it stands in <>.
func (s *transcript) named(text string) string {
	for _, what := range slices.SortedFunc(maps.Keys(s.names), func(a, b string) int { return len(b) - len(a) }) {
		text = strings.ReplaceAll(text, what, s.names[what])
	}
	return text
}

// laidOut writes JSON, one part a line where it is longer than a line should be.
func laidOut(v any, indent string) string {
	short, _ := json.Marshal(v)
	if len(short)+len(indent) <= 150 {
		return string(short)
	}
	var lines []string
	switch v := v.(type) {
	case map[string]any:
		for _, k := range slices.Sorted(maps.Keys(v)) {
			lines = append(lines, fmt.Sprintf("%s  %q: %s", indent, k, laidOut(v[k], indent+"  ")))
		}
		return "{\n" + strings.Join(lines, ",\n") + "\n" + indent + "}"
	case []any:
		for _, x := range v {
			lines = append(lines, indent+"  "+laidOut(x, indent+"  "))
		}
		return "[\n" + strings.Join(lines, ",\n") + "\n" + indent + "]"
	}
	return string(short)
}

var (
	isID     = regexp.MustCompile(`^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$`)
	isCode   = regexp.MustCompile(`^[A-Z2-9]{6}$`)
	isMark   = regexp.MustCompile(`^[A-Z2-7]{8}$`)
	isNumber = regexp.MustCompile(`\b\d\d[\d.:]*(T[\d:.]+Z)?\b`) // of a moment or a time, in what is no JSON
	isTime   = regexp.MustCompile(`^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d`)
	secret   = []string{"token", "refresh", "key", "resume", "next", "code", "recovery"}
	counts   = []string{"tick", "at", "millis", "lasted", "lobbies", "until"}
)

// varied replaces what differs from run to run.
func (s *transcript) varied(key string, v any) any {
	switch v := v.(type) {
	case map[string]any:
		for _, k := range slices.Sorted(maps.Keys(v)) {
			v[k] = s.varied(k, v[k])
		}
		return v
	case []any:
		for i := range v {
			v[i] = s.varied(key, v[i])
		}
		return v
	case json.Number:
		if slices.Contains(counts, key) {
			return "<number>"
		}
		return v
	case string:
		switch {
		case isTime.MatchString(v):
			return "<time>"
		case key == "instance":
			return "<request>"
		case isID.MatchString(v), isMark.MatchString(v), key == "lobby" && isCode.MatchString(v),
			slices.Contains(secret, key) && (key != "code" || isCode.MatchString(v) || len(v) > 20):
			if s.names[v] == "" {
				name := key
				if isID.MatchString(v) && key == "" {
					name = "id"
				}
				s.counts[name]++
				s.names[v] = fmt.Sprintf("<%s-%d>", name, s.counts[name])
			}
			return s.names[v]
		}
	}
	return v
}
