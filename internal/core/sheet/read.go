package sheet

import (
	"encoding/json"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// ReadText reads a value as people write it: numbers as decimals, choices by their word. Bounds are the authority's to
// check.
func ReadText(f *Field, text string) (Value, error) {
	v := Value{Type: f.Type}
	switch f.Type {
	case Text:
		v.S = text
	case Flag:
		if text != "true" && text != "false" {
			return v, fmt.Errorf("true or false is expected, not %q", text)
		}
		if text == "true" {
			v.N[0] = 1
		}
	case Choice:
		i := slices.Index(f.Choices, text)
		if i < 0 {
			return v, fmt.Errorf("one of %s is expected, not %q", strings.Join(f.Choices, ", "), text)
		}
		v.N[0] = int64(i)
	case List:
		var items []any
		for _, item := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' }) {
			items = append(items, item)
		}
		one := *f
		one.Type = f.Item
		return listOf(items, f, func(x any) (Value, error) { return ReadText(&one, x.(string)) })
	case Position, Position3:
		parts := strings.Split(text, ",")
		for i, part := range parts {
			n, err := strconv.ParseInt(part, 10, 64)
			if err != nil || len(parts) != f.Type.Width() {
				return v, fmt.Errorf("%s such as %s is expected, not %q", f.Type.noun(),
					"6000,7000,2000"[:5*f.Type.Width()-1], text)
			}
			v.N[i] = n
		}
	default:
		n, ok := ParseThousandths(text)
		if f.Type != Number {
			ok, n = ok && n%Thousand == 0, n/Thousand
		}
		if !ok {
			return v, fmt.Errorf("%s is expected, not %q", f.Type.noun(), text)
		}
		if f.Type == Ref && (n < 0 || n > math.MaxUint32) {
			return v, fmt.Errorf("there is no sheet %d", n)
		}
		v.N[0] = n
	}
	return v, nil
}

// Read reads a value as programs send it: decoded JSON or CBOR of the field's own kind. A text is not taken for a
// number, nor anything else for a text. Bounds are the authority's to check.
func Read(f *Field, raw any) (Value, error) {
	text, is := raw.(string)
	switch x := raw.(type) {
	case bool:
		is, text = f.Type == Flag, strconv.FormatBool(x)
	case string:
		is = f.Type == Text || f.Type == Choice
	case json.Number:
		is, text = f.Type.counts(), decimal(x)
	case int64:
		is, text = f.Type.counts(), strconv.FormatInt(x, 10)
	case uint64:
		is, text = f.Type.counts(), strconv.FormatUint(x, 10)
	case float64: // never with an exponent
		is, text = f.Type.counts(), strconv.FormatFloat(x, 'f', -1, 64)
	case []any:
		if f.Type == List {
			return readList(f, x)
		}
		return readPoint(f, x)
	}
	if !is || f.Type.IsPosition() || f.Type == List {
		return Value{Type: f.Type}, fmt.Errorf("%s is expected, not %s", f.Type.noun(), nounOf(raw))
	}
	return ReadText(f, text)
}

// counts tells whether values of the type are sent as one number.
func (t Type) counts() bool { return t == Integer || t == Number || t == Ref || t == Clock }

// decimal writes a JSON number without an exponent, where it has one.
func decimal(n json.Number) string {
	if !strings.ContainsAny(string(n), "eE") {
		return strings.TrimSuffix(string(n), ".0")
	}
	x, err := n.Float64()
	if err != nil {
		return string(n)
	}
	return strconv.FormatFloat(x, 'f', -1, 64)
}

// readList reads a list that is sent along with an action.
func readList(f *Field, list []any) (Value, error) {
	one := *f
	one.Type = f.Item
	return listOf(list, f, func(x any) (Value, error) { return Read(&one, x) })
}

func listOf(list []any, f *Field, read func(any) (Value, error)) (Value, error) {
	v := Value{Type: List}
	if len(list) > MaxItems {
		return v, fmt.Errorf("a list of at most %d items is expected, not %d", MaxItems, len(list))
	}
	items := make([]string, len(list))
	for i, x := range list {
		item, err := read(x)
		if err != nil {
			return v, err
		}
		if items[i] = item.S; f.Item != Text {
			items[i] = strconv.FormatInt(item.N[0], 10)
		}
	}
	v.S = ListOf(items, f.Item == Text)
	return v, nil
}

func readPoint(f *Field, list []any) (Value, error) {
	v := Value{Type: f.Type}
	if !f.Type.IsPosition() || len(list) != f.Type.Width() {
		return v, fmt.Errorf("%s is expected, not a list of %d", f.Type.noun(), len(list))
	}
	whole := &Field{Type: Integer}
	for i, x := range list {
		n, err := Read(whole, x)
		if err != nil {
			return v, err
		}
		v.N[i] = n.N[0]
	}
	return v, nil
}

// noun is what a value of the type is called where another came.
func (t Type) noun() string {
	return [...]string{Integer: "an integer", Number: "a number with at most three decimals", Text: "a text",
		Flag:   "true or false",
		Choice: "one of its words", Position: "a list of two integers", Ref: "the number of a sheet",
		Clock: "an integer", List: "a list", Position3: "a list of three integers"}[t]
}

func nounOf(raw any) string {
	switch x := raw.(type) {
	case nil:
		return "null"
	case string:
		return "a text"
	case bool:
		return strconv.FormatBool(x)
	case map[string]any:
		return "a map"
	}
	return fmt.Sprint(raw)
}

var numberForm = regexp.MustCompile(`^-?[0-9]+(\.[0-9]{1,3})?$`)

// ParseThousandths reads a decimal with at most three decimals.
func ParseThousandths(s string) (int64, bool) {
	if !numberForm.MatchString(s) {
		return 0, false
	}
	whole, frac, _ := strings.Cut(s, ".")
	n, err := strconv.ParseInt(whole, 10, 64)
	if err != nil || n > math.MaxInt64/1000-1 || n < math.MinInt64/1000+1 {
		return 0, false
	}
	for len(frac) < 3 {
		frac += "0"
	}
	f, _ := strconv.ParseInt(frac, 10, 64)
	if strings.HasPrefix(whole, "-") {
		f = -f
	}
	return n*1000 + f, true
}

// Check holds a value of the field's type against its bounds: what is outside would be clamped, or cut, where the
// authority writes it.
func (f *Field) Check(v Value) error {
	if f.Type == Text {
		if utf8.RuneCountInString(v.S) > int(f.Max) {
			return fmt.Errorf("a text of at most %d characters is allowed", f.Max)
		}
		return nil
	}
	if f.Clamp(v.N[0]) != v.N[0] {
		return fmt.Errorf("a value from %s to %s is expected, not %s", IntValue(f.Type, f.Min).Show(f, 0, 0),
			IntValue(f.Type, f.Max).Show(f, 0, 0), v.Show(f, 0, 0))
	}
	return nil
}
