package rulebook

// arenasWord stands for the names of the arenas where words are listed.
const arenasWord = "arenas"

// expandArenas writes out what is said once for all arenas: words that are their names, and boards of which each has
// one.
func expandArenas(b *document) {
	names := b.arenaEntries()
	arenaWords(b, b.top, names)
	boards := b.top.get("boards")
	if boards == nil {
		return
	}
	var out []entry
	for _, e := range boards.entries {
		if e.value.on("arenas") {
			out = append(out, boardsOf(b, e, names)...)
		} else {
			out = append(out, e)
		}
	}
	boards.entries = out
}

// arenaWords puts the names of the arenas where words says so.
func arenaWords(b *document, n *node, arenas []entry) {
	for _, x := range n.items {
		arenaWords(b, x, arenas)
	}
	for i := range n.entries {
		e := &n.entries[i]
		if e.key != "words" || e.value.kind != scalarNode || e.value.text != arenasWord {
			arenaWords(b, e.value, arenas)
			continue
		}
		if len(arenas) == 0 {
			b.fail(e.value, "not-here", "words: [calm, cross]", "there are no arenas in this rulebook")
		}
		m := maker{e.value}
		list := m.list()
		if len(arenas) == 0 {
			list.items = append(list.items, m.text("none")) // its uses are not reported too
		}
		for _, a := range arenas {
			list.items = append(list.items, m.text("%s", a.key))
		}
		e.value = list
	}
}

// boardsOf makes a board for each arena.
func boardsOf(b *document, e entry, arenas []entry) (out []entry) {
	if len(arenas) == 0 {
		b.fail(e.value.get("arenas"), "not-here", "it only with arenas", "there are no arenas in this rulebook")
	}
	m := maker{e.value}
	for _, a := range arenas {
		board := &node{kind: mapNode, line: e.value.line, col: e.value.col, path: e.value.path}
		for _, part := range e.value.entries {
			if part.key != "title" && part.key != "arenas" {
				board.entries = append(board.entries, part)
			}
		}
		board.entries = append(board.entries, entry{"family", e.line, e.col, m.text("%s", e.key)},
			entry{"title", e.line, e.col, m.text("%s: %s", e.value.titled(e.key), a.value.titled(a.key))})
		name := e.key + "_" + a.key
		if b.top.get("boards").get(name) != nil {
			b.failEntry(e, "taken", "the board of the arena %s is called %s, as another board is", a.key, name)
		}
		if !nameForm.MatchString(name) {
			b.failEntry(e, "bad-name", "the board of the arena %s would be called %s, which is longer than 32 "+
				"characters", a.key, name)
		}
		out = append(out, entry{name, e.line, e.col, board})
	}
	return out
}
