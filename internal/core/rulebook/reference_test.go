package rulebook

import (
	"encoding/json"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/goccy/go-yaml"
	"github.com/google/jsonschema-go/jsonschema"
)

// merged puts an example's keys in the place of the base's.
func merged(t *testing.T, example string) []byte {
	t.Helper()
	var base, over yaml.MapSlice
	for src, into := range map[string]*yaml.MapSlice{exampleBase: &base, example: &over} {
		if err := yaml.UnmarshalWithOptions([]byte(src), into, yaml.UseOrderedMap()); err != nil {
			t.Fatalf("%v in\n%s", err, src)
		}
	}
	for _, o := range over {
		found := false
		for i := range base {
			if base[i].Key == o.Key {
				found = true
				if o.Key == "sheets" {
					base[i].Value = addFields(base[i].Value.(yaml.MapSlice), o.Value.(yaml.MapSlice))
				} else {
					base[i].Value = o.Value
				}
			}
		}
		if !found {
			base = append(base, o)
		}
	}
	out, err := yaml.Marshal(base)
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// addFields adds an example's fields to those of the base.
func addFields(base, more yaml.MapSlice) yaml.MapSlice {
	for _, m := range more {
		i := slices.IndexFunc(base, func(b yaml.MapItem) bool { return b.Key == m.Key })
		if i < 0 {
			base = append(base, m)
			continue
		}
		fields := m.Value.(yaml.MapSlice)
		for _, old := range base[i].Value.(yaml.MapSlice) {
			if !slices.ContainsFunc(fields, func(f yaml.MapItem) bool { return f.Key == old.Key }) {
				fields = append(fields, old)
			}
		}
		base[i].Value = fields
	}
	return base
}

// TestReference runs every example of the reference, and sees to it that every key is shown in one and that the page is
// the present one.
func TestReference(t *testing.T) {
	shown := map[*object]map[string]bool{}
	for _, o := range objects() {
		shown[o] = map[string]bool{}
	}
	for _, o := range objects() {
		examples := []string{o.example}
		for i := range o.keys {
			examples = append(examples, o.keys[i].example)
		}
		for _, e := range examples {
			if e == "" {
				continue
			}
			form, src, compile := topObject, []byte(e), CompileGame
			if o == gameObject {
				form = gameObject
			} else if o == seriesObject || o == seriesPoints {
				form, compile = seriesObject, func(src []byte) (*Book, Problems) {
					s, problems := CompileSeries(src)
					return map[bool]*Book{true: {}}[s != nil], problems
				}
			} else if o == arenaFile {
				form, src = arenaFile, Join(merged(t, arenasObject.key("files").example), src)
				compile = Compile
			} else if src, compile = merged(t, e), Compile; strings.HasPrefix(e, "game:") {
				src = Bundle(src, []byte(gameObject.example))
			} else if strings.HasPrefix(e, "arenas: {files") {
				src = Join(src, []byte(arenaFile.example))
			}
			book, problems := compile(src)
			problems = slices.DeleteFunc(problems, func(p Problem) bool { return p.Code == "field-unset" }) // base
			if book == nil || len(problems) > 0 {
				t.Errorf("the example of %s:\n%s\n%s", o.name, e, problems.Error())
			}
			docs, _ := readDocuments([]byte(e))
			noteKeys(shown, docs[0], &spec{shape: anObject, object: form})
		}
	}
	chaptered := map[*object]int{}
	for _, c := range chapters() {
		for _, o := range c.of {
			chaptered[o]++
		}
	}
	for _, o := range objects() {
		if chaptered[o] != 1 {
			t.Errorf("%s stands in %d chapters of the reference", o.name, chaptered[o])
		}
		for i := range o.keys {
			if !shown[o][o.keys[i].name] && o.keys[i].of == nil {
				t.Errorf("no example shows the key %s of a %s", o.keys[i].name, o.name)
			}
		}
	}
	if page, err := os.ReadFile("../../../docs/rulebook.md"); err != nil || string(page) != Reference() {
		t.Errorf("docs/rulebook.md is not the present one; ./dev docs writes it (%v)", err)
	}
}

func noteKeys(shown map[*object]map[string]bool, n *node, s *spec) {
	for _, e := range n.entries {
		switch {
		case s.shape == aMap:
			noteKeys(shown, e.value, s.elem)
		case s.shape == anObject:
			shown[s.object][e.key] = true
			if k := s.object.key(e.key); k != nil {
				sp := &k.spec
				if sp.shape == anything {
					sp = &effects
				}
				noteKeys(shown, e.value, sp)
			}
		}
	}
	for _, item := range n.items {
		if s.elem != nil {
			noteKeys(shown, item, s.elem)
		}
	}
}

// TestSchemaAgrees holds the JSON Schema to the checker, both ways: what one finds wrong in the form of a document the
// other finds too.
func TestSchemaAgrees(t *testing.T) {
	var doc jsonschema.Schema
	if err := json.Unmarshal(Schema(), &doc); err != nil {
		t.Fatal(err)
	}
	schema, err := doc.Resolve(nil)
	if err != nil {
		t.Fatal(err)
	}
	offered := map[string]string{"rule": "for", "effect": "each"} // words first, for editors
	for o, key := range offered {
		if k := doc.Defs[o].Properties[key]; len(k.AnyOf) != 2 || !slices.Contains(k.AnyOf[0].Enum, any("zones")) {
			t.Errorf("%s.%s does not offer its words", o, key)
		}
	}
	corpus, err := os.ReadFile("testdata/corpus.txt")
	if err != nil {
		t.Fatal(err)
	}
	var docs []string
	for _, part := range strings.Split("\n"+string(corpus), "\n=== ")[1:] {
		_, rest, _ := strings.Cut(part, "\n")
		d, _, _ := strings.Cut(rest+"\n", "\n---\n")
		docs = append(docs, d)
	}
	docs = append(docs, exampleBase)
	for _, o := range objects() { // each key of the wrong type, and a key that is not there
		for i := range o.keys {
			docs = append(docs, wrongKeys(o, &o.keys[i])...)
		}
	}
	agree := 0
	for _, d := range docs {
		docs, problems := readDocuments([]byte(d))
		if len(docs) != 1 || docs[0] == nil || len(problems) > 0 {
			continue
		}
		top := docs[0]
		s := &structure{}
		s.check(top, &spec{shape: anObject, object: topObject})
		var value any
		if err := yaml.Unmarshal([]byte(strings.TrimPrefix(d, "\ufeff")), &value); err != nil {
			t.Fatalf("%v in\n%s", err, d)
		}
		bad := formProblems(s.problems)
		if err := schema.Validate(value); (err != nil) != bad {
			t.Errorf("the checker finds %v, the schema %v, in\n%s", s.problems, err, d)
		}
		agree++
	}
	if agree < 100 {
		t.Errorf("only %d documents were compared", agree)
	}
}

// formProblems tells whether anything is wrong that a schema can express: ranges of durations and of lengths written
// with a unit are not.
func formProblems(ps Problems) bool {
	for _, p := range ps {
		if p.Code != "out-of-range" || !strings.Contains(p.Message, `"`) {
			return true
		}
	}
	return false
}

// wrongKeys writes documents in which a top-level key is wrong in different ways.
func wrongKeys(o *object, k *key) []string {
	if o != topObject {
		return nil
	}
	var docs []string
	for _, v := range []string{"7", "-1", "true", "[]", "{}", "''", "x", "[x]", "{x: 1}", "{x: {}}", "3.5",
		"{least: 3}", "{a: {do: [{out: me}]}}", "[{every: 1s, do: []}]", "[{every: 1s}]"} {
		head := "turnvex: 1\nname: x\nphases: {play: {}}\n"
		if k.name == "turnvex" || k.name == "name" || k.name == "phases" {
			head = strings.Replace(head,
				k.name+": "+map[string]string{"turnvex": "1", "name": "x", "phases": "{play: {}}"}[k.name]+"\n", "", 1)
		}
		docs = append(docs, head+k.name+": "+v+"\n")
	}
	return docs
}

// TestTermsAreDefined: each term of the glossary that the reference uses is defined, in bold, where it is first used.
// Links lead to where it is.
func TestTermsAreDefined(t *testing.T) {
	glossary, err := os.ReadFile("../../../docs/glossary.md")
	if err != nil {
		t.Fatal(err)
	}
	everyday := []string{"change", "check", "hold", "judge", "list", "needed", "part", "way"}
	text := regexp.MustCompile("(?s)```.*?```|`[^`\n]*`|<!--.*?-->|\\[[^]]*\\]\\([^)]*\\)").ReplaceAllString(Reference(), "")
	text = regexp.MustCompile("(?m)^#.*$").ReplaceAllString(text, "")
	text = strings.Join(strings.Fields(text), " ")
	terms := regexp.MustCompile(`(?m)^\| ([^|]+) \|`).FindAllStringSubmatch(string(glossary), -1)
	for _, found := range terms[1:] {
		term := found[1]
		use := regexp.MustCompile(`(?i)(?:^|[^\w-])(\*\*)?` + term + `(\*\*)?(s|es|d)?[^\w-].{0,40}`)
		first := use.FindStringSubmatch(text)
		if first != nil && first[1] == "" && !slices.Contains(everyday, term) {
			t.Errorf("%s is used in …%s… before it is defined", term, first[0])
		}
	}
	if len(terms) < 100 {
		t.Errorf("%d terms", len(terms))
	}
}
