// Package script reads matches written down as text — who does what at which
// time — and plays them on the authority. Rehearsals and the core's own tests use
// it. The form, one step a line:
//
//	at 2s  Mara enters amber        a newcomer, and the team wished for
//	at 2s  all ready                everyone who has a seat
//	at 7s  Mara ram Joss            the action ram on Joss
//	at 7s  Mara hook 1000 0         an action along a direction, or at a point
//	at 8s  Mara bid amount=3        an action that takes values
//	at 8s  Mara say line="Mind me"  a text
//	at 9s  Mara steer 1000 0        and stop, claim, unready, named, team, start,
//	                                pause, resume, kick, ban, unban, host, swap, shuffle,
//	                                mute, unmute, settings, set, waits, leaves, drops, returns
//	at 20s operator ends too late   and operator closes, referee arrives, referee
//	                                leaves, referee yes 1, referee no 1, referee does ACT
//	                                name=value, referee sets Mara.points 3
//
// Without "at" a step follows the one before at the same time; "wait 3s" lets time
// pass. What stands behind # is a comment.
package script

import (
	"bufio"
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"time"
)

// The limits of a script.
const (
	MaxBytes = 1 << 20
	maxSteps = 20000
	maxTime  = 24 * time.Hour
)

// Step is one line of a script.
type Step struct {
	Line int
	At   time.Duration // since the start; negative for "at the same time as the step before"
	Wait time.Duration // let so much time pass, and nothing else
	Who  string
	Verb string
	Args []string
}

// Error is a mistake in a script.
type Error struct {
	Line int
	Text string
}

func (e *Error) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Text) }

// Parse reads a script. Times must not go back.
func Parse(src []byte) ([]Step, error) {
	if len(src) > MaxBytes {
		return nil, &Error{1, fmt.Sprintf("the script has %d bytes, at most %d are allowed", len(src), MaxBytes)}
	}
	var steps []Step
	last := time.Duration(0)
	sc := bufio.NewScanner(bytes.NewReader(src))
	sc.Buffer(nil, MaxBytes+1)
	for n := 1; sc.Scan(); n++ {
		s, ok, err := ParseLine(sc.Text(), n)
		if err != nil {
			return nil, err
		}
		if !ok {
			continue
		}
		if s.At >= 0 {
			if s.At < last {
				return nil, &Error{n, fmt.Sprintf("%s comes after %s; times must not go back", s.At, last)}
			}
			last = s.At
		}
		last += s.Wait
		if last > maxTime {
			return nil, &Error{n, fmt.Sprintf("the script lasts longer than %s", maxTime)}
		}
		if steps = append(steps, s); len(steps) > maxSteps {
			return nil, &Error{n, fmt.Sprintf("the script has more than %d steps", maxSteps)}
		}
	}
	return steps, sc.Err()
}

// ParseLine reads one line; ok is false where it is empty or a comment.
func ParseLine(text string, line int) (s Step, ok bool, err error) {
	if strings.HasPrefix(strings.TrimSpace(text), "=") { // what came of a step, in a story
		return s, false, nil
	}
	words, err := splitLine(text, line)
	if err != nil || len(words) == 0 {
		return s, false, err
	}
	s = Step{Line: line, At: -1}
	if words[0] == "at" {
		if len(words) < 2 {
			return s, false, &Error{line, "at needs a time, as in: at 2s Mara ready"}
		}
		if s.At, err = parseTime(words[1], line); err != nil {
			return s, false, err
		}
		words = words[2:]
	}
	if len(words) == 2 && words[0] == "wait" {
		s.Wait, err = parseTime(words[1], line)
		return s, err == nil, err
	}
	if len(words) < 2 {
		return s, false, &Error{line, "a step names who does something and what, as in: Mara ready"}
	}
	s.Who, s.Verb, s.Args = words[0], words[1], words[2:]
	return s, true, nil
}

// splitLine splits a line at its blanks, up to a comment; what stands between double quotes, as in words="Mind the
// buoy", is one word without them.
func splitLine(text string, line int) (words []string, err error) {
	for {
		text = strings.TrimLeft(text, " \t\r")
		end := strings.IndexAny(text, " \t\r\"#")
		switch {
		case text == "" || text[0] == '#':
			return words, nil
		case end < 0:
			return append(words, text), nil
		case text[end] == '#':
			return append(words, text[:end]), nil
		case text[end] != '"':
			words, text = append(words, text[:end]), text[end:]
			continue
		}
		quoted, err := strconv.QuotedPrefix(text[end:])
		if err != nil {
			return nil, &Error{line, "a double quote has no end"}
		}
		said, err := strconv.Unquote(quoted)
		if err != nil {
			return nil, &Error{line, fmt.Sprintf("%s: %v", quoted, err)}
		}
		words, text = append(words, text[:end]+said), text[end+len(quoted):]
	}
}

func parseTime(text string, line int) (time.Duration, error) {
	d, err := time.ParseDuration(text)
	if err != nil || d < 0 || d > maxTime {
		return 0, &Error{line, fmt.Sprintf("%q is not a time such as 2s, 1m30s or 250ms", text)}
	}
	return d, nil
}

func (s *Step) fail(format string, args ...any) error {
	return &Error{s.Line, fmt.Sprintf(format, args...)}
}

// ints reads arguments as integers.
func (s *Step) ints(words []string) ([]int64, error) {
	var out []int64
	for _, w := range words {
		n, err := strconv.ParseInt(w, 10, 64)
		if err != nil {
			return nil, s.fail("%q is not an integer", w)
		}
		out = append(out, n)
	}
	return out, nil
}
