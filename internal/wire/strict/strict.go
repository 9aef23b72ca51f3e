// Package strict reads JSON and CBOR that others have written: each key in its one spelling and once, text in UTF-8,
// numbers as they were written, and nothing behind the end. What it says of what is wrong is in the words of the
// protocol.
package strict

import (
	stdjson "encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strconv"
	"strings"
	"time"

	"github.com/fxamacker/cbor/v2"
	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
)

// Error is what is wrong with a document.
type Error struct {
	What    string
	Unknown string   // the key that is not known, if that is what is wrong
	Known   []string // and the keys that are
	Text    bool     // it holds bytes that are no UTF-8
}

func (e *Error) Error() string { return e.What }

// options make numbers in free places keep the form that they were written in.
var options = json.JoinOptions(
	json.RejectUnknownMembers(true),
	json.WithUnmarshalers(json.UnmarshalFromFunc(func(d *jsontext.Decoder, v *any) error {
		if d.PeekKind() != '0' {
			return errors.ErrUnsupported
		}
		n, err := d.ReadValue()
		*v = stdjson.Number(n)
		return err
	})),
)

// JSON reads a document into what a pointer points at.
func JSON(data []byte, into any) error {
	err := json.Unmarshal(data, into, options)
	if err == nil {
		return nil
	}
	var syntax *jsontext.SyntacticError
	var semantic *json.SemanticError
	switch {
	case errors.As(err, &syntax):
		return syntactic(syntax)
	case errors.Is(err, json.ErrUnknownName) && errors.As(err, &semantic):
		at, name := split(semantic.JSONPointer)
		known := keys(semantic.GoType)
		return &Error{What: fmt.Sprintf("there is no field %q%s; known are %s", name, within(at),
			strings.Join(known, ", ")), Unknown: name, Known: known}
	case errors.As(err, &semantic):
		return wrongType(semantic)
	}
	return &Error{What: "it is not as it should be: " + strings.TrimPrefix(err.Error(), "json: ")}
}

func syntactic(e *jsontext.SyntacticError) error {
	_, name := split(e.JSONPointer)
	switch {
	case errors.Is(e, jsontext.ErrDuplicateName):
		return &Error{What: fmt.Sprintf("it holds %q twice", name)}
	case strings.Contains(e.Error(), "UTF-8") || strings.Contains(e.Error(), "surrogate"):
		return &Error{What: fmt.Sprintf("it holds bytes that are no UTF-8 at byte %d", e.ByteOffset), Text: true}
	case errors.Is(e, io.ErrUnexpectedEOF) && e.ByteOffset == 0:
		return &Error{What: "it is empty; a JSON object is expected"}
	case errors.Is(e, io.ErrUnexpectedEOF):
		return &Error{What: fmt.Sprintf("the JSON breaks off at byte %d", e.ByteOffset)}
	case strings.Contains(e.Error(), "after top-level value"):
		return &Error{What: fmt.Sprintf("something stands behind the JSON document, at byte %d", e.ByteOffset)}
	}
	return &Error{What: fmt.Sprintf("it is not well-formed JSON at byte %d", e.ByteOffset)}
}

func wrongType(e *json.SemanticError) error {
	at, name := split(e.JSONPointer)
	what := "it"
	if name != "" {
		what = name + within(at)
	}
	if errors.Is(e, strconv.ErrRange) {
		return &Error{What: fmt.Sprintf("%s is outside of %s", what, span(e.GoType))}
	}
	found := map[jsontext.Kind]string{'n': "null", 't': "a flag", 'f': "a flag", '"': "a text", '0': "a number",
		'{': "a map", '[': "a list"}[e.JSONKind]
	if found == "" {
		return &Error{What: what + " is not as it should be"}
	}
	if want := Name(e.GoType); want != found {
		return &Error{What: fmt.Sprintf("%s is %s, not %s", what, found, want)}
	}
	return &Error{What: fmt.Sprintf("%s is not %s as it should be", what, found)}
}

// split takes the last name off a pointer (RFC 6901).
func split(p jsontext.Pointer) (at, name string) {
	return strings.ReplaceAll(strings.Trim(string(p.Parent()), "/"), "/", "."), p.LastToken()
}

func within(at string) string {
	if at == "" {
		return ""
	}
	return " in " + at
}

// keys are the names that an object may hold.
func keys(t reflect.Type) (out []string) {
	for t != nil && t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t == nil || t.Kind() != reflect.Struct {
		return nil
	}
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && name == "":
			out = append(out, keys(f.Type)...)
		case f.IsExported() && name != "-":
			out = append(out, name)
		}
	}
	return out
}

// Name is what people call a value of a type.
func Name(t reflect.Type) string {
	for t != nil && t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t == nil {
		return "something else"
	}
	if t == reflect.TypeFor[time.Time]() {
		return "a time such as 2026-11-26T08:00:00Z"
	}
	switch t.Kind() {
	case reflect.String:
		return "a text"
	case reflect.Bool:
		return "a flag"
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return "an integer"
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return "an integer from 0"
	case reflect.Float32, reflect.Float64:
		return "a number"
	case reflect.Slice:
		return "a list"
	case reflect.Array:
		return fmt.Sprintf("a list of %d", t.Len())
	case reflect.Struct, reflect.Map:
		return "a map"
	}
	return "something else"
}

func span(t reflect.Type) string {
	switch t.Kind() {
	case reflect.Uint32:
		return "0 to 4294967295"
	case reflect.Uint, reflect.Uint64:
		return "0 to 2^64-1"
	case reflect.Int, reflect.Int64:
		return "-2^63 to 2^63-1"
	}
	return "what is allowed"
}

// reading is how CBOR is read: definite lengths, no tags, each key once and in its spelling. Integers and lengths need
// not have their shortest form.
func reading(depth int) cbor.DecOptions {
	return cbor.DecOptions{DupMapKey: cbor.DupMapKeyEnforcedAPF, MaxNestedLevels: depth,
		IndefLength: cbor.IndefLengthForbidden, TagsMd: cbor.TagsForbidden, IntDec: cbor.IntDecConvertSignedOrFail,
		ExtraReturnErrors: cbor.ExtraDecErrorUnknownField, DefaultMapType: reflect.TypeFor[map[string]any](),
		FieldNameMatching: cbor.FieldNameMatchingCaseSensitive}
}

// CBORReader returns how CBOR is read with lists and maps so deep inside each other; loosely passes over keys that are
// not known.
func CBORReader(depth int, loosely bool) (cbor.DecMode, error) {
	o := reading(depth)
	if loosely {
		o.ExtraReturnErrors = 0
	}
	return o.DecMode()
}

// CBOR says in the protocol's words what a reader found wrong; into is what was read into.
func CBOR(err error, into any) error {
	if err == nil {
		return nil
	}
	var kind *cbor.UnmarshalTypeError
	var unknown *cbor.UnknownFieldError
	var twice *cbor.DupMapKeyError
	var extra *cbor.ExtraneousDataError
	switch {
	case errors.As(err, &kind):
		name, _ := strings.CutPrefix(kind.StructFieldName, reflect.TypeOf(into).Elem().String()+".")
		if name == "" {
			name = "it"
		}
		return &Error{What: fmt.Sprintf("%s is not of its type; found: %s", strings.ToLower(name), kind.CBORType)}
	case errors.As(err, &unknown):
		known := keys(reflect.TypeOf(into))
		return &Error{What: fmt.Sprintf("the key number %d of the map is not known; known are %s", unknown.Index+1,
			strings.Join(known, ", ")), Unknown: strconv.Itoa(unknown.Index), Known: known}
	case errors.As(err, &twice):
		return &Error{What: fmt.Sprintf("it holds %q twice", fmt.Sprint(twice.Key))}
	case errors.As(err, &extra):
		return &Error{What: "something stands behind the message"}
	case strings.Contains(err.Error(), "invalid UTF-8"):
		return &Error{What: "it holds a text that is no UTF-8", Text: true}
	}
	return &Error{What: "it is not CBOR as the protocol has it: " + strings.TrimPrefix(err.Error(), "cbor: ")}
}
