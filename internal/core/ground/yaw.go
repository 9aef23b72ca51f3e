package ground

// A yaw is a direction in the plane as an integer of 0 to 65,535, in units of 1/65,536 of a turn: 0 is east (x grows),
// 16,384 south (y grows), 32,768 west, 49,152 north.

// FullTurn is the number of yaws.
const FullTurn = 1 << 16

const quarter = FullTurn / 4

// DirUnit is the length of what Dir returns, give or take a millionth.
const DirUnit = 1_000_000

// SineTable is the sine of each 1/1024 of a turn from nothing to a quarter, in millionths, rounded.
var SineTable = [quarter/64 + 1]int64{
	0, 6136, 12272, 18407, 24541, 30675, 36807, 42938, 49068, 55195, 61321, 67444, 73565, 79682, 85797,
	91909, 98017, 104122, 110222, 116319, 122411, 128498, 134581, 140658, 146730, 152797, 158858, 164913,
	170962, 177004, 183040, 189069, 195090, 201105, 207111, 213110, 219101, 225084, 231058, 237024, 242980,
	248928, 254866, 260794, 266713, 272621, 278520, 284408, 290285, 296151, 302006, 307850, 313682, 319502,
	325310, 331106, 336890, 342661, 348419, 354164, 359895, 365613, 371317, 377007, 382683, 388345, 393992,
	399624, 405241, 410843, 416430, 422000, 427555, 433094, 438616, 444122, 449611, 455084, 460539, 465976,
	471397, 476799, 482184, 487550, 492898, 498228, 503538, 508830, 514103, 519356, 524590, 529804, 534998,
	540171, 545325, 550458, 555570, 560662, 565732, 570781, 575808, 580814, 585798, 590760, 595699, 600616,
	605511, 610383, 615232, 620057, 624859, 629638, 634393, 639124, 643832, 648514, 653173, 657807, 662416,
	667000, 671559, 676093, 680601, 685084, 689541, 693971, 698376, 702755, 707107, 711432, 715731, 720003,
	724247, 728464, 732654, 736817, 740951, 745058, 749136, 753187, 757209, 761202, 765167, 769103, 773010,
	776888, 780737, 784557, 788346, 792107, 795837, 799537, 803208, 806848, 810457, 814036, 817585, 821103,
	824589, 828045, 831470, 834863, 838225, 841555, 844854, 848120, 851355, 854558, 857729, 860867, 863973,
	867046, 870087, 873095, 876070, 879012, 881921, 884797, 887640, 890449, 893224, 895966, 898674, 901349,
	903989, 906596, 909168, 911706, 914210, 916679, 919114, 921514, 923880, 926210, 928506, 930767, 932993,
	935184, 937339, 939459, 941544, 943593, 945607, 947586, 949528, 951435, 953306, 955141, 956940, 958703,
	960431, 962121, 963776, 965394, 966976, 968522, 970031, 971504, 972940, 974339, 975702, 977028, 978317,
	979570, 980785, 981964, 983105, 984210, 985278, 986308, 987301, 988258, 989177, 990058, 990903, 991710,
	992480, 993212, 993907, 994565, 995185, 995767, 996313, 996820, 997290, 997723, 998118, 998476, 998795,
	999078, 999322, 999529, 999699, 999831, 999925, 999981, 1000000,
}

// sine is that of 0 to a quarter of a turn, in millionths: between two places of the table on the straight line between
// them, rounded.
func sine(r int64) int64 {
	i, f := r>>6, r&63
	if f == 0 {
		return SineTable[i]
	}
	return SineTable[i] + ((SineTable[i+1]-SineTable[i])*f+32)>>6
}

// Dir returns the direction of a yaw as a vector of length DirUnit. Only the last 16 bits of the yaw matter.
func Dir(yaw int64) (dx, dy int64) {
	r := yaw & (quarter - 1)
	s, c := sine(r), sine(quarter-r)
	switch yaw >> 14 & 3 {
	case 0:
		return c, s
	case 1:
		return -s, c
	case 2:
		return -c, -s
	}
	return s, -c
}

// YawOf returns the yaw of a direction: the last one whose direction is not past it, going round by the south. It is
// false for no direction at all. The parts are within MaxSide.
func YawOf(dx, dy int64) (yaw int64, is bool) {
	var q, a, b int64 // the direction in its quarter: along its beginning, and off it
	switch {
	case dx > 0 && dy >= 0:
		q, a, b = 0, dx, dy
	case dx <= 0 && dy > 0:
		q, a, b = 1, dy, -dx
	case dx < 0:
		q, a, b = 2, -dx, -dy
	case dy < 0:
		q, a, b = 3, -dy, dx
	default:
		return 0, false
	}
	low, high := int64(0), int64(quarter)
	for high-low > 1 {
		if mid := (low + high) / 2; b*sine(quarter-mid) >= a*sine(mid) {
			low = mid
		} else {
			high = mid
		}
	}
	return q*quarter + low, true
}

// PitchOf returns how far a direction points up, in units of yaw: from -16,384, straight down, to 16,384. The parts are
// within MaxSide.
func PitchOf(way Point) int64 {
	pitch, _ := YawOf(Root(way.X*way.X+way.Y*way.Y), way.Z)
	return int64(int16(pitch))
}

// DirOf returns the direction of a yaw that points up by a pitch, of length DirUnit, give or take two millionths.
func DirOf(yaw, pitch int64) Point {
	x, y := Dir(yaw)
	along, up := Dir(pitch)
	return Point{x * along / DirUnit, y * along / DirUnit, up}
}

// InCone tells whether a way leads into a cone around a direction of length DirUnit. cos is the cosine of half the
// cone's angle, in millionths.
func InCone(way, dir Point, cos int64) bool {
	return way.X*dir.X+way.Y*dir.Y+way.Z*dir.Z >= Root(way.X*way.X+way.Y*way.Y+way.Z*way.Z)*cos
}

// Turned returns by how much one turns from a yaw to another, the shorter way: from -32,768 to 32,767.
func Turned(from, to int64) int64 { return int64(int16(to - from)) }

// Degrees returns the whole degrees of an angle in units of yaw, at least 0.
func Degrees(angle int64) int64 { return angle * 360 / FullTurn }
