package spec_test

import (
	"encoding/json"
	"os"
	"reflect"
	"strings"
	"testing"

	"github.com/google/jsonschema-go/jsonschema"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/step"
	"turnvex.example/turnvex/internal/wire"
	"turnvex.example/turnvex/internal/wire/spec"
)

// TestPage: the page and the schema are the present ones; every message and every field of one stands on the page with
// what it is for.
func TestPage(t *testing.T) {
	schema, err := spec.Schema()
	if err != nil {
		t.Fatal(err)
	}
	for file, want := range map[string]string{"protocol.md": spec.Page(), "protocol.schema.json": string(schema) + "\n",
		"../clients/typescript/src/messages.ts": spec.TypeScript()} {
		if got, err := os.ReadFile("../../../docs/" + file); err != nil || string(got) != want {
			t.Errorf("docs/%s is not the present one; ./dev docs writes it (%v)", file, err)
		}
	}
	openAPI, err := os.ReadFile("../../../docs/openapi.json")
	if err != nil {
		t.Fatal(err)
	}
	routes, err := spec.Routes(openAPI)
	if got, _ := os.ReadFile("../../../clients/typescript/src/routes.ts"); err != nil || string(got) != routes {
		t.Errorf("clients/typescript/src/routes.ts is not the present one; ./dev docs writes it (%v)", err)
	}
	for _, verb := range step.Verbs {
		if !strings.Contains(spec.Page(), "`"+string(verb)+"`") {
			t.Errorf("the page does not name the intent %s", verb)
		}
	}
	for _, m := range spec.Messages {
		typ := reflect.TypeOf(m.Type)
		for i := range typ.NumField() {
			if f := typ.Field(i); f.Name != "Is" && f.Tag.Get("jsonschema") == "" {
				t.Errorf("%s.%s: nothing says what it is for", m.Is, f.Name)
			}
		}
		for _, word := range strings.Split(m.Errors, "`") {
			if strings.Contains(word, "-") && !strings.Contains(word, " ") && !known(word) {
				t.Errorf("%s: there is no code %s", m.Is, word)
			}
		}
	}
}

func known(word string) bool {
	for _, e := range code.All {
		if string(e.Code) == word {
			return true
		}
	}
	return false
}

// TestSchema: every example and every vector is what the schema of its message says,
// and not what that of another does; a strange key is refused to clients.
func TestSchema(t *testing.T) {
	data, err := spec.Schema()
	if err != nil {
		t.Fatal(err)
	}
	var doc jsonschema.Schema
	if err := json.Unmarshal(data, &doc); err != nil {
		t.Fatal(err)
	}
	message, err := doc.Resolve(nil)
	if err != nil {
		t.Fatal(err)
	}
	check := func(what string, text []byte, valid bool) {
		t.Helper()
		var v any
		if err := json.Unmarshal(text, &v); err != nil {
			t.Fatal(what, err)
		}
		if err := message.Validate(v); (err == nil) != valid {
			t.Errorf("%s: valid should be %v: %v", what, valid, err)
		}
	}
	for _, m := range spec.Messages {
		check(m.Is, []byte(m.Example), true)
		var plain map[string]json.RawMessage
		json.Unmarshal([]byte(m.Example), &plain)
		plain["extra"] = json.RawMessage(`1`)
		extra, _ := json.Marshal(plain)
		check(m.Is+" with a strange key", extra, m.From != spec.Client)
		delete(plain, "is")
		nameless, _ := json.Marshal(plain)
		check(m.Is+" without its name", nameless, false)
	}
	var v vectors
	file, err := os.ReadFile(vectorsFile)
	if err == nil {
		err = json.Unmarshal(file, &v)
	}
	if err != nil {
		t.Fatal(err)
	}
	for _, step := range v.Story {
		check(step.What, step.JSON, true)
	}
}

// FuzzRead: whatever a client or a service sends, reading it ends in a message or an
// error; what is read strictly is written and read again the same.
func FuzzRead(f *testing.F) {
	for _, m := range spec.Messages {
		f.Add([]byte(m.Example), false)
		if m.Is != "snapshot" && m.Is != "delta" {
			into := reflect.New(reflect.TypeOf(m.Type)).Interface()
			if wire.Read(replica.JSON, []byte(m.Example), into) == nil {
				f.Add(wire.Encode(replica.CBOR, into), true)
			}
		}
	}
	f.Add([]byte{0x82, 1, 1, 0x83, 5, 0, 0x18, 75}, true)
	f.Fuzz(func(t *testing.T, data []byte, binary bool) {
		enc := replica.JSON
		if binary {
			enc = replica.CBOR
		}
		wire.TooDeep(enc, data)
		kind, err := wire.Kind(enc, data)
		if err != nil {
			return
		}
		wire.Parts(enc, data)
		for _, m := range spec.Messages {
			if m.Is != kind {
				continue
			}
			wire.ReadLoose(enc, data, reflect.New(reflect.TypeOf(m.Type)).Interface())
			one, two := reflect.New(reflect.TypeOf(m.Type)).Interface(), reflect.New(reflect.TypeOf(m.Type)).Interface()
			if wire.Read(enc, data, one) != nil {
				return
			}
			again, err := json.Marshal(one)
			if err != nil {
				return // a number that JSON cannot carry
			}
			if err := wire.Read(replica.JSON, again, two); err != nil {
				t.Fatalf("%s was read from %q and written as %s: %v", kind, data, again, err)
			}
			if third, _ := json.Marshal(two); string(third) != string(again) {
				t.Fatalf("%s and then %s", again, third)
			}
		}
	})
}
