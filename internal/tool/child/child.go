// Package child runs parts of a program in processes of their own: the program itself, called
// with other arguments, which says first at which address it can be reached.
package child

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"time"
)

// Process is a part that runs.
type Process struct {
	Address string // such as http://127.0.0.1:7420
	cmd     *exec.Cmd
}

// Start starts this program with arguments, and waits until it has said its address. It ends
// with the context, in order.
func Start(ctx context.Context, args ...string) (*Process, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	p := &Process{cmd: exec.CommandContext(ctx, self, args...)}
	p.cmd.Stderr = os.Stderr
	p.cmd.Cancel = func() error { return p.cmd.Process.Signal(syscall.SIGTERM) }
	p.cmd.WaitDelay = 20 * time.Second
	out, err := p.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := p.cmd.Start(); err != nil {
		return nil, err
	}
	line := bufio.NewScanner(out)
	if !line.Scan() {
		p.cmd.Wait()
		return nil, fmt.Errorf("the process %q does not start", args)
	}
	p.Address = line.Text()
	return p, nil
}

// PID is the process's number.
func (p *Process) PID() int { return p.cmd.Process.Pid }

// End sends a signal and waits for the end.
func (p *Process) End(with syscall.Signal) {
	p.cmd.Process.Signal(with)
	p.cmd.Wait()
}
