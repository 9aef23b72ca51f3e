package api

import (
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"testing/synctest"
	"time"
)

// TestBodiesAreSteady: a body has until then to go on: a while after each byte, and as long as a rate allows. Behind
// its end there is no deadline.
func TestBodiesAreSteady(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		w := &deadlines{ResponseWriter: httptest.NewRecorder(), began: time.Now()}
		body := io.MultiReader(strings.NewReader(strings.Repeat("x", 2048)), tardy{3 * time.Second, "x"},
			tardy{9 * time.Second, "xx"})
		h := steady(10*time.Second, 1<<10)(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
			for p := make([]byte, 2048); ; {
				if _, err := r.Body.Read(p); err != nil {
					return
				}
			}
		}))
		h.ServeHTTP(w, httptest.NewRequest(http.MethodPost, "/", body))
		want := []time.Duration{10 * time.Second, 12 * time.Second, 0}
		for i := range want {
			if i >= len(w.at) || w.at[i].Truncate(time.Second) != want[i] {
				t.Fatalf("the deadlines are %s, not about %s", w.at, want)
			}
		}
	})
}

// tardy is a part of a body that comes after a while.
type tardy struct {
	after time.Duration
	text  string
}

func (l tardy) Read(p []byte) (int, error) {
	time.Sleep(l.after)
	return copy(p, l.text), io.EOF
}

// deadlines notes the read deadlines of a connection, reckoned from its beginning; 0 for none.
type deadlines struct {
	http.ResponseWriter
	began time.Time
	at    []time.Duration
}

func (d *deadlines) SetReadDeadline(at time.Time) error {
	if at.IsZero() {
		at = d.began
	}
	if n := at.Sub(d.began); !slices.Contains(d.at, n) || n == 0 {
		d.at = append(d.at, n)
	}
	return nil
}
