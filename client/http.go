package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
)

// Refusal is an error with which the service refused something. Code is stable (docs/errors.md lists them); Reason is
// for people.
type Refusal struct {
	Code     string          `json:"code"`               // stable; docs/errors.md lists them
	Reason   string          `json:"detail"`             // for people
	Status   int             `json:"status"`             // of HTTP (RFC 9110)
	Findings json.RawMessage `json:"findings,omitempty"` // of a rulebook that was refused, as turnvex check -json gives them
}

func (r *Refusal) Error() string { return fmt.Sprintf("%s (%s)", r.Reason, r.Code) }

// CodeOf returns the code of an error that is or wraps a Refusal, or "".
func CodeOf(err error) string {
	var r *Refusal
	if errors.As(err, &r) {
		return r.Code
	}
	return ""
}

// Service is a service reached over HTTP. The zero Token reads what is public.
type Service struct {
	Address string       // such as http://127.0.0.1:7420
	Token   string       // of a sign-in; "" reads what is public
	HTTP    *http.Client // nil for http.DefaultClient
}

// maxAnswer is the most bytes of an answer that are read.
const maxAnswer = 8 << 20

// Call sends a request with a JSON body (nil for none; a []byte is sent as it is) and decodes the answer into out (nil
// to drop it). A refusal is returned as *Refusal.
func (s Service) Call(ctx context.Context, method, path string, in, out any) error {
	res, err := s.send(ctx, method, path, in)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if out == nil || res.StatusCode == http.StatusNoContent {
		return nil
	}
	data, err := io.ReadAll(io.LimitReader(res.Body, maxAnswer))
	if err != nil {
		return fmt.Errorf("read the answer of %s: %w", path, err)
	}
	return json.Unmarshal(data, out)
}

// Read writes the answer to a GET as it comes. A refusal is returned as *Refusal.
func (s Service) Read(ctx context.Context, path string, into io.Writer) error {
	_, err := s.read(ctx, path, into)
	return err
}

// read writes the answer to a GET, and returns its headers.
func (s Service) read(ctx context.Context, path string, into io.Writer) (http.Header, error) {
	res, err := s.send(ctx, http.MethodGet, path, nil)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	if _, err := io.Copy(into, res.Body); err != nil {
		return nil, fmt.Errorf("read the answer of %s: %w", path, err)
	}
	return res.Header, nil
}

// send sends a request and returns the answer, unless it is a refusal.
func (s Service) send(ctx context.Context, method, path string, in any) (*http.Response, error) {
	var body io.Reader
	raw, is := in.([]byte)
	if is {
		body = bytes.NewReader(raw)
	} else if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return nil, err
		}
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, s.Address+path, body)
	if err != nil {
		return nil, fmt.Errorf("the address %q: %w", s.Address, err)
	}
	if in != nil && !is {
		req.Header.Set("Content-Type", "application/json")
	}
	if s.Token != "" {
		req.Header.Set("Authorization", "Bearer "+s.Token)
	}
	h := s.HTTP
	if h == nil {
		h = http.DefaultClient
	}
	res, err := h.Do(req)
	if err != nil {
		return nil, fmt.Errorf("the service at %s does not answer: %w", s.Address, err)
	}
	if res.StatusCode < 400 {
		return res, nil
	}
	defer res.Body.Close()
	return nil, refusalOf(res)
}

// refusalOf reads an answer that is a refusal.
func refusalOf(res *http.Response) *Refusal {
	r := &Refusal{Status: res.StatusCode}
	data, err := io.ReadAll(io.LimitReader(res.Body, maxAnswer))
	if err != nil || json.Unmarshal(data, r) != nil || r.Code == "" {
		r.Code, r.Reason = "http-"+strconv.Itoa(res.StatusCode), "the service answered "+res.Status
	}
	return r
}
