// Package fault is the error that crosses the service's doors: a stable code and a text that says what was wrong and
// what to do.
package fault

import (
	"errors"
	"fmt"

	"turnvex.example/turnvex/internal/core/code"
	"turnvex.example/turnvex/internal/core/names"
)

// Fault is a refusal with a stable code.
type Fault struct {
	Code   code.Code
	Reason string
	Left   int // seconds to wait before trying again, where that helps
	Extra  any // more for the problem document, e.g. the findings on a rulebook
}

func (f *Fault) Error() string { return fmt.Sprintf("%s (%s)", f.Reason, f.Code) }

// New returns a fault.
func New(c code.Code, format string, args ...any) *Fault {
	return &Fault{Code: c, Reason: fmt.Sprintf(format, args...)}
}

// CodeOf returns the code of an error that is or wraps a Fault, and code.Internal for any other.
func CodeOf(err error) code.Code {
	var f *Fault
	if errors.As(err, &f) {
		return f.Code
	}
	return code.Internal
}

// ReasonOf returns what an error says, without the code.
func ReasonOf(err error) string {
	var f *Fault
	if errors.As(err, &f) {
		return f.Reason
	}
	return err.Error()
}

// maxWhy is the most characters of a reason.
const maxWhy = 200

// Reason checks why an operator does something, and returns it in its normal form.
func Reason(why string) (string, error) {
	clean, err := Line("the reason, why,", why, maxWhy)
	if err == nil && clean == "" {
		err = New(code.BadRequest, "a reason of 1 to %d characters is needed, in why", maxWhy)
	}
	return clean, err
}

// Line brings a text of one line that somebody has written into its normal form, as names.Line does, or is fault
// code.BadRequest.
func Line(what, raw string, most int) (string, error) {
	clean, err := names.Line(raw, most)
	if err != nil {
		return "", New(code.BadRequest, "%s %s", what, err)
	}
	return clean, nil
}
