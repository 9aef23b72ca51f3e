package pgbox

import (
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Processor is the time that this process and, of PostgreSQL's, all have taken.
func Processor() (own, postgres time.Duration) {
	var r syscall.Rusage
	syscall.Getrusage(syscall.RUSAGE_SELF, &r)
	own = time.Duration(r.Utime.Nano() + r.Stime.Nano())
	files, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, f := range files {
		data, _ := os.ReadFile(f)
		if i := strings.LastIndex(string(data), ") "); i > 0 && strings.Contains(string(data[:i]), "(postgres") {
			if w := strings.Fields(string(data[i+2:])); len(w) > 12 {
				user, _ := strconv.Atoi(w[11])
				system, _ := strconv.Atoi(w[12])
				postgres += time.Duration(user+system) * 10 * time.Millisecond
			}
		}
	}
	return own, postgres
}
