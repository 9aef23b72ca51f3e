package siege

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"syscall"
	"time"

	"turnvex.example/turnvex/internal/tool/field"
)

// ground is where the siege takes place: a database, a node and a bare listener, each a process of its own.
type ground struct {
	lab        *field.Field
	node, bare *process
	stopBox    func()
}

func build(ctx context.Context, lab *field.Field) (*ground, error) {
	box, stop, err := lab.Box(ctx)
	if err != nil {
		return nil, err
	}
	f := &ground{lab: lab, stopBox: stop}
	if f.node, err = started(field.StartNode(ctx, field.Node{Database: box.Address, Listen: "127.0.0.1:0",
		Name: "node1", Rulebooks: field.Rulebooks})); err == nil {
		f.bare, err = started(field.Start(ctx, "bare-listener"))
	}
	if err != nil {
		f.stop()
		return nil, err
	}
	return f, nil
}

func (f *ground) stop() {
	for _, p := range []*process{f.bare, f.node} {
		if p != nil && p.Process != nil {
			p.End(syscall.SIGTERM)
		}
	}
	f.stopBox()
}

// process is a part of the siege in a process of its own.
type process struct{ *field.Process }

func started(p *field.Process, err error) (*process, error) { return &process{p}, err }

// ticksPerSecond is in what /proc counts the processor's time.
const ticksPerSecond = 100

// used is the processor's time that a process has taken, and the memory that it has now.
func (p *process) used() (cpu time.Duration, memory int64) {
	stat, _ := os.ReadFile(fmt.Sprintf("/proc/%d/stat", p.PID()))
	if i := strings.LastIndex(string(stat), ") "); i >= 0 {
		f := strings.Fields(string(stat)[i+2:])
		if len(f) > 21 {
			user, _ := strconv.ParseInt(f[11], 10, 64)
			system, _ := strconv.ParseInt(f[12], 10, 64)
			pages, _ := strconv.ParseInt(f[21], 10, 64)
			return time.Duration(user+system) * time.Second / ticksPerSecond, pages * int64(os.Getpagesize())
		}
	}
	return 0, 0
}

// watch measures a process until what it returns is called.
func (p *process) watch() func() (time.Duration, int64) {
	began, _ := p.used()
	done, peak := make(chan struct{}), make(chan int64)
	go func() {
		most := int64(0)
		for t := time.NewTicker(50 * time.Millisecond); ; {
			_, now := p.used()
			most = max(most, now)
			select {
			case <-t.C:
			case <-done:
				t.Stop()
				peak <- most
				return
			}
		}
	}()
	return func() (time.Duration, int64) {
		close(done)
		now, _ := p.used()
		return now - began, <-peak
	}
}

// attack starts an attacker at the lowest priority, and returns what waits for what it came to.
func (f *ground) attack(ctx context.Context, a *attack, target string, long time.Duration) (func() (*tally, error),
	error) {
	cmd, err := field.Command(ctx, "attack", a.name, f.node.Address, target, long.String())
	if err != nil {
		return nil, err
	}
	nice, err := exec.LookPath("nice")
	if err != nil {
		return nil, err
	}
	cmd.Path, cmd.Args = nice, append([]string{nice, "-n", "19"}, cmd.Args...)
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	lines := bufio.NewScanner(out)
	lines.Buffer(nil, 1<<20)
	if !lines.Scan() || lines.Text() != "ready" {
		cmd.Wait()
		return nil, errors.New("the attacker does not get ready")
	}
	return func() (*tally, error) {
		var t tally
		if !lines.Scan() {
			return nil, errors.Join(errors.New("the attacker came to nothing"), cmd.Wait())
		}
		err := json.Unmarshal(lines.Bytes(), &t)
		return &t, errors.Join(err, cmd.Wait())
	}, nil
}

// Parts are the processes of a siege.
func Parts() map[string]field.Part {
	return map[string]field.Part{"bare-listener": runBare, "attack": runAttack}
}

// runBare listens, and refuses every request before it has read more than its head.
func runBare(ctx context.Context, _ []string) error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	fmt.Println("http://" + l.Addr().String())
	s := &http.Server{ReadHeaderTimeout: 10 * time.Second, ReadTimeout: 30 * time.Second,
		Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			http.Error(w, "no", http.StatusServiceUnavailable)
		})}
	go func() {
		<-ctx.Done()
		s.Close()
	}()
	if err := s.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
