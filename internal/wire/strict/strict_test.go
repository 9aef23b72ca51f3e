package strict_test

import (
	stdjson "encoding/json"
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/wire/strict"
)

type part struct {
	Deep string `json:"deep"`
}

type sample struct {
	Is   string             `json:"is"`
	Seat uint32             `json:"seat,omitempty"`
	N    int64              `json:"n,omitempty"`
	At   *[2]int64          `json:"at,omitempty"`
	Yes  bool               `json:"yes,omitempty"`
	Any  any                `json:"any,omitempty"`
	Args map[string]any     `json:"args,omitempty"`
	Part part               `json:"part,omitzero"`
	When *time.Time         `json:"when,omitempty"`
	Raw  stdjson.RawMessage `json:"raw,omitempty"`
}

// TestJSON: one spelling for each document; what is wrong is told in the protocol's words.
func TestJSON(t *testing.T) {
	for doc, want := range map[string]string{
		`{"is":"a","seat":3,"n":-4,"at":[1,2],"yes":true,"part":{"deep":"x"}}`: "",
		`{"is":"a","when":"2026-11-26T08:00:00Z","raw":{"b":[1]}}`:             "",
		`{"Is":"a"}`:                      `there is no field "Is"; known are is, seat`,
		`{"is":"a","is":"b"}`:             `it holds "is" twice`,
		`{"is":"a","args":{"x":1,"x":2}}`: `it holds "x" twice`,
		`{"is":"a","part":{"Deep":"x"}}`:  `there is no field "Deep" in part; known are deep`,
		`{"is":"a","seat":"3"}`:           "seat is a text, not an integer from 0",
		`{"is":"a","seat":-1}`:            "seat is a number, not an integer from 0",
		`{"is":"a","seat":4294967296}`:    "seat is outside of 0 to 4294967295",
		`{"is":"a","n":1.0}`:              "n is a number, not an integer",
		`{"is":"a","n":1e2}`:              "n is a number, not an integer",
		`{"is":"a","at":[1]}`:             "at is",
		`{"is":"a","at":[1,2,3]}`:         "at is",
		`{"is":"a","at":{}}`:              "at is a map, not a list of 2",
		`{"is":4}`:                        "is is a number, not a text",
		`{"is":"a","when":"yesterday"}`:   "when is a text, not a time",
		`["a"]`:                           "it is a list, not a map",
		`{"is":"a"} {}`:                   "something stands behind the JSON document",
		`{"is":"a"`:                       "breaks off at byte 9",
		``:                                "it is empty",
		`{"is":"a",}`:                     "not well-formed JSON at byte 9",
		`{'is':'a'}`:                      "not well-formed JSON at byte 1",
		"{\"is\":\"\xff\"}":               "no UTF-8 at byte",
		`{"is":"\ud800"}`:                 "no UTF-8 at byte",
		`{"is":"a","n":NaN}`:              "not well-formed JSON",
		strings.Repeat("[", 20000):        "it is",
	} {
		err := strict.JSON([]byte(doc), &sample{})
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%.80s: %v, wanted %q", doc, err, want)
		}
		if err != nil && strings.ContainsAny(err.Error(), "*") || err != nil && strings.Contains(err.Error(), "json:") {
			t.Errorf("%.80s: %v", doc, err)
		}
	}
	var bad *strict.Error
	if err := strict.JSON([]byte("{\"is\":\"\xff\"}"), &sample{}); !errors.As(err, &bad) || !bad.Text {
		t.Errorf("bytes that are no text: %+v", bad)
	}
	var got sample
	err := strict.JSON([]byte(`{"is":"a","any":[1.50,{"x":1e400}],"args":{"y":12345678901234567890}}`), &got)
	want := sample{Is: "a", Any: []any{stdjson.Number("1.50"), map[string]any{"x": stdjson.Number("1e400")}},
		Args: map[string]any{"y": stdjson.Number("12345678901234567890")}}
	if err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("numbers are read as %+v, %v", got, err)
	}
}

// TestCBOR: integers and lengths may be longer than needed, and everything else has one form.
func TestCBOR(t *testing.T) {
	mode, err := strict.CBORReader(8, false)
	if err != nil {
		t.Fatal(err)
	}
	write := func(v any) string { b, _ := cbor.Marshal(v); return string(b) }
	for doc, want := range map[string]string{
		write(map[string]any{"is": "a", "seat": 3}): "",
		"\xa1\x62is\x78\x01a":                       "", // a length in two bytes
		"\xa2\x62is\x61a\x61n\x1a\x00\x00\x00\x05":  "", // an integer in five
		write(map[string]any{"Is": "a"}):            "is not known; known are is, seat",
		"\xa2\x62is\x61a\x62is\x61b":                `it holds "is" twice`,
		"\xbf\x62is\x61a\xff":                       "it is not CBOR as the protocol has it",
		"\xa1\x62is\x7f\x61a\xff":                   "it is not CBOR as the protocol has it",
		"\xa1\x62is\xc1\x61a":                       "it is not CBOR as the protocol has it",
		"\xa1\x62is\x61\xff":                        "no UTF-8",
		"\xa1\x62is\x05":                            "is is not of its type",
		write(map[string]any{"is": "a"}) + "\x00":   "something stands behind",
		strings.Repeat("\x81", 9) + "\x01":          "it is not CBOR as the protocol has it",
		"":                                          "it is not CBOR as the protocol has it",
	} {
		var into sample
		err := strict.CBOR(mode.Unmarshal([]byte(doc), &into), &into)
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%q: %v, wanted %q", doc, err, want)
		}
		if text := fmt.Sprint(err); strings.Contains(text, "strict_test") || strings.Contains(text, "cbor:") {
			t.Errorf("%q: %v", doc, err)
		}
	}
}

// FuzzStrict: whatever comes, reading it ends in a value or in an error in the protocol's words; JSON that is read has
// no other spelling: written again it is read as the same.
func FuzzStrict(f *testing.F) {
	for _, seed := range []string{`{"is":"a","seat":3}`, `{"is":"a","args":{"x":[1.50]}}`, `{"is":1}`, "{\"is\":\"\xff\"}",
		"\xa1\x62is\x61a", "\xbf\x62is\x61a\xff"} {
		f.Add([]byte(seed))
	}
	mode, err := strict.CBORReader(8, false)
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		var one, two, three sample
		err := strict.JSON(data, &one)
		other := strict.CBOR(mode.Unmarshal(data, &three), &three)
		for _, err := range []error{err, other} {
			if err != nil && (strings.Contains(err.Error(), "json:") || strings.Contains(err.Error(), "strict_test")) {
				t.Errorf("%q: %v", data, err)
			}
		}
		if err != nil {
			return
		}
		again, err := stdjson.Marshal(one)
		if err != nil {
			t.Fatal(err)
		}
		if err := strict.JSON(again, &two); err != nil {
			t.Fatalf("%q is read, and written as %s: %v", data, again, err)
		}
	})
}
