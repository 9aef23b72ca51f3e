package service_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"mime"
	"net/http"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/google/jsonschema-go/jsonschema"

	"turnvex.example/turnvex/internal/node/api"
)

// described is a route as the OpenAPI document has it.
type described struct {
	method, path string
	query        []string
	body         []string // the names of the fields of its body
	json         bool     // its body is JSON
	status       int      // of an answer that is no refusal
	answers      map[string]*jsonschema.Resolved
}

// document holds every answer that the tests get to what the document says of it.
type document struct {
	routes  []*described
	problem *jsonschema.Resolved
	inner   http.RoundTripper
	mu      sync.Mutex
	seen    map[string]bool   // guarded by mu; routes that have answered with their success
	wrong   map[string]string // guarded by mu; an example of each way to be wrong
}

var openAPI *document

// readDocument reads docs/openapi.json.
func readDocument() (*document, error) {
	data, err := os.ReadFile("../../../docs/openapi.json")
	if err != nil {
		return nil, err
	}
	type media struct{ Schema *jsonschema.Schema }
	var doc struct {
		Paths map[string]map[string]struct {
			Parameters  []struct{ Name, In string }
			RequestBody struct{ Content map[string]media }
			Responses   map[string]struct{ Content map[string]media }
		}
		Components struct{ Schemas map[string]*jsonschema.Schema }
	}
	if err := json.Unmarshal(data, &doc); err != nil {
		return nil, err
	}
	d := &document{inner: http.DefaultTransport, seen: map[string]bool{}, wrong: map[string]string{}}
	if d.problem, err = doc.Components.Schemas["Problem"].Resolve(nil); err != nil {
		return nil, err
	}
	for path, methods := range doc.Paths {
		for method, op := range methods {
			r := &described{method: strings.ToUpper(method), path: path, answers: map[string]*jsonschema.Resolved{}}
			for _, p := range op.Parameters {
				if p.In == "query" {
					r.query = append(r.query, p.Name)
				}
			}
			if in, is := op.RequestBody.Content["application/json"]; is && in.Schema != nil {
				r.json = true
				for name := range in.Schema.Properties {
					r.body = append(r.body, name)
				}
				slices.Sort(r.body)
			}
			for status, answer := range op.Responses {
				if status == "default" {
					continue
				}
				r.status, _ = strconv.Atoi(status)
				for kind, m := range answer.Content {
					r.answers[kind] = nil
					if m.Schema != nil {
						if r.answers[kind], err = m.Schema.Resolve(nil); err != nil {
							return nil, fmt.Errorf("%s %s: %w", method, path, err)
						}
					}
				}
			}
			d.routes = append(d.routes, r)
		}
	}
	slices.SortFunc(d.routes, func(a, b *described) int {
		return strings.Compare(a.path+a.method, b.path+b.method)
	})
	return d, nil
}

// route finds what a request is for: where a word and a name both fit, the word.
func (d *document) route(method, path string) (best *described) {
	words, most := strings.Split(path, "/"), -1
	for _, r := range d.routes {
		parts := strings.Split(r.path, "/")
		if r.method != method || len(parts) != len(words) {
			continue
		}
		same := 0
		for i := range parts {
			switch {
			case parts[i] == words[i]:
				same++
			case !strings.HasPrefix(parts[i], "{"):
				same = -100
			}
		}
		if same > most {
			best, most = r, same
		}
	}
	return best
}

// RoundTrip sends a request and holds the answer to the document.
func (d *document) RoundTrip(req *http.Request) (*http.Response, error) {
	return d.through(d.inner, req)
}

func (d *document) through(way http.RoundTripper, req *http.Request) (*http.Response, error) {
	res, err := way.RoundTrip(req)
	if err != nil || !strings.HasPrefix(req.URL.Host, "127.0.0.1") || !strings.HasPrefix(req.URL.Path, "/v1/") ||
		res.StatusCode == http.StatusSwitchingProtocols {
		return res, err
	}
	body, err := io.ReadAll(res.Body)
	res.Body.Close()
	res.Body = io.NopCloser(bytes.NewReader(body))
	if err != nil {
		return res, nil // it was cut off, which is the reader's to see
	}
	why := d.check(req, res, body)
	for name, want := range map[string]string{"Cache-Control": "no-store", "X-Content-Type-Options": "nosniff",
		"Referrer-Policy": "no-referrer", "Server": ""} {
		if got := res.Header.Get(name); got != want {
			why = fmt.Sprintf("the header %s is %q, not %q", name, got, want)
		}
	}
	if why != "" {
		d.mu.Lock()
		defer d.mu.Unlock()
		if _, told := d.wrong[why]; !told {
			d.wrong[why] = fmt.Sprintf("%s %s: %d %.200s: %s", req.Method, req.URL.Path, res.StatusCode, body, why)
		}
	}
	return res, nil
}

func (d *document) check(req *http.Request, res *http.Response, body []byte) string {
	kind, _, _ := mime.ParseMediaType(res.Header.Get("Content-Type"))
	r := d.route(req.Method, req.URL.EscapedPath())
	schema, known := d.problem, true
	switch {
	case res.StatusCode >= 400:
		if kind != "application/problem+json" {
			return "a refusal is of the media type " + kind
		}
	case r == nil && (req.Method == "HEAD" || req.Method == "OPTIONS"):
		return ""
	case r == nil:
		return "no such route is in the document"
	case res.StatusCode == http.StatusNotModified:
		return ""
	case res.StatusCode != r.status:
		return fmt.Sprintf("the document has the status %d", r.status)
	default:
		d.mu.Lock()
		d.seen[r.method+" "+r.path] = true
		d.mu.Unlock()
		if len(r.answers) == 0 && len(body) == 0 {
			return ""
		}
		if schema, known = r.answers[kind]; !known {
			return "the document has no answer of the media type " + kind
		}
	}
	if schema == nil || req.Method == "HEAD" {
		return ""
	}
	var v any
	if err := json.Unmarshal(body, &v); err != nil {
		return err.Error()
	}
	if err := schema.Validate(v); err != nil {
		return err.Error()
	}
	return ""
}

// verdict says what answers were not as the document has them, and notes which routes have answered for whoever started
// this theme.
func (d *document) verdict() (wrong []string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	wrong = slices.Sorted(maps.Values(d.wrong))
	if file := os.Getenv(themeVariable); file != "" {
		data, err := json.Marshal(slices.Sorted(maps.Keys(d.seen)))
		if err = errors.Join(err, os.WriteFile(file+".routes", data, 0o600)); err != nil {
			wrong = append(wrong, err.Error())
		}
	}
	return wrong
}

// TestDocument: the document is the present one, and served.
func TestDocument(t *testing.T) {
	want, err := api.OpenAPI()
	if err != nil {
		t.Fatal(err)
	}
	page, err := os.ReadFile("../../../docs/openapi.json")
	if err != nil || string(page) != string(want)+"\n" {
		t.Errorf("docs/openapi.json is not the present one; ./dev docs writes it (%v)", err)
	}
	for _, path := range []string{"/v1/openapi.json", "/v1/live/schema", "/health", "/ready"} {
		res, err := http.Get(node.Address + path)
		if err != nil {
			t.Fatal(err)
		}
		body, _ := io.ReadAll(res.Body)
		res.Body.Close()
		if res.StatusCode != 200 || path == "/v1/openapi.json" && string(body) != string(want) {
			t.Errorf("%s: %d, %d bytes", path, res.StatusCode, len(body))
		}
	}
}
