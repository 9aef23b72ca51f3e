package sheet

import (
	"encoding/json"
	"slices"
	"strconv"
	"strings"
)

// A list's items stand in one text: integers, indexes of words and numbers of sheets as decimals with commas between
// them, texts as a JSON array. An empty list is the empty text.

// MaxItems is the most items that a list may hold.
const MaxItems = 1000

// Items splits a list into its items: decimals, or texts.
func Items(s string) []string {
	switch {
	case s == "":
		return nil
	case s[0] == '[':
		var out []string
		_ = json.Unmarshal([]byte(s), &out) // it was written by ListOf
		return out
	}
	return strings.Split(s, ",")
}

// ListOf makes a list of items: decimals, or texts.
func ListOf(items []string, texts bool) string {
	if !texts || len(items) == 0 {
		return strings.Join(items, ",")
	}
	s, _ := json.Marshal(items) // texts always can be
	return string(s)
}

// CountItems is how many items a list has.
func CountItems(s string) int64 {
	switch {
	case s == "":
		return 0
	case s[0] == '[':
		return int64(len(Items(s)))
	}
	return int64(strings.Count(s, ",")) + 1
}

// NextItem cuts the first item off a list of integers.
func NextItem(s string) (item int64, rest string) {
	first, rest, _ := strings.Cut(s, ",")
	item, _ = strconv.ParseInt(first, 10, 64)
	return item, rest
}

// Holds tells whether an integer is in a list of integers.
func Holds(s string, item int64) bool {
	for s != "" {
		var n int64
		if n, s = NextItem(s); n == item {
			return true
		}
	}
	return false
}

// itemOf is how an item of a list is written.
func itemOf(f *Field, item string) string {
	n, err := strconv.ParseInt(item, 10, 64)
	if f == nil || f.Item == Text || err != nil {
		return item
	}
	return IntValue(f.Item, n).Show(f, 0, 0)
}

// showList writes a list for people.
func showList(f *Field, s string) string {
	items := Items(s)
	for i, item := range items {
		items[i] = itemOf(f, item)
	}
	return "[" + strings.Join(items, ", ") + "]"
}

// plainList is a list as messages carry it: of integers, or of texts.
func plainList(s string) any {
	if strings.HasPrefix(s, "[") {
		return Items(s)
	}
	out := []int64{}
	for s != "" {
		var n int64
		n, s = NextItem(s)
		out = append(out, n)
	}
	return out
}

// Without returns a list without the items that are equal to one.
func Without(s, item string) string {
	return ListOf(slices.DeleteFunc(Items(s), func(x string) bool { return x == item }), strings.HasPrefix(s, "["))
}
