package api

import (
	"bytes"
	"compress/gzip"
	"io/fs"
	"mime"
	"net/http"
	"path"
	"strings"
	"sync"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/node/fault"
)

// consoleFile serves the console: its files by name, and its first page for every other address, because the console
// routes by itself.
func (s *front) consoleFile(w http.ResponseWriter, r *http.Request) {
	files, _ := fs.Sub(console, "console")
	name := strings.TrimPrefix(r.URL.Path, "/")
	if f, err := files.Open(name); err == nil && name != "" && !strings.HasSuffix(name, "/") {
		f.Close()
		if strings.HasPrefix(name, "assets/") {
			w.Header().Set("Cache-Control", "public, max-age=31536000, immutable")
		}
		if text(name) {
			sendFile(w, r, files, name)
			return
		}
		http.ServeFileFS(w, r, files, name)
		return
	}
	if _, err := fs.Stat(files, "index.html"); err != nil {
		s.fail(w, r, fault.New(code.NotFound, "this build of the service has no console; build it with ./dev build"))
		return
	}
	w.Header().Set("Cache-Control", "no-cache")
	sendFile(w, r, files, "index.html")
}

// text tells whether a file gets shorter when it is compressed.
func text(name string) bool {
	switch path.Ext(name) {
	case ".js", ".css", ".html", ".svg":
		return true
	}
	return false
}

// packed are the console's files, compressed once (RFC 1952), by name.
var packed sync.Map

// sendFile sends a file, compressed for whoever takes that (RFC 9110, section 12.5.3).
func sendFile(w http.ResponseWriter, r *http.Request, files fs.FS, name string) {
	h := w.Header()
	h.Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
	h.Add("Vary", "Accept-Encoding")
	data, err := fs.ReadFile(files, name)
	if err != nil {
		http.NotFound(w, r)
		return
	}
	if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		h.Set("Content-Encoding", "gzip")
		data = pack(name, data)
	}
	w.Write(data)
}

func pack(name string, data []byte) []byte {
	if done, had := packed.Load(name); had {
		return done.([]byte)
	}
	var out bytes.Buffer
	z, _ := gzip.NewWriterLevel(&out, gzip.BestCompression) // the level is one that there is
	z.Write(data)
	z.Close()
	packed.Store(name, out.Bytes())
	return out.Bytes()
}
