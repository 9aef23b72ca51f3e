package rulebook

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
)

// RandomDocument makes a rulebook up from the grammar: for the tests that let the core run whatever the checker
// accepts. Where the checker finds something wrong, that is taken out, until nothing is or nothing is left.
func RandomDocument(r *rand.Rand) []byte {
	g := &generator{r: r}
	doc := g.object(topObject, 0)
	doc["turnvex"], doc["name"], doc["tick"] = 1, "made_up", 10
	doc["start"] = map[string]any{"countdown": "0s"}
	doc["players"] = map[string]any{"least": 1, "most": 8, "late": "seat"}
	doc["ground"] = map[string]any{"width": "20m", "height": "20m"}
	doc["movement"] = map[string]any{"speed": "5m"}
	doc["sheets"] = map[string]any{
		"player": map[string]any{
			"hull": map[string]any{"type": "integer", "max": 100, "start": 50, "min": 0},
			"wind": map[string]any{"type": "number", "max": "double(me.hull)", "start": "double(me.hull) / 2.0"},
			"time": map[string]any{"type": "clock"},
			"on":   map[string]any{"type": "flag"},
			"late": map[string]any{"type": "flag", "is": g.pick(conditions)},
		},
		"match": map[string]any{
			"n":    map[string]any{"type": "integer"},
			"who":  map[string]any{"type": "player"},
			"ring": map[string]any{"type": "clock", "runs": "wall", "count": "down", "start": "3s"},
		},
	}
	rat := g.object(creatureObject, 2)
	rat["fields"] = map[string]any{
		"hull": map[string]any{"type": "integer", "start": "20 + match.n", "min": 0, "max": "creature.most"},
		"most": map[string]any{"type": "integer", "is": "40 + players.sum(p, p.hull)"},
	}
	shot := g.object(pieceObject, 2)
	shot["shot"], shot["keep"], shot["lasts"] = g.object(shotObject, 2), 0, "2s"
	doc["creatures"] = map[string]any{"rat": rat, "a": g.object(creatureObject, 2)}
	doc["pieces"] = map[string]any{"bolt": shot, "b": g.object(pieceObject, 2)}
	quay := g.object(zoneObject, 2)
	quay["capture"] = g.object(captureObject, 2)
	doc["zones"] = map[string]any{"quay": quay}
	if delete(doc, "arenas"); g.r.IntN(2) == 0 {
		list := map[string]any{}
		for _, name := range []string{"a", "b", "c"} {
			list[name] = g.object(arenaObject, 2)
		}
		doc["arenas"] = map[string]any{"pick": g.pick(arenaPickWords), "list": list}
		if doc["rounds"] != nil {
			doc["arenas"].(map[string]any)["each"] = "round"
		}
	}
	actions, _ := doc["actions"].(map[string]any)
	if actions == nil {
		actions = map[string]any{}
	}
	actions["go"] = map[string]any{"do": g.spec(&effects, 2)}
	doc["actions"] = actions
	doc["kits"] = map[string]any{"a": map[string]any{"actions": []any{"go"}}}
	for range 200 {
		src, err := yaml.Marshal(doc)
		if err != nil {
			panic(err)
		}
		_, problems := Compile(src)
		bad := problems.Errors()
		if len(bad) == 0 {
			return src
		}
		for _, p := range bad {
			takeOut(doc, strings.Split(p.At, "."))
		}
	}
	return nil
}

// takeOut removes what stands at a path such as rules[2].do[1].by.
func takeOut(v any, path []string) {
	name, index := path[0], -1
	if i := strings.IndexByte(name, '['); i >= 0 {
		index, _ = strconv.Atoi(strings.TrimSuffix(name[i+1:], "]"))
		name = name[:i]
	}
	m, ok := v.(map[string]any)
	if !ok {
		return
	}
	if index < 0 {
		if len(path) == 1 || m[name] == nil {
			delete(m, name)
			return
		}
		if inner, ok := m[name].(map[string]any); ok && len(path) > 1 && len(inner) > 0 {
			takeOut(inner, path[1:])
			return
		}
		delete(m, name)
		return
	}
	list, _ := m[name].([]any)
	if index < 1 || index > len(list) {
		return
	}
	if item, ok := list[index-1].(map[string]any); ok && len(path) > 1 {
		if _, there := item[strings.Split(path[1], "[")[0]]; there &&
			!strings.Contains("by to then else do if", path[1]) {
			takeOut(item, path[1:])
			return
		}
	}
	m[name] = append(append([]any{}, list[:index-1]...), list[index:]...)
}

type generator struct{ r *rand.Rand }

var (
	someFields = []string{"me.hull", "me.wind", "match.n", "match.who", "it.hull", "target.hull", "me.time", "me.on",
		"match.who.hull", "me.pos", "creature.hull", "creature.pos"}
	someExprs = []string{"1", "2.5", "true", "me.hull > 10", "me.hull == 0 && me.alive", "match.n > 3", "me", "target",
		"it", "nobody", "match.who", "match.who == me", "players.count(p, p.alive)", "players.exists(p, p.hull < 20)",
		"random(1, 6)", "random(0, 60)", "-me.hull", "me.hull / match.n", "me.time > 2000", "match.clock < 5000",
		"me.pos", "point(5m, 5m)", "piece", "me.wind * 1.5", "players.sum(p, p.hull)", "it.alive", "!me.on",
		"creature", "creature.pos", "creatures.filter(c, c.alive).nearest(me.pos)",
		"creature.rivals.filter(p, p.alive).nearest(creature.pos).pos", "players.highest(p, p.hull).pos",
		"creature.rivals.exists(p, p.alive)", "point(match.n * 1m, 3m)", "aim.to", "aim.dir", "zone.holder",
		"max(9000 - match.play, 0)", "match.quay.inside.first()"}
	someNames = []string{"a", "b", "c", "play", "rest", "end", "rat", "bolt", "players", "creatures", "pieces"}
	someTimes = []string{"100ms", "500ms", "1s", "3s"}
)

func (g *generator) pick(list []string) string { return list[g.r.IntN(len(list))] }

func (g *generator) object(o *object, depth int) map[string]any {
	out := map[string]any{}
	if len(o.oneOf) > 0 {
		k := o.key(o.oneOf[g.r.IntN(len(o.oneOf))])
		out[k.name] = g.value(k, depth)
	}
	for i := range o.keys {
		k := &o.keys[i]
		skip := false
		for _, one := range o.oneOf {
			skip = skip || one == k.name
		}
		if !skip && (k.required || depth == 0 && g.r.IntN(4) > 0 || depth < 7 && g.r.IntN(3) == 0) {
			out[k.name] = g.value(k, depth)
		}
	}
	if o == effectObject { // what belongs to the verb
		for verb, keys := range map[string][]string{"add": {"by"}, "set": {"to"}, "clock": {"do"}, "give": {"to"},
			"each": {"do"}, "if": {"then"}} {
			for _, name := range keys {
				if out[verb] != nil {
					out[name] = g.value(o.key(name), depth)
				}
			}
		}
		if out["each"] != nil {
			out["do"] = g.value(&key{name: "do", spec: effects}, depth)
		} else if out["clock"] != nil {
			out["do"] = g.pick([]string{"start", "stop", "reset", "restart"})
		}
	}
	return out
}

// What fits a key by its name, most of the time.
var (
	conditions = []string{"me.hull > 10", "me.hull == 0 && me.alive", "match.n > 3", "match.who == me",
		"players.count(p, p.alive) > 2", "players.exists(p, p.hull < 20)", "match.who != nobody", "me.time > 2000",
		"!me.on", "match.clock < 5000", "players.all(p, p.hull > 0)", "me.wind > 1.5", "match.n == 7",
		"match.ring < 1500", "running(match.ring) && match.ring == 0", "me.late", "creature.hull < 15",
		"creatures.exists(c, c.hull < 15)", "creature.alive", "match.quay.inside.size() > 1", "zone.contested",
		"within(me.pos, match.quay)", "zone.holder == nobody"}
	amounts = []string{"1", "-3", "2", "me.hull", "match.n", "random(1, 6)", "players.sum(p, p.hull)",
		"players.count(p, p.alive)", "me.hull / match.n", "match.n * 100"}
	someones = []string{"me", "nobody", "match.who", "it", "target", "creature", "players.highest(p, p.hull)"}
	byKey    = map[string][]string{
		"if":    conditions,
		"when":  conditions,
		"by":    amounts,
		"most":  amounts,
		"least": amounts,
		"out":   someones,
		"spawn": someones,
		"add":   {"me.hull", "match.n", "me.wind", "match.who.hull", "creature.hull", "target.hull"},
		"place": {"bolt", "rat", "a", "b"},
		"arena": {"a", "b", "me.hull > 10 ? 'c' : 'a'"},
		"use":   {"a", "b", "c"},
		"for":   {"players", "match", "rat", "creatures", "zones"},
		"way":   {"me.pos", "point(-300mm, 400mm)"},
		"at":    {"me.pos", "creature.pos", "point(4m, 9m)", "target.pos"},
		"on":    {"players.nearest(creature.pos)", "point(4m, 9m)", "creatures.first()"},
		"set":   {"match.n", "me.hull", "match.who.hull", "creature.pos", "me.pos"},
		"reset": {"me.hull", "match.n", "me.time"},
		"clock": {"me.time", "match.ring"},
	}
)

func (g *generator) value(k *key, depth int) any {
	if pool := byKey[k.name]; pool != nil &&
		(k.spec.shape == anExpr || k.spec.shape == aPath || k.spec.shape == aName) &&
		g.r.IntN(8) > 0 {
		return g.pick(pool)
	}
	if k.name == "to" && g.r.IntN(2) == 0 {
		return g.pick(append(amounts, someones...))
	}
	return g.spec(&k.spec, depth+1)
}

func (g *generator) spec(s *spec, depth int) any {
	switch s.shape {
	case anObject:
		return g.object(s.object, depth)
	case aParameter:
		return g.pick(s.words)
	case aMap:
		m := map[string]any{}
		for range 1 + g.r.IntN(3) {
			m[g.pick(someNames)] = g.spec(s.elem, depth)
		}
		return m
	case aList:
		list := []any{}
		for range 1 + g.r.IntN(3) {
			list = append(list, g.spec(s.elem, depth))
		}
		return list
	case aWord:
		return g.pick(s.words)
	case aName:
		return g.pick(someNames)
	case aText:
		return "text"
	case anInt:
		return s.min + g.r.Int64N(min(s.max-s.min, 5)+1)
	case aFlag:
		return g.r.IntN(2) == 0
	case aDuration, aTime, aSpan, aSpeed:
		return g.pick(someTimes)
	case aLength:
		return fmt.Sprintf("%dmm", max(s.min, g.r.Int64N(5000)))
	case aPoint:
		return []any{fmt.Sprintf("%dm", g.r.IntN(20)), fmt.Sprintf("%dm", g.r.IntN(20))}
	case aPath:
		return g.pick(someFields)
	case anExpr:
		return g.pick(someExprs)
	}
	return g.r.IntN(10)
}
