package expr

import (
	"math"
	"math/bits"
)

// Checked arithmetic on int64. Each leaves a fault in e and returns 0 where the exact result does not fit, as CEL asks.

func add(e *Env, a, b int64) int64 {
	c := a + b
	if (c > a) != (b > 0) && b != 0 {
		return fault(e, Overflow)
	}
	return c
}

func sub(e *Env, a, b int64) int64 {
	c := a - b
	if (c < a) != (b > 0) && b != 0 {
		return fault(e, Overflow)
	}
	return c
}

func mul(e *Env, a, b int64) int64 {
	if a == 0 || b == 0 {
		return 0
	}
	c := a * b
	if c/b != a || (a == -1 && b == math.MinInt64) || (b == -1 && a == math.MinInt64) {
		return fault(e, Overflow)
	}
	return c
}

func div(e *Env, a, b int64) int64 {
	if b == 0 {
		return fault(e, DivisionByZero)
	}
	if b == -1 && a == math.MinInt64 {
		return fault(e, Overflow)
	}
	return a / b
}

func mod(e *Env, a, b int64) int64 {
	if b == 0 {
		return fault(e, DivisionByZero)
	}
	if b == -1 && a == math.MinInt64 { // as CEL has it, though the remainder would be 0
		return fault(e, Overflow)
	}
	return a % b
}

// mulDiv computes a*b/c, rounded half away from zero, with a 128-bit middle.
func mulDiv(e *Env, a, b, c int64) int64 {
	if c == 0 {
		return fault(e, DivisionByZero)
	}
	neg := (a < 0) != (b < 0) != (c < 0)
	hi, lo := bits.Mul64(abs64(a), abs64(b))
	d := abs64(c)
	var carry uint64
	lo, carry = bits.Add64(lo, d/2, 0)
	hi += carry
	if hi >= d {
		return fault(e, Overflow)
	}
	q, _ := bits.Div64(hi, lo, d)
	if q > math.MaxInt64 {
		return fault(e, Overflow)
	}
	if neg {
		return -int64(q)
	}
	return int64(q)
}

func abs64(a int64) uint64 {
	if a < 0 {
		return -uint64(a)
	}
	return uint64(a)
}

func fault(e *Env, f Fault) int64 {
	if e.Fault == OK {
		e.Fault = f
	}
	return 0
}

// Root returns the integer square root of n, rounded down.
func Root(n uint64) int64 {
	if n == 0 {
		return 0
	}
	r := uint64(math.Sqrt(float64(n))) // a first guess; made exact below
	for r > math.MaxUint32 || r*r > n {
		r--
	}
	for r < math.MaxUint32 && (r+1)*(r+1) <= n {
		r++
	}
	return int64(r)
}
