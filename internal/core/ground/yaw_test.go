package ground_test

import (
	"math"
	"math/rand/v2"
	"testing"

	"turnvex.example/turnvex/internal/core/ground"
)

// TestYaws compares each yaw's direction with the real one, and finds it again from its direction.
func TestYaws(t *testing.T) {
	for yaw := range int64(ground.FullTurn) {
		dx, dy := ground.Dir(yaw)
		sin, cos := math.Sincos(float64(yaw) * 2 * math.Pi / ground.FullTurn)
		if d := math.Hypot(float64(dx)-cos*ground.DirUnit, float64(dy)-sin*ground.DirUnit); d > 8 {
			t.Fatalf("yaw %d leads (%d, %d), %.1f millionths off", yaw, dx, dy, d)
		}
		if again, is := ground.YawOf(dx, dy); again != yaw || !is {
			t.Fatalf("yaw %d is found again as %d", yaw, again)
		}
	}
	for yaw, dir := range map[int64][2]int64{0: {5, 0}, 8192: {3, 3}, 16384: {0, 5}, 32768: {-5, 0}, 49152: {0, -5}} {
		if got, _ := ground.YawOf(dir[0], dir[1]); got != yaw {
			t.Errorf("%v has the yaw %d, not %d", dir, got, yaw)
		}
	}
	if _, is := ground.YawOf(0, 0); is {
		t.Error("no direction has a yaw")
	}
}

// TestYawOf holds what the page says: a yaw is the last whose direction is not past a vector, over random ones.
func TestYawOf(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 29))
	for range 200_000 {
		side := []int64{4, 1000, ground.MaxSide}[r.IntN(3)]
		x, y := r.Int64N(2*side+1)-side, r.Int64N(2*side+1)-side
		yaw, is := ground.YawOf(x, y)
		if is != (x != 0 || y != 0) {
			t.Fatalf("(%d, %d) has a direction: %v", x, y, is)
		}
		past := func(yaw int64) bool { // by the cross product
			dx, dy := ground.Dir(yaw)
			return dx*y-dy*x < 0
		}
		if is && (past(yaw) || !past(yaw+1)) {
			t.Fatalf("(%d, %d) has the yaw %d", x, y, yaw)
		}
	}
	for _, c := range [][3]int64{{0, 1, 1}, {1, 0, -1}, {65535, 0, 1}, {0, 32768, -32768}, {40000, 10, 25546}} {
		if got := ground.Turned(c[0], c[1]); got != c[2] {
			t.Errorf("from %d to %d one turns by %d, not %d", c[0], c[1], got, c[2])
		}
	}
}
