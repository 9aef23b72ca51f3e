package cluster

import "errors"

// While the database is away nobody can take anything over, and play goes on: a node that knows of no other, or hears
// from each other that the database is away for it too, goes on beyond its lease. Each who says so takes nothing over
// before the others have had time to come back, once the database is there again. Whoever hears that it is away for
// another, and has it, says that it is well: it may be taking over, also where the other does not know that it is
// there. Then the lease lasts no longer than it was renewed for. A node that was stopped meanwhile, and so has let its
// lease run out, goes on only when it has renewed it.

// awayFor is for how long the word of another node counts, and how long a node goes on by itself.
const awayFor = LeaseFor - margin

// OnAway sets how the other nodes are told that the database is away for this one.
func (c *Cluster) OnAway(tell func()) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.tell = tell
}

// Away notes that the database is away for another node, and tells whether it is well for this one: the other is to be
// told so.
func (c *Cluster) Away(node string) (well bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.away[node] = c.Lease.clock()
	delete(c.well, node)
	return c.steady != 0
}

// Well notes that the database is there for another node.
func (c *Cluster) Well(node string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	delete(c.away, node)
	c.well[node] = c.Lease.clock()
	c.Lease.cut()
}

// failed is called when the lease could not be renewed.
func (c *Cluster) failed(err error) {
	c.mu.Lock()
	first := c.steady != 0
	c.steady = 0
	tell := c.tell
	c.mu.Unlock()
	if first {
		c.log.Warn("the lease cannot be renewed", "error", err)
	}
	if errors.Is(err, errNameTaken) { // whoever has it takes over what is here
		c.Lease.cut()
		return
	}
	tell()
	c.goOn()
}

// goOn lengthens a lease that still lasts, as far as no other node can be taking over.
func (c *Cluster) goOn() {
	c.mu.Lock()
	defer c.mu.Unlock()
	now := c.Lease.clock()
	from := now
	for name, m := range c.members {
		if m.Alive && name != c.Self.Name {
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
