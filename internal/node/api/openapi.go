package api

import (
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"regexp"
	"strconv"
	"strings"
	"sync"

	"github.com/google/jsonschema-go/jsonschema"

	"turnvex.example/turnvex/internal/core/code"
)

// The document says what the routes are, as the OpenAPI Specification 3.1 has it. It is made from the routes
// themselves; tests hold every answer to it.

type (
	document struct {
		OpenAPI    string                           `json:"openapi"`
		Info       map[string]string                `json:"info"`
		Paths      map[string]map[string]*operation `json:"paths"`
		Components map[string]any                   `json:"components"`
	}
	operation struct {
		ID          string                `json:"operationId"`
		Summary     string                `json:"summary"`
		Parameters  []parameter           `json:"parameters,omitempty"`
		RequestBody *content              `json:"requestBody,omitempty"`
		Responses   map[string]*response  `json:"responses"`
		Security    []map[string][]string `json:"security"`
	}
	parameter struct {
		Name        string             `json:"name"`
		In          string             `json:"in"`
		Required    bool               `json:"required,omitempty"`
		Description string             `json:"description,omitempty"`
		Schema      *jsonschema.Schema `json:"schema"`
	}
	content struct {
		Required bool                 `json:"required,omitempty"`
		Content  map[string]mediaType `json:"content,omitempty"`
	}
	response struct {
		Description string               `json:"description"`
		Content     map[string]mediaType `json:"content,omitempty"`
	}
	mediaType struct {
		Schema *jsonschema.Schema `json:"schema,omitempty"`
	}
)

// OpenAPI returns the document.
func OpenAPI() ([]byte, error) {
	d := document{OpenAPI: "3.1.0", Paths: map[string]map[string]*operation{}, Info: map[string]string{
		"title": "Turnvex", "version": "1", "description": "The HTTP API of a Turnvex service; docs/http.md " +
			"explains it."}}
	problems, err := schemaOf(reflect.TypeFor[problem]())
	if err != nil {
		return nil, err
	}
	var words []any
	for _, e := range code.All {
		words = append(words, string(e.Code))
	}
	problems.Properties["code"].Enum = words
	d.Components = map[string]any{
		"schemas":   map[string]any{"Problem": problems},
		"responses": map[string]any{"Problem": response{"A refusal (RFC 9457).", problemContent()}},
		"securitySchemes": map[string]any{"token": map[string]string{"type": "http", "scheme": "bearer",
			"bearerFormat": "JWT"}},
	}
	for i := range documented {
		rt := &documented[i]
		op, err := rt.operation()
		if err != nil {
			return nil, fmt.Errorf("%s %s: %w", rt.method, rt.path, err)
		}
		if d.Paths[rt.path] == nil {
			d.Paths[rt.path] = map[string]*operation{}
		}
		d.Paths[rt.path][strings.ToLower(rt.method)] = op
	}
	return json.MarshalIndent(d, "", "  ")
}

func problemContent() map[string]mediaType {
	return map[string]mediaType{"application/problem+json": {&jsonschema.Schema{Ref: "#/components/schemas/Problem"}}}
}

var inPath = regexp.MustCompile(`\{([a-z]+)\}`)

func (rt *route) operation() (*operation, error) {
	op := &operation{ID: rt.id(), Summary: rt.summary + ". Who may call: " + accessNames[rt.access] + ".",
		Security: []map[string][]string{{"token": {}}}}
	if rt.access == public {
		op.Security = append(op.Security, map[string][]string{})
	}
	for _, m := range inPath.FindAllStringSubmatch(rt.path, -1) {
		op.Parameters = append(op.Parameters, parameter{m[1], "path", true, "", &jsonschema.Schema{Type: "string"}})
	}
	for _, p := range rt.params {
		op.Parameters = append(op.Parameters, parameter{p.name, "query", false, p.doc,
			&jsonschema.Schema{Type: p.kind}})
	}
	switch rt.body().(type) {
	case nil:
	case string:
		op.RequestBody = &content{true, map[string]mediaType{"application/yaml": {}, "application/json": {}}}
	default:
		s, err := schemaOf(reflect.TypeOf(rt.body()))
		if err != nil {
			return nil, err
		}
		op.RequestBody = &content{true, map[string]mediaType{"application/json": {s}}}
	}
	good := &response{Description: "Done."}
	if rt.out != nil {
		s, err := schemaOf(reflect.TypeOf(rt.out))
		if err != nil {
			return nil, err
		}
		good.Content = map[string]mediaType{"application/json": {s}}
	}
	for _, kind := range rt.kinds {
		good.Content = map[string]mediaType{}
		for _, k := range strings.Fields(kind) {
			good.Content[k] = mediaType{}
		}
	}
	op.Responses = map[string]*response{strconv.Itoa(rt.success()): good,
		"default": {"A refusal (RFC 9457).", problemContent()}}
	return op, nil
}

// id is a name for a route: its method and the words of its path.
func (rt *route) id() string {
	words := regexp.MustCompile(`[^a-zA-Z0-9]+`).Split(strings.TrimPrefix(rt.path, "/v1"), -1)
	out := strings.ToLower(rt.method)
	for _, w := range words {
		if w != "" {
			out += strings.ToUpper(w[:1]) + w[1:]
		}
	}
	return out
}

// success is the status of an answer that is no refusal.
func (rt *route) success() int {
	switch {
	case rt.status != 0:
		return rt.status
	case rt.out == nil && rt.kinds == nil:
		return http.StatusNoContent
	}
	return http.StatusOK
}

// schemaOf is the schema of what a type becomes as JSON.
func schemaOf(t reflect.Type) (*jsonschema.Schema, error) {
	return jsonschema.ForType(t, &jsonschema.ForOptions{IgnoreInvalidTypes: true,
		TypeSchemas: map[reflect.Type]*jsonschema.Schema{reflect.TypeFor[json.RawMessage](): {}}})
}

// documented are all routes: those of the table, and those that are made of their own.
var documented = append([]route{
	{method: "GET", path: "/health", summary: "The process is alive", out: map[string]string{}},
	{method: "GET", path: "/ready", summary: "The database answers", out: map[string]any{}},
	{method: "GET", path: "/v1/live", summary: "The live socket (WebSocket): docs/protocol.md", status: 101,
		kinds: []string{""}},
	{method: "GET", path: "/v1/live/schema", summary: "The JSON Schema of the live protocol's messages",
		kinds: []string{"application/schema+json"}},
	{method: "GET", path: "/v1/openapi.json", summary: "This document", kinds: []string{"application/json"}},
}, routes...)

// theDocument is the document, which is made once.
var theDocument = sync.OnceValues(OpenAPI)

// openAPI serves the document.
func openAPI(w http.ResponseWriter, _ *http.Request) {
	data, err := theDocument()
	if err != nil {
		panic(err) // the routes are fixed, and a test makes it
	}
	w.Header().Set("Content-Type", "application/json")
	w.Write(data)
}
