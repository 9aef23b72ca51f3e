package cluster

import (
	"cmp"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/live/safe"
)

// While the database is away nobody can take anything over, and play goes on: a node that knows of no other, or hears
// from each other that the database is away for it too, goes on beyond its lease. Each who says so takes nothing over
// before the others have had time to come back, once the database is there again. Whoever hears that it is away for
// another, and has it, says that it is well: it may be taking over, also where the other does not know that it is
// there. Only nodes of the same region count: no other takes anything over. Then the lease lasts no longer than it was
// renewed for. A node that was stopped meanwhile, and so has let its lease run out, goes on only when it has renewed
// it. A node that stops says goodbye, and is waited for no longer.
//
// Play that another node may soon go on with from before is not to be shown for long: as soon as a node knows that the
// database takes what others write and not what it writes itself, it tells nothing more of play.

// The words that nodes have for each other about the database.
const (
	wordAway  = "away"  // my lease cannot be renewed
	wordWell  = "well"  // mine is, NODE
	wordLate  = "late"  // what I write has not been taken for so many ms
	wordAhead = "ahead" // what I wrote since has been, NODE
	wordGone  = "gone"  // I stop
)

// Words are the topics of the messages that nodes send each other about the database.
var Words = []string{wordAway, wordWell, wordLate, wordAhead, wordGone}

// awayFor is for how long the word of another node counts, and how long a node goes on by itself.
const awayFor = LeaseFor - margin

// aheadBy is how much later than the write that hangs here another node's must have begun: both may have been under
// way when the database went away for all.
const aheadBy = 250 * time.Millisecond

// lastWords is how long before the end of its lease a node says that it will be silent, and roamAfter for how long its
// clients wait there until they are sent to look elsewhere.
const (
	lastWords = 100 * time.Millisecond
	roamAfter = 5 * time.Second
)

// Voice is how a node speaks with the others, and what it asks its own parts.
type Voice struct {
	// Tell sends all other nodes one of Words.
	Tell func(word, what string)
	// Taken is how long ago the last write began that the database has taken, and Late how long ago the one began that
	// hangs, if that is so for half a second; otherwise 0.
	Taken, Late func() time.Duration
	// Look is called when Silent may say something else.
	Look func()
	// PlayOn has the node go on beyond its lease though a node of which nothing is heard may take over.
	PlayOn bool
}

// none is the voice of a node that has not been given one.
var none = Voice{Tell: func(string, string) {}, Look: func() {}, Taken: never, Late: never}

func never() time.Duration { return 0 }

// Speak gives the node its voice. Without one it says and hears nothing.
func (c *Cluster) Speak(v Voice) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.voice = v
}

func (c *Cluster) said() Voice {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.voice
}

// Hear takes one of Words from another node.
func (c *Cluster) Hear(word, from, what string) {
	v := c.said()
	if m, known := c.Member(from); known && m.Region != c.Self.Region {
		return // it takes over nothing of this one
	}
	switch word {
	case wordAway:
		if c.awayFor(from) {
			v.Tell(wordWell, from)
		}
	case wordWell:
		if what == c.Self.Name {
			c.wellFor(from)
		}
	case wordLate:
		if ms, err := strconv.Atoi(what); err == nil && v.Taken()+aheadBy < time.Duration(ms)*time.Millisecond {
			v.Tell(wordAhead, from)
		}
	case wordAhead:
		if what == c.Self.Name {
			c.behind(from)
		}
	case wordGone:
		c.mu.Lock()
		delete(c.members, from)
		c.mu.Unlock()
	}
}

// awayFor notes that the database is away for another node, and tells whether it is well for this one.
func (c *Cluster) awayFor(node string) (well bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.away[node] = c.Lease.clock()
	delete(c.well, node)
	return c.steady != 0
}

// wellFor notes that the database is there for another node.
func (c *Cluster) wellFor(node string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	delete(c.away, node)
	c.well[node] = c.Lease.clock()
	c.Lease.cut()
}

// Late is called again and again while the database takes nothing of what this node writes, and when it does again.
func (c *Cluster) Late() {
	v := c.said()
	if since := v.Late(); since > 0 {
		v.Tell(wordLate, strconv.FormatInt(since.Milliseconds(), 10))
		return
	}
	c.mu.Lock()
	c.ahead = ""
	c.mu.Unlock()
	c.lookAround()
}

// behind notes that the database has taken what another node wrote after what it has not taken of this one.
func (c *Cluster) behind(node string) {
	c.mu.Lock()
	news := c.ahead == "" && c.voice.Late() > 0
	if news {
		c.ahead = node
	}
	c.mu.Unlock()
	if news {
		c.log.Warn("this node alone has lost the database: it tells nothing more of play", "answers", node)
		c.lookAround()
	}
}

// silence is what Silent says.
type silence struct {
	why  string
	roam bool
}

// Silent says why the node tells nothing of play, "" where it does. Where roam is true its clients had better look for
// their lobbies at other nodes.
func (c *Cluster) Silent() (why string, roam bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	s := c.silentLocked()
	return s.why, s.roam
}

func (c *Cluster) silentLocked() silence {
	now := c.Lease.clock()
	left := time.Duration(c.Lease.until.Load()) - now
	has := c.ahead
	for name, at := range c.well {
		if has == "" && left <= lastWords && now-at < awayFor {
			has = name
		}
	}
	switch {
	case has != "":
		return silence{"the database answers " + has + " and not this node: play stands still, and goes on at one of " +
			"them", left <= 0}
	case left > lastWords:
		return silence{}
	case c.steady != 0: // it could be renewed, and was not: the process was held up
		return silence{"this node was held up: play stands still until it knows that the match is still its own",
			left <= -roamAfter}
	}
	return silence{"neither the database nor " + cmp.Or(strings.Join(c.missingLocked(), ", "), "any other node") +
		" answers: play stands still, and goes on by itself when they do", left <= -roamAfter}
}

// lookAround has the node's parts look where Silent says something else than the last time.
func (c *Cluster) lookAround() {
	c.mu.Lock()
	now, look := c.silentLocked(), c.voice.Look
	news := now != c.silent
	c.silent = now
	c.mu.Unlock()
	if news {
		look()
	}
}

// mayTake tells whether a node may take this one's lobbies over.
func (c *Cluster) mayTake(name string, m *Member) bool {
	return m.Alive && name != c.Self.Name && m.Region == c.Self.Region
}

// missingLocked are the nodes that may be taking over: of which nothing is heard, or which have the database.
func (c *Cluster) missingLocked() (names []string) {
	now := c.Lease.clock()
	for name, m := range c.members {
		if c.mayTake(name, &m) && now-c.away[name] >= awayFor {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// failed is called when the lease could not be renewed.
func (c *Cluster) failed(err error) {
	c.mu.Lock()
	first := c.steady != 0
	c.steady = 0
	c.mu.Unlock()
	if first {
		c.log.Warn("the lease cannot be renewed", "error", err)
	}
	if errors.Is(err, errNameTaken) { // whoever has it takes over what is here
		c.Lease.cut()
	} else {
		c.said().Tell(wordAway, "")
		c.goOn()
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.ends == nil {
		c.ends = safe.After(lookEvery, "look whether the lease ends", c.ending)
	}
}

// lookEvery is how often a node whose lease cannot be renewed looks whether it ends.
const lookEvery = 50 * time.Millisecond

// ending looks again and again, until the lease is renewed.
func (c *Cluster) ending() {
	c.mu.Lock()
	if c.ends != nil {
		c.ends.Reset(lookEvery)
	}
	c.mu.Unlock()
	c.lookAround()
}

// renewed ends what failed began.
func (c *Cluster) renewed() {
	c.mu.Lock()
	if c.ends != nil {
		c.ends.Stop()
		c.ends = nil
	}
	c.mu.Unlock()
	c.lookAround()
}

// goOn lengthens a lease that still lasts, as far as no other node can be taking over.
func (c *Cluster) goOn() {
	c.mu.Lock()
	defer c.mu.Unlock()
	now := c.Lease.clock()
	from := now
	for name, m := range c.members {
		if c.mayTake(name, &m) && !c.voice.PlayOn {
			from = min(from, c.away[name])
		}
	}
	for _, at := range c.well {
		if now-at < awayFor {
			return
		}
	}
	if until := int64(from + awayFor); int64(now) < c.Lease.until.Load() && until > c.Lease.until.Load() {
		c.Lease.until.Store(until)
	}
}
