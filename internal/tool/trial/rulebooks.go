package trial

import (
	"slices"
	"strings"

	"turnvex.example/turnvex/internal/core/rulebook"
)

// Rulebooks are the rulebooks of a page, each with the arenas and the game that belong to it and stand on the page
// before it.
func Rulebooks(page string) (docs [][]byte) {
	games, arenas := map[string][]byte{}, map[string][]byte{}
	for _, part := range strings.Split(page, "```yaml\n")[1:] {
		text, _, _ := strings.Cut(part, "```")
		doc := []byte(text)
		game, declares := rulebook.GameOf(doc)
		if declares {
			games[game] = doc
			continue
		}
		if name := rulebook.ArenaOf(doc); name != "" {
			arenas[name] = doc
			continue
		}
		for _, name := range rulebook.ArenasBeside(doc) {
			doc = rulebook.Join(doc, arenas[name])
		}
		if game != "" {
			doc = rulebook.Bundle(doc, games[game])
		}
		docs = append(docs, slices.Clone(doc))
	}
	return docs
}
