package api

import (
	"io"
	"net/http"
	"time"
)

// steady gives up a body of which no byte comes for a while, or that comes more slowly than a rate in bytes a second,
// reckoned from the beginning with that while on top.
func steady(patience time.Duration, rate int64) func(http.Handler) http.Handler {
	return func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if r.Body != nil && r.Body != http.NoBody {
				r.Body = &steadyBody{ReadCloser: r.Body, to: http.NewResponseController(w), patience: patience,
					rate: rate, until: time.Now().Add(patience)}
			}
			next.ServeHTTP(w, r)
		})
	}
}

type steadyBody struct {
	io.ReadCloser
	to       *http.ResponseController
	patience time.Duration
	rate     int64
	until    time.Time // when what has come so far is too little
}

// Read reads what comes in time. Behind the end there is no deadline: the answer has its own.
func (b *steadyBody) Read(p []byte) (int, error) {
	due := time.Now().Add(b.patience)
	if b.until.Before(due) {
		due = b.until
	}
	b.to.SetReadDeadline(due)
	n, err := b.ReadCloser.Read(p)
	b.until = b.until.Add(time.Duration(n) * time.Second / time.Duration(b.rate))
	if err == io.EOF {
		b.to.SetReadDeadline(time.Time{})
	}
	return n, err
}
