package chance

// Shrink returns a shorter list that still fails: it leaves out many neighbours at once, then fewer, down to one, and
// calls fails for at most so many lists. The given list must fail.
func Shrink[T any](list []T, most int, fails func([]T) bool) []T {
	for size := max(len(list)/2, 1); size >= 1; size /= 2 {
		for again := true; again; {
			again = false
			for from := 0; from < len(list); {
				if most--; most < 0 {
					return list
				}
				without := append(append([]T{}, list[:from]...), list[min(from+size, len(list)):]...)
				if fails(without) {
					list, again = without, size == 1
				} else {
					from += size
				}
			}
		}
	}
	return list
}
