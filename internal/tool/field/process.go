package field

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"time"

	"turnvex.example/turnvex/internal/node/service"
)

// Part is what a process of the field does: this program, called as -part NAME ARGUMENTS.
type Part func(ctx context.Context, args []string) error

// Command returns the call of a part of this program, which gets SIGTERM when the context ends.
func Command(ctx context.Context, part string, args ...string) (*exec.Cmd, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.CommandContext(ctx, self, append([]string{"-part", part}, args...)...)
	cmd.Stderr = os.Stderr
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	cmd.WaitDelay = 20 * time.Second
	return cmd, nil
}

// Process is a part that runs.
type Process struct {
	Address string // such as http://127.0.0.1:7420
	cmd     *exec.Cmd
}

// Start starts a part and waits until it has said its address.
func Start(ctx context.Context, part string, args ...string) (*Process, error) {
	cmd, err := Command(ctx, part, args...)
	if err != nil {
		return nil, err
	}
	p := &Process{cmd: cmd}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	line := bufio.NewScanner(out)
	if !line.Scan() {
		cmd.Wait()
		return nil, fmt.Errorf("the process %s %q does not start", part, args)
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

// OperatorKey is the key of a node that is a process of the field, which lives no longer than the run.
const OperatorKey = "the-operators-key-of-a-node-of-the-lab"

// StartNode starts a node in a process of its own; listen is an address with a port, or port 0.
func StartNode(ctx context.Context, database, listen, name, rulebooks string) (*Process, error) {
	return Start(ctx, "node", database, listen, name, rulebooks)
}

// RunNode is the part that StartNode starts.
func RunNode(ctx context.Context, args []string) error {
	if len(args) != 4 {
		return fmt.Errorf("a node takes a database, an address, a name and a folder, not %q", args)
	}
	service.Tune()
	s, err := service.Start(ctx, service.Config{Database: args[0], Listen: args[1], Node: args[2], Rulebooks: args[3],
		OperatorKey: OperatorKey})
	if err != nil {
		return err
	}
	fmt.Println(s.Address)
	<-ctx.Done()
	s.Stop()
	return nil
}
