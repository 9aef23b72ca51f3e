package journal

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"sync"
)

// Folder is a folder with the journals of a node. It remembers who stands in which, and may be used by several
// goroutines. A nil one holds none.
type Folder struct {
	path string
	mu   sync.Mutex
	who  map[string]map[string]int // guarded by mu; by file: inputs by account
	open map[string]bool           // guarded by mu; that are being written
}

// NewFolder returns a folder; nil is none, and for "".
func NewFolder(path string) *Folder {
	if path == "" {
		return nil
	}
	return &Folder{path: path, who: map[string]map[string]int{}, open: map[string]bool{}}
}

const suffix = ".journal"

// Create makes a journal. It is left alone until Close is called with its name.
func (f *Folder) Create(name string) (*os.File, error) {
	f.mu.Lock()
	defer f.mu.Unlock()
	file, err := os.OpenFile(filepath.Join(f.path, name+suffix), os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err == nil {
		f.open[name+suffix] = true
	}
	return file, err
}

// Close says that a journal is written to its end.
func (f *Folder) Close(name string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	delete(f.open, name+suffix)
}

// Mention is a journal in which somebody stands.
type Mention struct {
	Journal string `json:"journal"`          // the name of the file
	Inputs  int    `json:"inputs,omitempty"` // of theirs in it, where they were counted
}

// Of returns the journals in which an account stands.
func (f *Folder) Of(account string) (out []Mention, err error) {
	out = []Mention{}
	err = f.each(func(name string, who map[string]int) error {
		if n, there := who[account]; there {
			out = append(out, Mention{name, n})
		}
		return nil
	})
	return out, err
}

// Forget takes out of all journals what tells who the accounts are that gone returns of those that stand in them.
func (f *Folder) Forget(gone func(accounts []string) ([]string, error)) error {
	return f.each(func(name string, who map[string]int) error {
		var all []string
		for a := range who {
			all = append(all, a)
		}
		if len(all) == 0 {
			return nil
		}
		out, err := gone(all)
		if err != nil || len(out) == 0 {
			return err
		}
		return f.rewrite(name, out)
	})
}

// each calls with each journal that is written to its end, and who stands in it. One that cannot be read does not keep
// the others from being looked at.
func (f *Folder) each(do func(name string, who map[string]int) error) error {
	if f == nil {
		return nil
	}
	files, err := os.ReadDir(f.path)
	if err != nil {
		return fmt.Errorf("the folder of journals: %w", err)
	}
	var all error
	for _, file := range files {
		name := file.Name()
		f.mu.Lock()
		skip := f.open[name]
		who, known := f.who[name]
		f.mu.Unlock()
		if skip || !strings.HasSuffix(name, suffix) {
			continue
		}
		if !known {
			if who, err = f.read(name); err != nil {
				if !errors.Is(err, fs.ErrNotExist) {
					all = errors.Join(all, fmt.Errorf("the journal %s: %w", name, err))
				}
				continue
			}
		}
		if err := do(name, who); err != nil {
			all = errors.Join(all, fmt.Errorf("the journal %s: %w", name, err))
		}
	}
	return all
}

// read reads who stands in a journal.
func (f *Folder) read(name string) (map[string]int, error) {
	file, err := os.Open(filepath.Join(f.path, name))
	if err != nil {
		return nil, err
	}
	defer file.Close()
	who, err := Accounts(bufio.NewReader(file))
	if err == nil {
		f.mu.Lock()
		f.who[name] = who
		f.mu.Unlock()
	}
	return who, err
}

// rewrite puts a journal without some people in the place of the one with them.
func (f *Folder) rewrite(name string, accounts []string) (err error) {
	path := filepath.Join(f.path, name)
	from, err := os.Open(path)
	if err != nil {
		return err
	}
	defer from.Close()
	to, err := os.CreateTemp(f.path, "."+name+".*")
	if err != nil {
		return err
	}
	defer os.Remove(to.Name())
	w := bufio.NewWriter(to)
	_, err = Forget(bufio.NewReader(from), w, accounts...)
	if err = errors.Join(err, w.Flush(), to.Sync(), to.Close()); err != nil {
		return err
	}
	f.mu.Lock()
	delete(f.who, name)
	f.mu.Unlock()
	return os.Rename(to.Name(), path)
}

// Accounts reads who stands in a journal, and how many inputs bear each token of theirs.
func Accounts(from io.Reader) (map[string]int, error) {
	who, of := map[string]int{}, map[string]string{}
	err := entries(from, nil, func(e *entry) error {
		if p := e.Person; p != nil && strings.HasPrefix(p.Token, "a") {
			of[p.Token], who[p.Text] = p.Text, who[p.Text]+0
		}
		if in := e.Input; in != nil && of[in.Acct] != "" {
			who[of[in.Acct]]++
		}
		return nil
	})
	return who, err
}
