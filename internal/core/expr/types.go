package expr

import (
	"slices"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"

	"turnvex.example/turnvex/internal/core/sheet"
)

// The names that sheets have as CEL types.
var kindTypes = [sheet.Kinds]*cel.Type{types.NewObjectType("Lobby"), types.NewObjectType("Match"),
	types.NewObjectType("Team"), types.NewObjectType("Player"), types.NewObjectType("Record"),
	types.NewObjectType("Piece"), types.NewObjectType("Creature"), types.NewObjectType("Zone")}

var (
	positionType = types.NewObjectType("Position")
	argsType     = types.NewObjectType("Arguments")
	aimType      = types.NewObjectType("Aim")
)

// The fields of an aim's way: where it began, where it stopped, its direction in thousandths, and what stopped it. They
// stand in the slots of Env.Aim.
var (
	aimSchema = &sheet.Schema{Deep: true}
	AimFrom   = aimField(sheet.Field{Name: "from", Type: sheet.Position})
	AimTo     = aimField(sheet.Field{Name: "to", Type: sheet.Position})
	AimDir    = aimField(sheet.Field{Name: "dir", Type: sheet.Position})
	AimMet    = aimField(sheet.Field{Name: "met", Type: sheet.Choice,
		Choices: []string{"nothing", "body", "wall", "floor", "edge"}})
)

// What stops an aim, as in the words of AimMet.
const (
	MetNothing int64 = iota
	MetBody
	MetWall
	MetFloor
	MetEdge
)

// AimSlots is how many slots the way of an aim takes.
const AimSlots = 10

func aimField(as sheet.Field) *sheet.Field {
	f, err := aimSchema.Add(sheet.Match, as)
	if err != nil {
		panic("turnvex: the way of an aim: " + err.Error())
	}
	return f
}

// virtual members: things a sheet has in expressions beside its fields.
var virtual = map[sheet.Kind]map[string]*cel.Type{
	sheet.Player: {
		"record":  kindTypes[sheet.Record],
		"rivals":  types.NewListType(kindTypes[sheet.Player]),
		"friends": types.NewListType(kindTypes[sheet.Player]),
		"others":  types.NewListType(kindTypes[sheet.Player]),
	},
	sheet.Creature: {
		"rivals":  types.NewListType(kindTypes[sheet.Player]),
		"friends": types.NewListType(kindTypes[sheet.Player]),
	},
	sheet.Zone: {"inside": types.NewListType(kindTypes[sheet.Player])},
	sheet.Team: {"members": types.NewListType(kindTypes[sheet.Player])},
}

// ReservedMembers returns the names that a kind's fields may not take because expressions use them.
func ReservedMembers(k sheet.Kind) []string {
	var names []string
	for n := range virtual[k] {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// provider tells the CEL type checker what fields each sheet has.
type provider struct {
	types.Provider
	schema *sheet.Schema
	args   []*sheet.Field
}

func kindOf(t *cel.Type) (sheet.Kind, bool) {
	for k, kt := range kindTypes {
		if kt.TypeName() == t.TypeName() {
			return sheet.Kind(k), true
		}
	}
	return 0, false
}

// parts are the lengths of a position.
func (p *provider) parts() []string {
	if p.schema.Deep {
		return []string{"x", "y", "z"}
	}
	return []string{"x", "y"}
}

func (p *provider) FindStructType(name string) (*types.Type, bool) {
	for _, t := range append(kindTypes[:], positionType, argsType, aimType) {
		if t.TypeName() == name {
			return types.NewTypeTypeWithParam(t), true
		}
	}
	return p.Provider.FindStructType(name)
}

func (p *provider) FindStructFieldNames(name string) ([]string, bool) {
	switch name {
	case positionType.TypeName():
		return p.parts(), true
	case aimType.TypeName():
		return aimSchema.Names(sheet.Match), true
	case argsType.TypeName():
		var names []string
		for _, f := range p.args {
			names = append(names, f.Name)
		}
		return names, true
	}
	if k, ok := kindOf(types.NewObjectType(name)); ok {
		return append(p.schema.Names(k), ReservedMembers(k)...), true
	}
	return p.Provider.FindStructFieldNames(name)
}

func (p *provider) FindStructFieldType(name, field string) (*types.FieldType, bool) {
	switch name {
	case positionType.TypeName():
		if slices.Contains(p.parts(), field) {
			return &types.FieldType{Type: types.IntType}, true
		}
		return nil, false
	case aimType.TypeName():
		if f := aimSchema.Field(sheet.Match, field); f != nil {
			return &types.FieldType{Type: celType(f)}, true
		}
		return nil, false
	case argsType.TypeName():
		for _, f := range p.args {
			if f.Name == field {
				return &types.FieldType{Type: celType(f)}, true
			}
		}
		return nil, false
	}
	k, ok := kindOf(types.NewObjectType(name))
	if !ok {
		return p.Provider.FindStructFieldType(name, field)
	}
	if t := virtual[k][field]; t != nil {
		return &types.FieldType{Type: t}, true
	}
	if c := p.schema.Counts(k, field); c != nil {
		return &types.FieldType{Type: countsType(c)}, true
	}
	if f := p.schema.Field(k, field); f != nil {
		return &types.FieldType{Type: celType(f)}, true
	}
	return nil, false
}

func (p *provider) NewValue(name string, fields map[string]ref.Val) ref.Val {
	return types.NewErr("sheets are not made in expressions")
}

// celType is the CEL type that a field reads as: a clock reads as milliseconds, a choice as its word.
func celType(f *sheet.Field) *cel.Type {
	switch f.Type {
	case sheet.Number:
		return types.DoubleType
	case sheet.Text, sheet.Choice:
		return types.StringType
	case sheet.Flag:
		return types.BoolType
	case sheet.Position, sheet.Position3:
		return positionType
	case sheet.Ref:
		return kindTypes[f.Of]
	case sheet.List:
		return types.NewListType(itemType(f))
	default:
		return types.IntType
	}
}

// itemType is the CEL type of one of a list's values.
func itemType(list *sheet.Field) *cel.Type {
	item := *list
	item.Type = list.Item
	return celType(&item)
}
