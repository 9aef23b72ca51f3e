package field

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"os/exec"
	"strconv"
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
	return start(ctx, nil, part, args...)
}

func start(ctx context.Context, env []string, part string, args ...string) (*Process, error) {
	cmd, err := Command(ctx, part, args...)
	if err != nil {
		return nil, err
	}
	cmd.Env = append(os.Environ(), env...)
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

// Signal sends a signal, and Wait waits for the end.
func (p *Process) Signal(with syscall.Signal) { p.cmd.Process.Signal(with) }

// Wait waits for the end.
func (p *Process) Wait() { p.cmd.Wait() }

// End sends a signal and waits for the end.
func (p *Process) End(with syscall.Signal) {
	p.cmd.Process.Signal(with)
	p.cmd.Wait()
}

// OperatorKey is the key of a node that is a process of the field, which lives no longer than the run.
const OperatorKey = "the-operators-key-of-a-node-of-the-lab"

// Node is how a node is started in a process of its own.
type Node struct {
	Database, Name, Rulebooks string
	Listen                    string        // an address with a port, or port 0
	Kept                      bool          // it shows only what is kept
	Check                     time.Duration // how often it checks all copies; 0 for practice alone
	Env                       []string      // of the process, beside this one's
}

// StartNode starts a node in a process of its own.
func StartNode(ctx context.Context, n Node) (*Process, error) {
	return start(ctx, n.Env, "node", n.Database, n.Listen, n.Name, n.Rulebooks, strconv.FormatBool(n.Kept),
		n.Check.String())
}

// RunNode is the part that StartNode starts.
func RunNode(ctx context.Context, args []string) error {
	if len(args) != 6 {
		return fmt.Errorf("a node takes a database, an address, a name, a folder, whether it shows only what is "+
			"kept, and how often it checks copies, not %q", args)
	}
	check, err := time.ParseDuration(args[5])
	if err != nil {
		return err
	}
	service.Tune()
	s, err := service.Start(ctx, service.Config{Database: args[0], Listen: args[1], Node: args[2], Rulebooks: args[3],
		Outages: service.Outages{PublishKept: args[4] == "true"}, OperatorKey: OperatorKey, Check: check})
	if err != nil {
		return err
	}
	fmt.Println(s.Address)
	<-ctx.Done()
	s.Stop()
	return nil
}
