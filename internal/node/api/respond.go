package api

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime"
	"net/http"
	"os"
	"reflect"
	"strconv"
	"strings"
	"sync"

	"github.com/go-chi/chi/v5/middleware"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/node/fault"
	"turnvex.example/turnvex/internal/node/store"
	"turnvex.example/turnvex/internal/wire/strict"
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

// faultOf is how an error is told to whoever asked. What is nobody's fault but the service's is logged, with what it
// was about.
func (s *server) faultOf(err error, about ...any) (f *fault.Fault) {
	log := s.Log.With(about...)
	switch {
	case errors.As(err, &f):
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, context.Canceled):
		log.Warn("something was not answered in time")
		f = fault.New(code.Stopping, "the request took too long; try again in a moment")
		f.Left = 1
	case store.Busy(err):
		log.Warn("the database could not do what was asked", "error", err)
		f = fault.New(code.Stopping, "the database is busy or restarting; try again in a moment")
		f.Left = 1
	default:
		log.Error("something failed", "error", err)
		f = fault.New(code.Internal, "something went wrong inside; it was logged")
	}
	return f
}

func (s *server) fail(w http.ResponseWriter, r *http.Request, err error) {
	f := s.faultOf(err, "id", middleware.GetReqID(r.Context()), "path", r.URL.Path)
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

// maxKept is the largest buffer that is kept for the next answer.
const maxKept = 64 << 10

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
	if err := isJSON(r.Header.Get("Content-Type")); err != nil {
		return err
	}
	raw, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxBody))
	switch {
	case err != nil:
		return decodeFault(err)
	}
	if err := strict.JSON(raw, into); err != nil {
		return decodeFault(err)
	}
	if holdsNUL(reflect.ValueOf(into)) {
		return fault.New(code.BadRequest, "a text in the request holds the character U+0000")
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

// isJSON tells whether a body that is said to be of a media type (RFC 9110, section 8.3.1) is JSON in UTF-8; nothing
// said is taken for it.
func isJSON(contentType string) error {
	if contentType == "" {
		return nil
	}
	kind, params, err := mime.ParseMediaType(contentType)
	charset, said := params["charset"]
	if err != nil || kind != "application/json" || said && !strings.EqualFold(charset, "utf-8") {
		return fault.New(code.MediaType, "the request must be application/json in UTF-8, not %.100q", contentType)
	}
	return nil
}

func decodeFault(err error) error {
	var large *http.MaxBytesError
	var bad *strict.Error
	switch {
	case errors.As(err, &large):
		return fault.New(code.TooLarge, "the request has more than %d bytes", large.Limit)
	case errors.As(err, &bad) && bad.Unknown != "":
		more := ""
		if near := rulebook.Nearest(bad.Unknown, bad.Known); near != "" {
			more = fmt.Sprintf("; did you mean %q?", near)
		}
		return fault.New(code.UnknownField, "%s%s", bad.What, more)
	case errors.As(err, &bad):
		return fault.New(code.BadRequest, "in the request: %s", bad.What)
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		return fault.New(code.SlowBody, "the request did not come to its end: nothing came for 10 s, or less than "+
			"1 KiB a second")
	}
	return fault.New(code.BadRequest, "the request could not be read to its end")
}
