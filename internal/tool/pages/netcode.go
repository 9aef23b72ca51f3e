package pages

import (
	"fmt"
	"math/rand/v2"
	"strings"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/ahead"
	"turnvex.example/turnvex/internal/core/ground"
)

// The pictures of docs/netcode.md: somebody who goes east for a second, back for a second, and stops, on a line of 80
// to 140 ms each way. Times are in ticks, 20 a second; places in millimetres.
const (
	tickRate   = 20
	plotTicks  = 70
	plotSpeed  = 6000
	frameTicks = 1.0 / 3 // 60 frames a second
)

// walked is where somebody was at each tick who was steered, as wishes came.
func walked(takes func(tick int64) (ground.Point, bool)) (all []ground.Moving, steers []ground.Point) {
	g := plotGround()
	m, d := ground.Moving{At: ground.Point{X: 2000, Y: 2000}}, ground.Drive{Speed: plotSpeed}
	for tick := range int64(plotTicks + 20) {
		if s, is := takes(tick); is {
			d.Steer = s
		}
		m.Tick(g, &plotGait, &d)
		all, steers = append(all, m), append(steers, d.Steer)
	}
	return all, steers
}

var plotGait = ground.Gait{Walker: ground.Walker{Body: ground.Body{Radius: 500}}, Rate: tickRate}

func plotGround() *ground.Ground { return &ground.Ground{Width: 20_000, Height: 4000} }

// keys are what the player asks for, and when.
var keys = []struct {
	at    float64
	steer ground.Point
}{{10.3, ground.Point{X: 1000}}, {30.6, ground.Point{X: -1000}}, {48.4, ground.Point{}}}

// curve is a line of a plot: a place at each time.
type curve struct {
	name, colour string
	at           [][2]float64 // ticks, millimetres
}

// lateBy is how many ticks a message takes.
func lateBy(r *rand.Rand) float64 { return 1.6 + 1.2*r.Float64() }

// othersPlot draws somebody else: truly, two ticks behind, and as Conn.Frame does.
func othersPlot() string {
	r := rand.New(rand.NewPCG(4, 2))
	next := 0
	all, _ := walked(func(tick int64) (s ground.Point, is bool) {
		for next < len(keys) && keys[next].at <= float64(tick) {
			s, is = keys[next].steer, true
			next++
		}
		return s, is
	})
	truth := curve{name: "where they are", colour: "#999999"}
	plain := curve{name: "two ticks behind", colour: "#d1495b"}
	framed := curve{name: "by frame", colour: "#00798c"}
	var track client.Track
	var screen client.Screen
	var seen []client.Seen
	come, told, last := 0.0, int64(0), ground.Point{}
	for now := 0.0; now < plotTicks; now += frameTicks {
		for int(told) < len(all) && come <= now {
			if told > 0 {
				screen.Heard(told-1, told, now)
			}
			if p := all[told].At; p != last {
				last = p
				track.Add(client.Seen{Tick: told, X: p.X, Y: p.Y}, tickRate, plotSpeed/tickRate)
				seen = append(seen, client.Seen{Tick: told, X: p.X, Y: p.Y})
			}
			told++
			come = max(come, float64(told)+lateBy(r))
		}
		low := int(now)
		truth.at = append(truth.at, [2]float64{now, between(all[low].At.X, all[low+1].At.X, now-float64(low))})
		plain.at = append(plain.at, [2]float64{now, client.Between(seen, now-2).X})
		framed.at = append(framed.at, [2]float64{now, track.At(screen.Frame(now, tickRate)).X})
	}
	return plot("Somebody else, 80 to 140 ms away", []curve{truth, plain, framed})
}

func between(a, b int64, part float64) float64 { return float64(a) + part*float64(b-a) }

// ownPlot draws the player: as one who waits for the service sees it, and as Conn.Frame does; and the service's own.
func ownPlot() string {
	r := rand.New(rand.NewPCG(4, 2))
	var lead ahead.Lead
	var body ahead.Body
	w := ahead.World{Ground: plotGround(), Gait: plotGait, Drive: ground.Drive{Speed: plotSpeed}, Moves: true,
		Steers: true}
	named := map[int64]ground.Point{}
	for i, k := range keys { // a first look at when each is taken: what is named, at the latest
		named[int64(k.at+3)] = keys[i].steer
	}
	all, steers := walked(func(tick int64) (ground.Point, bool) { s, is := named[tick-1]; return s, is })
	waits := curve{name: "who waits for the service", colour: "#d1495b"}
	own := curve{name: "by frame", colour: "#00798c"}
	service := curve{name: "at the service", colour: "#999999"}
	come, told, next := 0.0, int64(0), 0
	var track client.Track
	var screen client.Screen
	for now := 0.0; now < plotTicks; now += frameTicks {
		for int(told) < len(all) && come <= now {
			if told > 0 {
				screen.Heard(told-1, told, now)
			}
			m := all[told]
			track.Add(client.Seen{Tick: told, X: m.At.X, Y: m.At.Y}, tickRate, plotSpeed/tickRate)
			m.Rest = ground.Point{}
			body.Tell(w, ahead.Told{Tick: told, At: told, Body: m, Steer: steers[told]})
			for n := range next {
				if at := int64(keys[n].at + 3); at < told {
					body.Answered(uint64(n+1), true, at)
				}
			}
			told++
			come = max(come, float64(told)+lateBy(r))
		}
		at := lead.At(now, 3, tickRate)
		if next < len(keys) && keys[next].at <= now {
			body.Asked(uint64(next+1), int64(keys[next].at+3), keys[next].steer)
			next++
		}
		low := int(now)
		service.at = append(service.at, [2]float64{now, between(all[low].At.X, all[low+1].At.X, now-float64(low))})
		waits.at = append(waits.at, [2]float64{now, track.At(screen.Frame(now, tickRate)).X})
		if x, _, _, ok := body.Place(at); ok {
			own.at = append(own.at, [2]float64{now, x})
		}
	}
	return plot("The own player, 80 to 140 ms away; dotted: a key is pressed or let go", []curve{service, waits, own})
}

// plot draws curves over the time in seconds, and the moments of keys.
func plot(title string, curves []curve) string {
	const width, height, left, top = 900, 360, 60, 40
	var b strings.Builder
	x := func(ticks float64) float64 { return left + ticks*(width-left-20)/plotTicks }
	y := func(mm float64) float64 { return height - 40 - (mm-1500)*(height-top-60)/7500 }
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 %d %d" font-family="sans-serif" `+
		`font-size="14">`+"\n<rect width=\"%d\" height=\"%d\" fill=\"#ffffff\"/>\n"+
		"<text x=\"%d\" y=\"24\" font-size=\"16\">%s</text>\n",
		width, height, width, height, left, title)
	for s := 0.0; s <= 3.5; s += 0.5 {
		fmt.Fprintf(&b, "<text x=\"%.1f\" y=\"%d\" text-anchor=\"middle\" fill=\"#555555\">%.1f s</text>\n",
			x(s*tickRate), height-16, s)
	}
	for m := 2.0; m <= 8; m += 2 {
		fmt.Fprintf(&b, "<line x1=\"%d\" x2=\"%d\" y1=\"%.1f\" y2=\"%.1f\" stroke=\"#eeeeee\"/>"+
			"<text x=\"%d\" y=\"%.1f\" text-anchor=\"end\" fill=\"#555555\">%.0f m</text>\n", left, width-20,
			y(m*1000), y(m*1000), left-8, y(m*1000)+5, m)
	}
	for _, k := range keys {
		fmt.Fprintf(&b, "<line x1=\"%.1f\" x2=\"%.1f\" y1=\"%d\" y2=\"%d\" stroke=\"#555555\" "+
			"stroke-dasharray=\"2 4\"/>\n", x(k.at), x(k.at), top, height-40)
	}
	for i, c := range curves {
		var points []string
		for _, p := range c.at {
			points = append(points, fmt.Sprintf("%.1f,%.1f", x(p[0]), y(p[1])))
		}
		fmt.Fprintf(&b, "<polyline fill=\"none\" stroke=\"%s\" stroke-width=\"2\" points=\"%s\"/>\n"+
			"<text x=\"%d\" y=\"%d\" fill=\"%s\">%s</text>\n", c.colour, strings.Join(points, " "), width-210,
			top+20+20*i, c.colour, c.name)
	}
	return b.String() + "</svg>\n"
}
