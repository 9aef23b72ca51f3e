package termview

import (
	"context"
	"fmt"
	"time"

	tea "charm.land/bubbletea/v2"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/rulebook"
)

// full is top speed in a steering intent.
const full = 1000

var directions = map[string][2]int64{
	"up":    {0, -full},
	"down":  {0, full},
	"left":  {-full, 0},
	"right": {full, 0},
	"space": {0, 0},
}

// key turns a key into what it asks for.
func (m *model) key(k string) tea.Cmd {
	switch k {
	case "ctrl+c", "q":
		m.left = k == "q"
		return tea.Quit
	}
	if !m.o.Play {
		return nil
	}
	if d, ok := directions[k]; ok {
		m.steer = d
		in := client.Intent{Do: "steer", At: flat(d, m.o.Conn)}
		m.o.Conn.Read(func(c *client.Copy) { look(c, &in, d) })
		return m.send(in, "")
	}
	switch k {
	case "pgup", "pgdown":
		return m.rise(k == "pgup")
	case "enter":
		return m.ready()
	case "ctrl+p":
		return m.pause()
	case "ctrl+s":
		return m.send(client.Intent{Do: "start"}, "start")
	case "ctrl+y":
		return m.vote("yes")
	case "ctrl+n":
		return m.vote("no")
	case "tab":
		m.nextTarget()
		return nil
	}
	if len(k) > 1 && k[0] == 'f' {
		return m.voteWord(k)
	}
	for i, a := range m.actions() {
		if k == keyOf(a, i) {
			return m.act(a)
		}
	}
	return nil
}

func (m *model) actions() (list []client.Action) {
	m.o.Conn.Read(func(c *client.Copy) { list = c.Book.Actions })
	return list
}

// keyOf is the key of an action: its own suggestion, or its place in the list.
func keyOf(a client.Action, i int) string {
	if a.Key != "" && a.Key != "q" {
		return a.Key
	}
	return fmt.Sprint(i + 1)
}

// ready makes everybody on this connection ready, or nobody.
func (m *model) ready() tea.Cmd {
	do := "ready"
	m.o.Conn.Read(func(c *client.Copy) {
		if c.Me().Flag("ready") {
			do = "unready"
		}
	})
	var all []tea.Cmd
	for _, seat := range m.o.Conn.Seats() {
		all = append(all, m.send(client.Intent{Seat: seat, Do: do}, do))
	}
	return tea.Batch(all...)
}

func (m *model) pause() tea.Cmd {
	do := "pause"
	m.o.Conn.Read(func(c *client.Copy) {
		if c.Match().Text("paused") == "yes" {
			do = "resume"
		}
	})
	return m.send(client.Intent{Do: do}, do)
}

// flat is a direction along the ground, in as many parts as places have.
func flat(d [2]int64, conn *client.Conn) (at []int64) {
	conn.Read(func(c *client.Copy) { at = []int64{d[0], d[1], 0}[:c.Parts()] })
	return at
}

// rise steers up or down, or jumps, on tall ground; otherwise nothing.
func (m *model) rise(up bool) tea.Cmd {
	at := append(flat(m.steer, m.o.Conn), 0)
	if len(at) < 4 {
		return nil
	}
	if at[2] = full; !up {
		at[2] = -full
	}
	return m.send(client.Intent{Do: "steer", At: at[:3]}, "")
}

// act uses an action on the chosen target, or along the line to it.
func (m *model) act(a client.Action) tea.Cmd {
	in := client.Intent{Do: "act", Name: a.Name, Target: m.target}
	line := a.Aim == rulebook.AimLine.String() || a.Aim == rulebook.AimCone.String()
	if line || a.Aim == rulebook.AimArea.String() {
		m.o.Conn.Read(func(c *client.Copy) {
			me, _ := c.Me().Get("pos")
			you, ok := c.Sheet(m.target).Get("pos")
			at := []int64{you.N[0], you.N[1], you.N[2]}
			if line {
				at = []int64{you.N[0] - me.N[0], you.N[1] - me.N[1], you.N[2] - me.N[2]}
			}
			if ok {
				in.At = at[:c.Parts()]
				look(c, &in, [2]int64{you.N[0] - me.N[0], you.N[1] - me.N[1]})
			}
		})
	}
	if len(a.Takes) > 0 {
		in.Args = map[string]any{}
		m.prompt = &prompt{action: a, in: in}
		return nil
	}
	return m.send(in, a.Title)
}

// look has an intent look in a direction, where players turn by intents.
func look(c *client.Copy, in *client.Intent, way [2]int64) {
	if _, turns := c.Me().Get("yaw"); !turns {
		return
	}
	if yaw, is := ground.YawOf(way[0], way[1]); is {
		in.Yaw = &yaw
	}
}

// send sends an intent and tells of its refusal; what is accepted shows itself.
func (m *model) send(in client.Intent, what string) tea.Cmd {
	pending := m.o.Conn.Send(in)
	return func() tea.Msg {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		v, err := pending.Verdict(ctx)
		switch {
		case err != nil:
			return answer{"no answer: " + err.Error()}
		case !v.OK && what != "":
			return answer{"✗ " + what + ": " + v.Reason}
		}
		return answer{}
	}
}

// nextTarget chooses the next player who is not oneself, rivals before friends, and then the next creature.
func (m *model) nextTarget() {
	m.o.Conn.Read(func(c *client.Copy) {
		me := c.Me()
		var list []uint32
		for _, friends := range []bool{false, true} {
			for _, p := range c.Players() {
				if p.ID != me.ID && (p.Int("team") == me.Int("team") && p.Int("team") != 0) == friends {
					list = append(list, p.ID)
				}
			}
		}
		for _, s := range c.Of(client.KindCreature) {
			if s.Flag("alive") {
				list = append(list, s.ID)
			}
		}
		for i, id := range list {
			if uint32(id) == m.target {
				m.target = uint32(list[(i+1)%len(list)])
				return
			}
		}
		m.target = 0
		if len(list) > 0 {
			m.target = uint32(list[0])
		}
	})
}
