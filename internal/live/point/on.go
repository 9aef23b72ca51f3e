//go:build points

package point

import (
	"fmt"
	"os"
	"sync/atomic"
	"syscall"
)

// On tells whether there are points at all.
const On = true

var (
	armed  string
	left   atomic.Int64
	signal int
)

func init() {
	var n int64
	if _, err := fmt.Sscanf(os.Getenv(Variable), "%s %d %d", &armed, &n, &signal); err != nil {
		armed = ""
	}
	left.Store(n)
}

// Pass ends the process with the signal if the point is armed and it is the last pass.
func Pass(name string) {
	if name == armed && left.Add(-1) == 0 {
		syscall.Kill(os.Getpid(), syscall.Signal(signal))
		select {} // nothing more is done here
	}
}
