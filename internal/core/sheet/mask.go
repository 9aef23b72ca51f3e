package sheet

import "math/bits"

// Mask is a set of field numbers.
type Mask [MaxFields / 64]uint64

// AllFields is the set of all numbers.
func AllFields() (m Mask) {
	for i := range m {
		m[i] = ^uint64(0)
	}
	return m
}

// Set adds field number n.
func (m *Mask) Set(n int) { m[n>>6] |= 1 << (n & 63) }

// Has tells whether field number n is in the set.
func (m *Mask) Has(n int) bool { return m[n>>6]&(1<<(n&63)) != 0 }

// Empty tells whether the set is empty.
func (m *Mask) Empty() bool { return m[0]|m[1]|m[2]|m[3]|m[4] == 0 }

// Meets tells whether the sets share a number.
func (m *Mask) Meets(o *Mask) bool {
	return m[0]&o[0]|m[1]&o[1]|m[2]&o[2]|m[3]&o[3]|m[4]&o[4] != 0
}

// Add adds all of o.
func (m *Mask) Add(o *Mask) {
	for i := range m {
		m[i] |= o[i]
	}
}

// And returns what both sets hold.
func (m *Mask) And(o *Mask) (both Mask) {
	for i := range m {
		both[i] = m[i] & o[i]
	}
	return both
}

// Next returns the smallest number in the set that is at least n, or -1.
func (m *Mask) Next(n int) int {
	for w := n >> 6; w < len(m); w++ {
		word := m[w]
		if w == n>>6 {
			word &= ^uint64(0) << (n & 63)
		}
		if word != 0 {
			return w<<6 + bits.TrailingZeros64(word)
		}
	}
	return -1
}

// Clear takes field number n out.
func (m *Mask) Clear(n int) { m[n>>6] &^= 1 << (n & 63) }

// Count returns how many numbers are in the set.
func (m *Mask) Count() (n int) {
	for _, word := range m {
		n += bits.OnesCount64(word)
	}
	return n
}
