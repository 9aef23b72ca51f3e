// Package pgbox runs a private PostgreSQL server on loopback, in a folder of its own, for the demo and the tests.
package pgbox

import (
	"bufio"
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"turnvex.example/turnvex/internal/node/store"
)

// Box is a running server.
type Box struct {
	Address string // what to connect with
	Dir     string
	Port    int

	cmd  *exec.Cmd
	done chan struct{}
	lock *os.File
	temp bool
	sure bool
}

// Options say how to run it.
type Options struct {
	Dir  string // made if it is not there
	Temp bool   // thrown away when it stops; nothing is flushed to disk
	Sure bool   // with Temp: what is committed outlives the server's processes, though not the machine
}

// Start makes the cluster if it is not there yet, and starts it on a free port. It ends with Stop, or with this
// process.
func Start(ctx context.Context, o Options) (*Box, error) {
	bin, err := programs()
	if err != nil {
		return nil, err
	}
	b := &Box{Dir: o.Dir, temp: o.Temp, sure: o.Sure}
	cred, err := owner()
	if err != nil {
		return nil, err
	}
	if err := prepare(o.Dir, cred); err != nil {
		return nil, err
	}
	if b.lock, err = lockFile(filepath.Join(o.Dir, "lock")); err != nil {
		return nil, err
	}
	password, err := b.initialise(ctx, bin, cred)
	if err != nil {
		b.lock.Close()
		return nil, err
	}
	if b.Port, err = freePort(); err == nil {
		err = b.launch(ctx, bin, cred)
	}
	if err != nil {
		b.lock.Close()
		return nil, err
	}
	b.Address = fmt.Sprintf("postgres://turnvex:%s@127.0.0.1:%d/postgres?sslmode=disable", password, b.Port)
	if err := os.WriteFile(filepath.Join(o.Dir, "address"), []byte(b.Address+"\n"), 0o600); err != nil {
		b.Stop()
		return nil, err
	}
	return b, nil
}

// programs finds the folder with the newest PostgreSQL server.
func programs() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if p, err := exec.LookPath("postgres"); err == nil {
		found = append([]string{p}, found...)
	}
	if len(found) == 0 {
		return "", errors.New(
			"the PostgreSQL server is not installed; ./dev installs it from Debian's packages (postgresql)")
	}
	slices.Sort(found)
	return filepath.Dir(found[len(found)-1]), nil
}

// owner is the user that the server must run as: nobody else's concern unless we are root, whom PostgreSQL refuses.
func owner() (*syscall.Credential, error) {
	if os.Getuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL does not run as root, and there is no user postgres: %w", err)
	}
	uid, _ := strconv.Atoi(u.Uid)
	gid, _ := strconv.Atoi(u.Gid)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, nil
}

func prepare(dir string, cred *syscall.Credential) error {
	if err := os.MkdirAll(filepath.Dir(dir), 0o755); err != nil {
		return err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return err
	}
	if cred == nil {
		return nil
	}
	return os.Chown(dir, int(cred.Uid), int(cred.Gid))
}

func lockFile(path string) (*os.File, error) {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		f.Close()
		return nil, fmt.Errorf("the database in %s is in use by another start of this project; stop that one first",
			filepath.Dir(path))
	}
	return f, nil
}

func run(ctx context.Context, cred *syscall.Credential, dir string, name string, args ...string) error {
	cmd := exec.CommandContext(ctx, name, args...)
	cmd.Dir = dir
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred}
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w\n%s", filepath.Base(name), err, out)
	}
	return nil
}

// initialise makes the cluster at the first start, with a password of its own. One that is thrown away is a copy of a
// template, which the first of them makes.
func (b *Box) initialise(ctx context.Context, bin string, cred *syscall.Credential) (string, error) {
	if !b.temp {
		return initdb(ctx, bin, cred, b.Dir)
	}
	// The template belongs to one version of the server.
	template := filepath.Join(filepath.Dir(b.Dir), "template"+strings.ReplaceAll(bin, "/", "-"))
	if err := prepare(template, cred); err != nil {
		return "", err
	}
	lock, err := os.OpenFile(filepath.Join(template, "lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return "", err
	}
	defer lock.Close()
	if err := syscall.Flock(int(lock.Fd()), syscall.LOCK_EX); err != nil {
		return "", err
	}
	password, err := initdb(ctx, bin, cred, template)
	if err != nil {
		return "", err
	}
	return password, run(ctx, cred, b.Dir, "cp", "-a", filepath.Join(template, "data"), b.Dir)
}

// initdb makes a cluster in a folder, unless it is there, and returns its password.
func initdb(ctx context.Context, bin string, cred *syscall.Credential, dir string) (string, error) {
	secret, data := filepath.Join(dir, "password"), filepath.Join(dir, "data")
	if _, err := os.Stat(data); err == nil {
		text, err := os.ReadFile(secret)
		return strings.TrimSpace(string(text)), err
	}
	password := rand.Text()
	if err := os.WriteFile(secret, []byte(password+"\n"), 0o600); err != nil {
		return "", err
	}
	if cred != nil {
		if err := os.Chown(secret, int(cred.Uid), int(cred.Gid)); err != nil {
			return "", err
		}
	}
	begun := data + "-begun" // it is moved when it is whole
	os.RemoveAll(begun)
	if err := run(ctx, cred, dir, filepath.Join(bin, "initdb"), "-D", begun, "-U", "turnvex", "-A", "scram-sha-256",
		"--pwfile="+secret, "-E", "UTF8", "--locale=C.UTF-8", "-N"); err != nil {
		return "", err
	}
	return password, os.Rename(begun, data)
}

// launch starts the server and waits until it takes connections.
func (b *Box) launch(ctx context.Context, bin string, cred *syscall.Credential) error {
	endStale(filepath.Join(b.Dir, "data", "postmaster.pid"))
	b.done = make(chan struct{})
	args := []string{"-D", filepath.Join(b.Dir, "data"), "-p", strconv.Itoa(b.Port), "-c", "listen_addresses=127.0.0.1",
		"-c", "unix_socket_directories=", "-c", "max_connections=60", "-c", "timezone=UTC"}
	if b.temp {
		args = append(args, "-c", "fsync=off", "-c", "full_page_writes=off")
	}
	if b.temp && !b.sure {
		args = append(args, "-c", "synchronous_commit=off")
	}
	log, err := os.Create(filepath.Join(b.Dir, "log"))
	if err != nil {
		return err
	}
	defer log.Close()
	b.cmd = exec.Command(filepath.Join(bin, "postgres"), args...)
	b.cmd.Dir, b.cmd.Stdout, b.cmd.Stderr = b.Dir, log, log
	b.cmd.SysProcAttr = &syscall.SysProcAttr{Credential: cred, Setpgid: true, Pdeathsig: syscall.SIGINT}
	started, done := make(chan error), b.done
	go func() {
		runtime.LockOSThread() // the server ends with the thread that started it
		err := b.cmd.Start()
		started <- err
		if err == nil {
			b.cmd.Wait()
		}
		close(done)
	}()
	if err := <-started; err != nil {
		return fmt.Errorf("start PostgreSQL: %w", err)
	}
	return b.await(ctx)
}

// await returns when the server takes connections.
func (b *Box) await(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	for {
		log, _ := os.ReadFile(filepath.Join(b.Dir, "log")) // made anew at this start
		if bytes.Contains(log, []byte("ready to accept connections")) {
			return nil
		}
		select {
		case <-b.done:
			return fmt.Errorf("PostgreSQL ended at once; its log says:\n%s", log)
		case <-ctx.Done():
			b.Stop()
			return fmt.Errorf("PostgreSQL did not take connections on port %d in time; see %s", b.Port,
				filepath.Join(b.Dir, "log"))
		case <-time.After(20 * time.Millisecond):
		}
	}
}

// endStale ends a server that an earlier start left behind.
func endStale(pidFile string) {
	f, err := os.Open(pidFile)
	if err != nil {
		return
	}
	defer f.Close()
	line, _ := bufio.NewReader(io.LimitReader(f, 32)).ReadString('\n')
	pid, err := strconv.Atoi(strings.TrimSpace(line))
	if err != nil || pid <= 1 {
		return
	}
	name, _ := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	if strings.TrimSpace(string(name)) != "postgres" {
		return
	}
	syscall.Kill(pid, syscall.SIGINT)
	for range 200 {
		if syscall.Kill(pid, 0) != nil {
			return
		}
		time.Sleep(25 * time.Millisecond)
	}
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("find a free port on 127.0.0.1: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

// Stop ends the server and waits for it.
func (b *Box) Stop() {
	if b.cmd != nil && b.cmd.Process != nil {
		b.cmd.Process.Signal(syscall.SIGINT)
		select {
		case <-b.done:
		case <-time.After(20 * time.Second):
			b.cmd.Process.Kill()
			<-b.done
		}
	}
	os.Remove(filepath.Join(b.Dir, "address"))
	b.lock.Close()
}

// Temp starts a server in a folder of its own below base, which goes when it stops.
func Temp(ctx context.Context, base string) (*Box, func(), error) {
	dir := filepath.Join(base, "test-"+strconv.Itoa(os.Getpid())+"-"+rand.Text()[:6])
	b, err := Start(ctx, Options{Dir: dir, Temp: true})
	if err != nil {
		os.RemoveAll(dir)
		return nil, nil, err
	}
	return b, func() { b.Stop(); os.RemoveAll(dir) }, nil
}

// Folder returns where the project keeps its private databases: below root, unless we are root and the user postgres
// cannot get there.
func Folder(root string) string {
	dir := filepath.Join(root, ".turnvex")
	if os.Getuid() != 0 {
		return dir
	}
	for p := root; ; p = filepath.Dir(p) {
		if info, err := os.Stat(p); err == nil && info.Mode().Perm()&0o001 == 0 {
			return filepath.Join("/var/tmp", "turnvex"+strings.ReplaceAll(root, "/", "-"))
		}
		if p == filepath.Dir(p) {
			return dir
		}
	}
}

// Tests runs a package's tests over a server of their own, which goes afterwards. use is handed its address first. It
// returns what the test process is to exit with.
func Tests(run func() int, use func(ctx context.Context, address string) error) int {
	ctx := context.Background()
	root, err := os.Getwd()
	for err == nil && root != "/" {
		if _, e := os.Stat(filepath.Join(root, "go.mod")); e == nil {
			break
		}
		root = filepath.Dir(root)
	}
	box, stop, err := Temp(ctx, Folder(root))
	if err == nil {
		defer stop()
		err = use(ctx, box.Address)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	return run()
}

// StoreTests is Tests for a package that keeps its things in the store: db is the store, with the newest schema and
// nothing in it.
func StoreTests(run func() int, db **store.DB) int {
	return Tests(run, func(ctx context.Context, address string) (err error) {
		if *db, err = store.Open(ctx, address, slog.New(slog.DiscardHandler)); err != nil {
			return err
		}
		return (*db).Migrate(ctx)
	})
}

// Empty takes everything out of a store, so that a test begins with nothing however often it runs.
func Empty(ctx context.Context, db *store.DB) error {
	return db.WithContext(ctx).Exec(`do $$ begin execute (
		select 'truncate ' || string_agg(format('%I', tablename), ', ') || ' cascade' from pg_tables
		where schemaname = current_schema() and tablename <> 'migrations'); end $$`).Error
}
