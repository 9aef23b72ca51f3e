package wire

import "turnvex/internal/sheet"

// Show turns a field's value into what JSON carries in notices and arguments.
func Show(v sheet.Value) any {
	switch v.Type {
	case sheet.Text:
		return v.S
	case sheet.Flag:
		return v.N[0] != 0
	case sheet.Position:
		return []int64{v.N[0], v.N[1]}
	case sheet.Clock:
		return []int64{v.N[0], v.N[1], v.N[2]}
	}
	return v.N[0]
}
