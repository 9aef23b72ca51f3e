package pgbox

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
)

// What a server can suffer, for tests of what is built on it.

// Crash ends the server at once, whatever it is doing, and waits until it is gone.
func (b *Box) Crash() {
	b.cmd.Process.Signal(syscall.SIGQUIT)
	<-b.done
}

// Again starts a server that has ended, at the same address.
func (b *Box) Again(ctx context.Context) error {
	select {
	case <-b.done:
	default:
		return nil // it has not ended
	}
	bin, err := programs()
	if err != nil {
		return err
	}
	cred, err := owner()
	if err != nil {
		return err
	}
	return b.launch(ctx, bin, cred)
}

// Hang stops all processes of the server, or lets them go on: connections are there, and nobody answers.
func (b *Box) Hang(on bool) {
	with := syscall.SIGSTOP
	if !on {
		with = syscall.SIGCONT
	}
	own := b.cmd.Process.Pid
	syscall.Kill(own, with) // first, so that no process comes meanwhile
	files, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, f := range files {
		data, _ := os.ReadFile(f)
		var pid, parent int
		var state string
		if i := strings.LastIndex(string(data), ") "); i > 0 {
			fmt.Sscan(string(data), &pid)
			fmt.Sscan(string(data[i+2:]), &state, &parent)
		}
		if parent == own {
			syscall.Kill(pid, with)
		}
	}
}
