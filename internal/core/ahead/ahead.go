// Package ahead is how a client draws the body of its own player before the service has answered: it takes the steps
// that the service is about to take, from where the service last said that the body was, and makes good without a jump
// what turns out otherwise. All times are in wall ticks.
package ahead

import (
	"math"

	"turnvex.example/turnvex/internal/core/ground"
)

// World is what a body moves in, as the client is told of it.
type World struct {
	Ground *ground.Ground
	Gait   ground.Gait
	Drive  ground.Drive // but for how it steers; pushed is until Pushed alone
	Pushed int64        // the last tick in which it is pushed
	Moves  bool         // it may move at all: it is alive, and play runs
	Steers bool         // the service takes its steering
}

// Told is what the service has said of a body.
type Told struct {
	Tick  int64         // to which the copy has come
	At    int64         // the tick at which the body was where it is said to be; Tick, or before
	Body  ground.Moving // but for the rest, which nobody is told
	Steer ground.Point  // which holds at Tick
}

// asked is a wish to steer.
type asked struct {
	n        uint64
	tick     int64 // at which it is to be taken, and when it is answered, was
	steer    ground.Point
	answered bool
}

// Body is one's own body. The zero value has been told nothing.
type Body struct {
	world World
	told  Told
	asked []asked
	is    bool // it was told something

	fresh bool            // something has come since path was made
	first int64           // the tick of the first place of path
	path  []ground.Moving // from there on, tick by tick

	wrong int // how often it turned out to be far from where it was thought to be

	drawn float64    // the tick of which it was drawn last; 0 for not yet
	off   [3]float64 // by how much that was elsewhere than path says
}

// Asked notes a wish to steer that has been sent, with the tick that it names.
func (b *Body) Asked(n uint64, tick int64, steer ground.Point) {
	b.asked = append(b.asked, asked{n: n, tick: tick, steer: steer})
	b.fresh = true
}

// Answered notes when a wish was taken, or that it never is.
func (b *Body) Answered(n uint64, ok bool, tick int64) {
	for i := range b.asked {
		if a := &b.asked[i]; a.n == n && !a.answered {
			if b.fresh = b.fresh || !ok || a.tick != tick; ok {
				a.tick, a.answered = tick, true
			} else {
				b.asked = append(b.asked[:i], b.asked[i+1:]...)
			}
			return
		}
	}
}

// Forget drops what was asked for and never answered, as when the lobby goes on from before.
func (b *Body) Forget() { b.asked, b.fresh = nil, true }

// Tell takes what the service has said.
func (b *Body) Tell(w World, t Told) {
	b.world, b.told, b.is, b.fresh = w, t, true, true
	keep := b.asked[:0]
	for _, a := range b.asked {
		if !a.answered || a.tick > t.At-2*w.Gait.Rate {
			keep = append(keep, a)
		}
	}
	b.asked = keep
}

// steer is how the body steers in a tick: as the service said, or where it has yet to say, as was asked for.
func (b *Body) steer(tick int64) (s ground.Point) {
	s = b.told.Steer
	for _, a := range b.asked {
		if a.answered {
			if tick <= b.told.Tick && a.tick < tick {
				s = a.steer
			}
		} else if b.world.Steers && max(a.tick, b.told.Tick) < tick {
			s = a.steer
		}
	}
	return s
}

// from makes the path begin where the service last said that the body was. If that is on the path as it was thought to
// be, what is left of a millimetre is known too.
func (b *Body) from() {
	now := b.told.Body
	if i := b.told.At - b.first; i >= 0 && i < int64(len(b.path)) {
		was := b.path[i]
		if was.At == now.At && was.Rise == now.Rise && was.Stands == now.Stands {
			now.Rest = was.Rest
		}
		far := max(was.At.X-now.At.X, now.At.X-was.At.X, was.At.Y-now.At.Y, now.At.Y-was.At.Y)
		if far > wrongBy && far <= b.putBy() {
			b.wrong++
		}
	}
	b.first, b.path = b.told.At, append(b.path[:0], now)
}

// wrongBy is how far off somebody is who is drawn wrongly, in millimetres east or south.
const wrongBy = 100

// Wrong is how often the service has said that the body was over 0.1 m from where it was thought to be, but not put
// there.
func (b *Body) Wrong() int { return b.wrong }

// at is where the path leads at a tick. It goes no further than a second from what was told.
func (b *Body) at(tick float64) (p [3]float64) {
	tick = min(max(tick, float64(b.first)), float64(b.first+b.world.Gait.Rate))
	whole := int64(math.Floor(tick))
	for int64(len(b.path)) <= whole+1-b.first {
		now := b.path[len(b.path)-1]
		b.next(&now, b.first+int64(len(b.path)))
		b.path = append(b.path, now)
	}
	from, to, part := b.path[whole-b.first].At, b.path[whole+1-b.first].At, tick-float64(whole)
	return [3]float64{between(from.X, to.X, part), between(from.Y, to.Y, part), between(from.Z, to.Z, part)}
}

func between(a, b int64, part float64) float64 { return float64(a) + part*float64(b-a) }

// next takes the body one tick further, if the service will.
func (b *Body) next(m *ground.Moving, tick int64) {
	w, d := &b.world, b.world.Drive
	d.Steer = b.steer(tick)
	if tick > w.Pushed {
		d.Push = ground.Point{}
	}
	if w.Moves {
		m.Tick(w.Ground, &w.Gait, &d)
	}
}

// Place is where to draw the body at a tick; each call is of a later tick than the one before. Where things turn out
// otherwise than was drawn, that is made good within a fraction of a second, unless the body is somewhere else
// entirely.
func (b *Body) Place(tick float64) (x, y, z float64, ok bool) {
	if !b.is {
		return 0, 0, 0, false
	}
	if b.fresh {
		var was [3]float64
		if b.drawn > 0 {
			was = b.at(b.drawn)
		}
		b.from()
		if b.fresh = false; b.drawn > 0 {
			b.amend(was, b.at(b.drawn))
		}
	}
	p := b.at(tick)
	b.fade(max(tick-b.drawn, 0) / float64(b.world.Gait.Rate))
	b.drawn = tick
	return p[0] + b.off[0], p[1] + b.off[1], p[2] + b.off[2], true
}

// fading is how many times in a second what was drawn elsewhere comes down to a third.
const fading = 10

// fade makes less of what was drawn elsewhere, for so many seconds. It adds no more to a body's speed than that, or
// than 3 m/s.
func (b *Body) fade(seconds float64) {
	far := math.Hypot(math.Hypot(b.off[0], b.off[1]), b.off[2])
	most := max(float64(b.world.Drive.Speed), 3000) * seconds
	keeps := math.Exp(-seconds * fading)
	if far*(1-keeps) > most {
		keeps = 1 - most/far
	}
	for i := range b.off {
		b.off[i] *= keeps
	}
}

// amend keeps what is drawn where it was, though the path leads elsewhere now.
func (b *Body) amend(was, now [3]float64) {
	far := 0.0
	for i := range b.off {
		b.off[i] += was[i] - now[i]
		far = math.Hypot(far, b.off[i])
	}
	if far > float64(b.putBy()) {
		b.off = [3]float64{}
	}
}

// putBy is how far beside its path a body must be to have been put there: the way of half a second, and a metre.
func (b *Body) putBy() int64 { return b.world.Drive.Speed/2 + 1000 }

// Lead chooses the tick of which one's own body is drawn. The zero value has chosen none.
type Lead struct{ at, last float64 }

// At is that tick when the service is at now and what is sent takes up to up ticks to get there. It does not jump where
// that changes; rate is ticks a second.
func (l *Lead) At(now, up, rate float64) float64 {
	passed := max(now-l.last, 0)
	off := now + up - (l.at + passed)
	if l.last == 0 || math.Abs(off) > rate {
		l.at = now + up
	} else {
		l.at += passed * (1 + min(max(off/10, -0.2), 0.2))
	}
	l.last = now
	return l.at
}
