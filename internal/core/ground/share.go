package ground

// Share divides by the same number again and again, faster than a division would.
type Share struct {
	By  int64
	inv float64
}

// ShareOf returns the shares of a number above 0.
func ShareOf(by int64) Share { return Share{by, 1 / float64(by)} }

// Of is a/By, rounded towards 0 as Go does. The guess is off by one at most for what floats hold exactly, and is made
// exact.
func (s Share) Of(a int64) int64 {
	if a > 1<<52 || a < -1<<52 {
		return a / s.By
	}
	q := int64(float64(a) * s.inv)
	r := a - q*s.By
	if a >= 0 {
		if r < 0 {
			q--
		} else if r >= s.By {
			q++
		}
		return q
	}
	if r > 0 {
		q++
	} else if r <= -s.By {
		q--
	}
	return q
}
