package api

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"reflect"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/go-chi/chi/v5/middleware"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
)

// problem is an error as RFC 9457 has it, with our stable code.
type problem struct {
	Type     string `json:"type"`
	Title    string `json:"title"`
	Status   int    `json:"status"`
	Detail   string `json:"detail"`
	Instance string `json:"instance,omitempty"`
	Code     string `json:"code"`
	Findings any    `json:"findings,omitempty"`
}

func (s *server) fail(w http.ResponseWriter, r *http.Request, err error) {
	var f *fault.Fault
	switch {
	case errors.As(err, &f):
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, context.Canceled):
		s.Log.Warn("a request was not answered in time", "id", middleware.GetReqID(r.Context()), "path", r.URL.Path)
		f = fault.New(code.Stopping, "this was not answered within %s; try again in a moment", answerWithin)
		f.Left = 1
	default:
		s.Log.Error("a request failed", "id", middleware.GetReqID(r.Context()), "path", r.URL.Path, "error", err)
		f = fault.New(code.Internal, "something went wrong inside; it was logged")
	}
	status := code.Status(f.Code)
	p := problem{Type: "about:blank", Title: http.StatusText(status), Status: status, Detail: f.Reason,
		Instance: middleware.GetReqID(r.Context()), Code: string(f.Code), Findings: f.Extra}
	data, _ := json.Marshal(p)
	if f.Left > 0 {
		w.Header().Set("Retry-After", strconv.Itoa(f.Left))
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	w.Write(append(data, '\n'))
}

func (s *server) send(w http.ResponseWriter, r *http.Request, status int, v any) {
	if _, done := v.(written); done {
		return
	}
	if v == nil {
		w.WriteHeader(http.StatusNoContent)
		return
	}
	buf := answers.Get().(*bytes.Buffer)
	defer func() {
		if buf.Cap() <= maxKept {
			answers.Put(buf)
		}
	}()
	buf.Reset()
	if a, is := v.(appender); is {
		buf.Write(append(a.AppendJSON(buf.AvailableBuffer()), '\n'))
	} else if err := json.NewEncoder(buf).Encode(v); err != nil {
		s.fail(w, r, err)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Content-Length", strconv.Itoa(buf.Len()))
	w.WriteHeader(status)
	w.Write(buf.Bytes())
}

// appender is an answer that knows how it is written.
type appender interface{ AppendJSON([]byte) []byte }

// answers are lent to requests while their answers are written.
var answers = sync.Pool{New: func() any { return new(bytes.Buffer) }}

// maxBody is the most bytes of a JSON request.
const maxBody = 64 << 10

// body decodes a JSON request strictly.
func body(w http.ResponseWriter, r *http.Request, into any) error {
	if ct := r.Header.Get("Content-Type"); ct != "" && !strings.HasPrefix(ct, "application/json") {
		return fault.New(code.BadRequest, "the request must be application/json, not %s", ct)
	}
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	switch {
	case err != nil:
		return decodeFault(err, into)
	case !utf8.Valid(raw):
		return fault.New(code.BadRequest, "the request is not UTF-8 text")
	}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	d.UseNumber()
	if err := d.Decode(into); err != nil {
		return decodeFault(err, into)
	}
	if holdsNUL(reflect.ValueOf(into)) {
		return fault.New(code.BadRequest, "a text in the request holds the character U+0000")
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return fault.New(code.BadRequest, "something stands behind the JSON document")
	}
	return nil
}

// holdsNUL tells whether a text holds what the database cannot keep.
func holdsNUL(v reflect.Value) bool {
	switch v.Kind() {
	case reflect.String:
		return strings.Contains(v.String(), "\x00")
	case reflect.Pointer, reflect.Interface:
		return !v.IsNil() && holdsNUL(v.Elem())
	case reflect.Slice:
		if v.Type().Elem().Kind() == reflect.Uint8 {
			return bytes.Contains(v.Bytes(), []byte(`\u0000`)) // JSON that is read later
		}
		for i := range v.Len() {
			if holdsNUL(v.Index(i)) {
				return true
			}
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if holdsNUL(v.Field(i)) {
				return true
			}
		}
	case reflect.Map:
		for it := v.MapRange(); it.Next(); {
			if holdsNUL(it.Key()) || holdsNUL(it.Value()) {
				return true
			}
		}
	}
	return false
}

func decodeFault(err error, into any) error {
	var large *http.MaxBytesError
	var wrong *json.UnmarshalTypeError
	switch {
	case errors.As(err, &large):
		return fault.New(code.TooLarge, "the request has more than %d bytes", large.Limit)
	case errors.As(err, &wrong):
		return fault.New(code.BadRequest, "%s must be a %s, not a %s", wrong.Field, wrong.Type, wrong.Value)
	case errors.Is(err, io.EOF):
		return fault.New(code.BadRequest, "the request has no body; a JSON object is expected")
	}
	if name, ok := strings.CutPrefix(err.Error(), "json: unknown field "); ok {
		name = strings.Trim(name, `"`)
		known := jsonNames(into)
		more := ""
		if near := rulebook.Nearest(name, known); near != "" {
			more = fmt.Sprintf("; did you mean %q?", near)
		}
		return fault.New(
			code.UnknownField,
			"there is no field %q here; known are %s%s",
			name,
			strings.Join(known, ", "),
			more,
		)
	}
	return fault.New(
		code.BadRequest,
		"the request is not well-formed JSON: %s",
		strings.TrimPrefix(err.Error(), "json: "),
	)
}

// jsonNames are the names that a request may hold.
func jsonNames(v any) []string {
	var names []string
	t := reflect.TypeOf(v).Elem()
	if t.Kind() != reflect.Struct {
		return nil
	}
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		names = append(names, name)
	}
	return names
}
