package wire

import (
	"turnvex/internal/replica"
	"turnvex/internal/rulebook"
)

// Describe makes what clients are told of a rulebook.
func Describe(b *rulebook.Book) BookInfo {
	info := BookInfo{Name: b.Name, Title: b.Title, About: b.About, Version: b.Version, Moves: b.Movement != nil}
	for _, t := range b.Teams.List {
		info.Teams = append(info.Teams, t.Name)
	}
	for _, a := range b.Actions {
		info.Actions = append(info.Actions, describeAction(b, a))
	}
	for _, k := range b.Kits {
		kit := KitInfo{Name: k.Name, Actions: []string{}}
		for _, a := range b.Actions {
			if k.Actions&(1<<a.No) != 0 {
				kit.Actions = append(kit.Actions, a.Name)
			}
		}
		info.Kits = append(info.Kits, kit)
	}
	for _, p := range b.Pieces {
		info.Pieces = append(info.Pieces, PieceInfo{p.Name, p.Title, p.Radius})
	}
	for _, p := range b.Phases {
		info.Phases = append(info.Phases, PhaseInfo{p.Name, p.Title, p.Frozen})
	}
	for _, n := range append(b.Notices[:len(b.Notices):len(b.Notices)], rulebook.OwnNotices...) {
		ni := NoticeInfo{Name: n.Name}
		for _, f := range n.Fields {
			ni.Fields = append(ni.Fields, replica.DescribeField(f))
		}
		info.Notices = append(info.Notices, ni)
	}
	if g := b.Ground; g != nil {
		info.Ground = &GroundInfo{Width: g.Width, Height: g.Height}
		for _, w := range g.Walls {
			if w.Radius > 0 {
				info.Ground.Rounds = append(info.Ground.Rounds, [3]int64{w.X, w.Y, w.Radius})
			} else {
				info.Ground.Boxes = append(info.Ground.Boxes, [4]int64{w.Left, w.Top, w.Right, w.Bottom})
			}
		}
	}
	if b.Movement != nil {
		info.Radius = b.Movement.Radius
	}
	return info
}

var aims = []string{"self", "target", "line", "area"}

func describeAction(b *rulebook.Book, a *rulebook.Action) ActionInfo {
	info := ActionInfo{Name: a.Name, Title: a.Title, Key: a.Key, Aim: aims[a.Aim.At], Who: a.Aim.Who, Reach: a.Aim.Reach, Held: a.Held,
		Cools: a.Cool != nil, Phases: []string{}}
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
