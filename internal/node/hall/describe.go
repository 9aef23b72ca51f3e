package hall

import (
	"turnvex.example/turnvex/internal/core/expr"
	"turnvex.example/turnvex/internal/core/ground"
	"turnvex.example/turnvex/internal/core/replica"
	"turnvex.example/turnvex/internal/core/rulebook"
	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/wire"
)

// describe makes what clients are told of a rulebook.
func describe(b *rulebook.Book) wire.BookInfo {
	info := wire.BookInfo{Name: b.Name, Title: b.Title, About: b.About, Version: b.Version, Moves: b.Movement != nil}
	for _, t := range b.Teams.List {
		info.Teams = append(info.Teams, t.Name)
	}
	for _, a := range b.Actions {
		info.Actions = append(info.Actions, describeAction(b, a))
	}
	for _, k := range b.Kits {
		kit := wire.KitInfo{Name: k.Name, Actions: []string{}}
		for _, a := range b.Actions {
			if k.Actions&(1<<a.No) != 0 {
				kit.Actions = append(kit.Actions, a.Name)
			}
		}
		info.Kits = append(info.Kits, kit)
	}
	for _, p := range b.Pieces {
		info.Pieces = append(info.Pieces, wire.PieceInfo{Name: p.Name, Title: p.Title, Radius: p.Radius, Tall: p.Tall,
			Flies: p.Shot != nil})
	}
	for _, c := range b.Creatures {
		info.Creatures = append(info.Creatures, wire.CreatureInfo{Name: c.Name, Title: c.Title, Radius: c.Radius,
			Tall: c.Tall, Every: int64(c.Tell)})
	}
	for _, z := range b.Zones {
		info.Zones = append(info.Zones, wire.ZoneInfo{Name: z.Name, Title: z.Title, Held: z.Hold != nil})
	}
	for _, v := range b.Votes {
		info.Votes = append(info.Votes, describeVote(v))
	}
	for _, p := range b.Phases {
		info.Phases = append(info.Phases, wire.PhaseInfo{Name: p.Name, Title: p.Title, Frozen: p.Frozen})
	}
	for _, n := range append(b.Notices[:len(b.Notices):len(b.Notices)], rulebook.OwnNotices...) {
		ni := wire.NoticeInfo{Name: n.Name}
		for _, f := range n.Fields {
			ni.Fields = append(ni.Fields, replica.DescribeField(f))
		}
		info.Notices = append(info.Notices, ni)
	}
	info.Pause, info.End = describeEnds(b)
	if b.Ground != nil {
		first := describeGround(b.Ground)
		info.Ground = &first
	}
	if b.Arenas != nil {
		for _, g := range b.Grounds {
			info.Arenas = append(info.Arenas, wire.ArenaInfo{Name: g.Name, Title: g.Title, Ground: describeGround(g)})
		}
	}
	info.Host = b.Host.Powers()
	if b.Movement != nil {
		info.Radius, info.Every = b.Movement.Radius, int64(b.F.Player.Pos.Rate)
		info.Speed, info.SpeedIn = b.Movement.Speed.Fixed, b.Movement.Speed.Told
		info.Walk = describeWalk(b)
	}
	return info
}

func describeGround(g *rulebook.Ground) wire.GroundInfo {
	info := wire.GroundInfo{Width: g.Width, Height: g.Height}
	if s := g.Sight; s != nil {
		info.Sight = &wire.SightInfo{Near: s.Near, Far: s.Far, Every: int64(s.Every)}
		if s.Cone != nil {
			info.Sight.Angle = s.Cone.Angle
		}
	}
	if g.Tall > 0 {
		info.Tall, info.Open, info.Walls = g.Tall, g.Open, describeWalls(g)
		return info
	}
	for _, w := range g.With(0).Walls {
		if w.Radius > 0 {
			info.Rounds = append(info.Rounds, [3]int64{w.X, w.Y, w.Radius})
		} else {
			info.Boxes = append(info.Boxes, [4]int64{w.Left, w.North, w.Right, w.South})
		}
	}
	for _, gate := range g.Gates {
		w, x := &g.Walls[gate.Wall], wire.GateInfo{While: gate.While.Name}
		if w.Radius > 0 {
			x.Circle = &[3]int64{w.X, w.Y, w.Radius}
		} else {
			x.Box = &[4]int64{w.Left, w.North, w.Right, w.South}
		}
		info.Gates = append(info.Gates, x)
	}
	return info
}

// describeWalls tells of the walls of a tall ground.
func describeWalls(g *rulebook.Ground) (list []wire.WallInfo) {
	for i := range g.Walls {
		w := &g.Walls[i]
		info := wire.WallInfo{Low: w.Low, High: w.High}
		if w.Rises != ground.RiseNot {
			info.Rises = rulebook.RiseWord(w.Rises)
		}
		if w.Radius > 0 {
			info.Circle = &[3]int64{w.X, w.Y, w.Radius}
		} else {
			info.Box = &[4]int64{w.Left, w.North, w.Right, w.South}
		}
		for _, gate := range g.Gates {
			if gate.Wall == i {
				info.While = gate.While.Name
			}
		}
		list = append(list, info)
	}
	return list
}

// describeWalk tells how players move on tall ground; nil on flat ground.
func describeWalk(b *rulebook.Book) *wire.WalkInfo {
	if m := b.Movement; b.Schema.Deep {
		return &wire.WalkInfo{Tall: m.Tall, Eye: m.Eye, Step: m.Step, Slope: m.Slope, Jump: m.Jump.Fixed,
			JumpIn: m.Jump.Told, Gravity: m.Gravity.Fixed, GravityIn: m.Gravity.Told, Flies: m.Flies}
	}
	return nil
}

// describeEnds tells the rules for pauses and for what comes after a match.
func describeEnds(b *rulebook.Book) (wire.PauseInfo, wire.EndInfo) {
	ms := func(t sheet.Tick) int64 { return sheet.Millis(int64(t), b.Rate) }
	p := wire.PauseInfo{Who: b.Pause.Who.String(), Times: b.Pause.Times, Total: ms(b.Pause.Total),
		Longest: ms(b.Pause.Longest), Countdown: ms(b.Pause.Countdown)}
	for _, phase := range b.Phases {
		if b.Pause.Phases&(1<<phase.No) != 0 {
			p.Phases = append(p.Phases, phase.Name)
		}
	}
	if len(p.Phases) == len(b.Phases) {
		p.Phases = nil
	}
	return p, wire.EndInfo{Then: b.End.Then.String(), Show: ms(b.End.Show)}
}

func describeVote(v *rulebook.Vote) wire.VoteInfo {
	info := wire.VoteInfo{Name: v.Name, Title: v.Title, On: v.On.String(), Team: v.ByTeam, During: v.Times()}
	if v.Choice != nil {
		info.Words = v.Choice.Choices
	}
	return info
}

func describeAction(b *rulebook.Book, a *rulebook.Action) wire.ActionInfo {
	info := wire.ActionInfo{Name: a.Name, Title: a.Title, Key: a.Key, Aim: a.Aim.At.String(), Reach: a.Aim.Reach,
		Held: a.Held, Cools: a.Cool != nil, Phases: []string{}, Also: a.Also.Words()}
	if a.Aim.Far != nil {
		info.Reaches = a.Aim.Far.Source
	}
	if a.Aim.At != rulebook.AimSelf {
		info.Who, info.Hits = a.Aim.Who.String(), b.Hits(&a.Aim)
	}
	for i := range a.Cost {
		info.Cost = append(info.Cost, describeCost(&a.Cost[i]))
	}
	for _, f := range a.Takes {
		info.Takes = append(info.Takes, replica.DescribeField(f))
	}
	for _, p := range b.Phases {
		if a.Phases&(1<<p.No) != 0 {
			info.Phases = append(info.Phases, p.Name)
		}
	}
	return info
}

func describeCost(x *rulebook.Amount) wire.CostInfo {
	out := wire.CostInfo{Field: x.At.Name(), Record: x.Record}
	if x.By.Const {
		out.By = x.By.Value(&expr.Env{}, x.At.Field.Type).N[0]
	} else {
		out.Says = x.By.Source
	}
	return out
}
