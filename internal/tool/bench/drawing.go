package bench

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"sync"
	"time"

	"turnvex.example/turnvex/client"
)

// networks are the lines over which drawing is looked at, each way.
var networks = []string{"", "delay=15ms,jitter=10ms", "delay=40ms,jitter=30ms", "delay=75ms,jitter=60ms"}

// stalls are what a bad line does beside that: nothing for 150 ms, every 3 s.
const stalls = "stall=150ms/3s"

// drawing shows a body that turns, stops and starts to somebody behind each network: two ticks behind the service's, as
// a client does that measures nothing, and as Conn.Frame does.
func drawing(t *Table) error {
	for _, network := range networks {
		for _, stall := range []string{"", stalls} {
			line := network
			if line != "" && stall != "" {
				line += ","
			}
			if line += stall; line == stalls {
				continue
			}
			for _, rate := range []int{60, 144} {
				if rate > 60 && line != networks[2]+","+stalls {
					continue
				}
				seen, err := seenOver(t, line, rate)
				if err != nil {
					return err
				}
				seen.rows(t, line, rate, network == networks[2])
			}
		}
	}
	return nil
}

// strollBook is a rulebook for two who walk among walls, are slowed, rooted and put elsewhere, and pause.
const strollBook = `
turnvex: 1
name: stroll
players: {least: 2, most: 2}
start: {countdown: 1s}
ground:
  width: 30m
  height: 30m
  walls: [{box: [8m, 8m, 10m, 20m]}, {circle: [20m, 12m, 2m]}, {box: [14m, 22m, 24m, 23m]}]
movement: {speed: me.pace, radius: 500mm}
sheets: {player: {slow: {type: flag}, pace: {type: speed, is: "me.slow ? 3m/s : 6m/s", see: owner}}}
actions:
  slow: {do: [{set: me.slow, to: "!me.slow"}]}
  root: {do: [{freeze: me, lasts: 400ms}]}
  elsewhere: {do: [{set: me.pos, to: "point(30m - me.pos.x, 4m)"}]}
phases: {play: {lasts: 1h}}
win: {order: [{highest: me.name.size()}]}
pause: {who: anyone, countdown: 500ms}
`

// happenings is what somebody who walks does now and then beside steering.
var happenings = []client.Intent{{Do: "act", Name: "slow"}, {Do: "act", Name: "root"}, {Do: "act", Name: "elsewhere"},
	{Do: "pause"}}

// happen lets one of them happen, once in so many calls; a pause does not last.
func happen(c *client.Conn, r *rand.Rand, seldom, most int) bool {
	if r.IntN(seldom) != 0 {
		return false
	}
	in := happenings[r.IntN(most)]
	c.Send(in)
	if in.Do == "pause" {
		time.AfterFunc(time.Second, func() { c.Send(client.Intent{Do: "resume"}) })
	}
	return true
}

// seen is what was seen over a network: somebody else in two ways, and one's own body.
type seen struct {
	plain, framed looks
	ahead, wrong  float64 // milliseconds; times in 10 s
	longest       float64 // step, in top speeds
	asked, atOnce int     // wishes, and those that showed in the next frame

	befell, befallen int // what the rules did to it, and how often it turned out to be elsewhere just after that
}

// rows prints it.
func (s *seen) rows(t *Table, name string, rate int, judged bool) {
	if name == "" {
		name = "nothing in between"
	}
	goal, own := "", ""
	if judged {
		goal, own = "≤ 1.0 %", "≤ 1"
	}
	plain, framed := &s.plain, &s.framed
	t.Row(fmt.Sprintf("%s, %d frames a second", name, rate), "two ticks behind, by Frame", "")
	t.Row("  frozen frames", fmt.Sprintf("%.1f %%, %.1f %%", plain.frozen, framed.frozen), goal)
	t.Row("  uneven frames", fmt.Sprintf("%.1f %%, %.1f %%", plain.uneven, framed.uneven), goal)
	t.Row("  behind the service", fmt.Sprintf("%.0f ms, %.0f ms", plain.behind, framed.behind), "")
	t.Row("  longest step, against the top speed", fmt.Sprintf("%.1f, %.1f times", plain.longest, framed.longest), "")
	t.Row("  its own: ahead of the service", fmt.Sprintf("%.0f ms", s.ahead), "")
	t.Row("  its own: wrong by over 0.1 m", fmt.Sprintf("%.1f times in 10 s", s.wrong), own)
	t.Row("  its own: the same just after the rules did something",
		fmt.Sprintf("%d in %d times", s.befallen, s.befell), "")
	t.Row("  its own: goes the new way in the next frame", fmt.Sprintf("%d of %d times", s.atOnce, s.asked), "")
	t.Row("  its own: longest step, against the top speed", fmt.Sprintf("%.1f times", s.longest), "≤ 2")
}

// shown is a frame: the tick of which it is, and where the body is drawn.
type shown struct {
	tick, passed float64 // passed is how many of the service's ticks after the frame before
	at           client.Place
	behind       float64 // ticks
}

// looks is how a body looked: shares of the frames in which it moved, in percent.
type looks struct{ frozen, uneven, behind, longest float64 }

// topStep is how far a body of the throng gets in a tick, in millimetres.
const topStep = 300

// seenOver plays and watches over a network for some seconds.
func seenOver(t *Table, network string, rate int) (out seen, err error) {
	ctx, over := context.WithCancel(context.Background())
	defer over()
	node, stop, err := t.Node(ctx)
	if err != nil {
		return out, err
	}
	defer stop()
	if _, _, err := node.Library.Load(ctx, []byte(strollBook)); err != nil {
		return out, err
	}
	rough, err := client.ParseRough(network)
	if err != nil {
		return out, err
	}
	rough.Seed = 1
	tokens, err := signIn(ctx, node, 2)
	if err != nil {
		return out, err
	}
	service := client.Service{Address: node.Address, Token: tokens[0].Token}
	lobby, err := service.Open(ctx, client.Opening{Rulebook: "stroll"})
	if err != nil {
		return out, err
	}
	truth := way{at: map[int64]client.Place{}}
	mover, err := client.Connect(ctx, client.Options{Address: node.Address, Token: tokens[0].Token, Lobby: lobby.Code,
		OnTick: truth.tick})
	if err != nil {
		return out, err
	}
	defer mover.Close()
	truth.of = mover
	watcher, err := client.Connect(ctx, client.Options{Address: node.Address, Token: tokens[1].Token, Lobby: lobby.Code,
		Rough: rough})
	if err != nil {
		return out, err
	}
	defer watcher.Close()
	for _, c := range []*client.Conn{mover, watcher} {
		if err := c.Do(ctx, client.Intent{Do: "ready"}); err != nil {
			return out, err
		}
	}
	if err := watcher.Wait(ctx, func(c *client.Copy) bool {
		return c.Match() != nil && c.Match().Text("phase") == "play"
	}); err != nil {
		return out, err
	}
	var wander sync.WaitGroup
	wander.Go(func() { truth.wander(ctx, mover) })
	first, second := out.drawOver(t, watcher, mover.Seat(), rate)
	over()
	wander.Wait()
	out.plain, out.framed = truth.judge(first), truth.judge(second)
	return out, nil
}

// drawOver draws somebody in both ways, and meanwhile steers and draws itself.
func (s *seen) drawOver(t *Table, c *client.Conn, whom uint32, rate int) (plain, framed []shown) {
	frame := time.NewTicker(time.Second / time.Duration(rate))
	defer frame.Stop()
	frames := t.Size(rate*20, 30)
	skip := frames / 4 // until it knows how late ticks come
	self := itself{r: rand.New(rand.NewPCG(2, 2))}
	before := c.ExactTick()
	for i := range frames {
		<-frame.C
		now := c.ExactTick()
		way, anew := self.next(now)
		if anew {
			c.Send(client.Intent{Do: "steer", At: way})
			if happen(c, self.r, 6, len(happenings)) && i > skip {
				s.befell, self.until = s.befell+1, now+30
			}
		}
		c.Frame(func(f *client.Frame) {
			x := f.Sheet(whom)
			plain = append(plain, shown{now - 2, now - before, f.Copy.Place(x, now-2), 2})
			framed = append(framed, shown{f.At, now - before, f.Place(x), now - f.At})
			wrong := f.Wrong(c.Seat()) - self.wrong
			if self.wrong += wrong; i > skip {
				if now < self.until {
					s.befallen += wrong
				} else {
					s.wrong += float64(wrong) * 10 * float64(rate) / float64(frames-skip-1)
				}
				s.ahead += (f.Ahead - now) * 50 / float64(frames-skip-1)
			}
			self.drawn(s, f, way, i > skip, anew)
		})
		before = now
	}
	return plain[skip:], framed[skip:]
}

// itself is who draws: it goes somewhere else every half second or so.
type itself struct {
	r     *rand.Rand
	turn  float64 // the tick of the next turn
	at    client.Place
	tick  float64 // of which it was drawn there
	wrong int     // how often so far
	until float64 // the tick until which the rules are to blame
}

func (w *itself) next(now float64) (way []int64, anew bool) {
	if now < w.turn {
		return nil, false
	}
	w.turn = now + 6 + 10*w.r.Float64()
	angle := w.r.Float64() * 2 * math.Pi
	return []int64{int64(math.Cos(angle) * 1000), int64(math.Sin(angle) * 1000)}, true
}

// drawn notes where it is drawn. What it asks for at the ground's edge shows nothing.
func (w *itself) drawn(s *seen, f *client.Frame, way []int64, counts, anew bool) {
	at, g := f.Place(f.Me()), f.Ground()
	step := client.Place{X: at.X - w.at.X, Y: at.Y - w.at.Y}
	due := topStep * max(f.Ahead-w.tick, 1.0/20)
	if w.at, w.tick = at, f.Ahead; !counts || apart(step, client.Place{}) > 7*topStep { // it was put elsewhere
		return
	}
	s.longest = max(s.longest, apart(step, client.Place{})/due)
	if anew && f.Ahead < w.until {
		return
	}
	if anew && min(at.X, at.Y, float64(g.Width)-at.X, float64(g.Height)-at.Y) > 1000 {
		if s.asked++; (step.X*float64(way[0])+step.Y*float64(way[1]))/1000 > due/4 {
			s.atOnce++
		}
	}
}

// way is where a body truly was at each tick.
type way struct {
	mu sync.Mutex
	of *client.Conn
	at map[int64]client.Place // guarded by mu
}

func (w *way) tick(tick int64) {
	if w.of == nil {
		return
	}
	w.of.Read(func(c *client.Copy) {
		w.mu.Lock()
		defer w.mu.Unlock()
		w.at[tick] = c.Place(c.Me(), float64(tick))
	})
}

// wander goes somewhere else every half second or so, and stands now and then.
func (w *way) wander(ctx context.Context, c *client.Conn) {
	r := rand.New(rand.NewPCG(1, 1))
	for ctx.Err() == nil {
		angle, speed := r.Float64()*2*math.Pi, 1000.0
		if r.IntN(4) == 0 {
			speed = 0
		}
		c.Send(client.Intent{Do: "steer", At: []int64{int64(math.Cos(angle) * speed), int64(math.Sin(angle) * speed)}})
		happen(c, r, 6, len(happenings)-1)
		select {
		case <-ctx.Done():
		case <-time.After(time.Duration(300+r.IntN(500)) * time.Millisecond):
		}
	}
}

// exactly is where the body was at a tick with its fraction, as far as is known: standing where nothing was told.
func (w *way) exactly(tick float64) (p client.Place, known bool) {
	low := int64(math.Floor(tick))
	a, isA := w.at[low]
	b, isB := w.at[low+1]
	part := tick - float64(low)
	return client.Place{X: a.X + part*(b.X-a.X), Y: a.Y + part*(b.Y-a.Y)}, isA && isB
}

func apart(a, b client.Place) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }

// judge holds what was drawn against the truth, in the frames in which the body truly went straight on at full speed.
func (w *way) judge(frames []shown) (out looks) {
	w.mu.Lock()
	defer w.mu.Unlock()
	moving := 0.0
	for i := 1; i < len(frames); i++ {
		f := &frames[i]
		step := apart(f.at, frames[i-1].at)
		due := topStep * f.passed
		before, is := w.exactly(f.tick - 1.5)
		after, too := w.exactly(f.tick + 1)
		if way := apart(before, after) / (2.5 * topStep); !is || !too || way < 0.98 || way > 1.02 {
			continue
		}
		out.longest = max(out.longest, step/max(due, topStep/20.0))
		out.behind += f.behind * 50
		if moving++; step < due/5 {
			out.frozen++
		}
		if math.Abs(step-due) > due/2 {
			out.uneven++
		}
	}
	moving = max(moving, 1)
	out.frozen, out.uneven, out.behind = 100*out.frozen/moving, 100*out.uneven/moving, out.behind/moving
	return out
}
