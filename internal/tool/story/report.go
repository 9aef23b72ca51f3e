package story

import (
	"encoding/xml"
	"fmt"
	"io"
	"strings"
	"time"
)

// Outcome is how one story went.
type Outcome struct {
	File     string        `json:"file"`
	OK       bool          `json:"ok"`
	Differs  *Difference   `json:"differs,omitempty"`
	Broken   []string      `json:"broken,omitempty"` // promises
	Error    string        `json:"error,omitempty"`
	Accepted bool          `json:"accepted,omitempty"`
	Took     time.Duration `json:"-"`
}

// Text says for a person what was wrong; "" for nothing.
func (o *Outcome) Text() string {
	var b strings.Builder
	if o.Error != "" {
		fmt.Fprintf(&b, "%s: %s\n", o.File, o.Error)
	}
	if d := o.Differs; d != nil {
		fmt.Fprintf(&b, "%s:%d: it differs\n  written  %s\n  now      %s\n", o.File, d.Line, or(d.Want), or(d.Got))
	}
	for _, p := range o.Broken {
		fmt.Fprintf(&b, "%s: it breaks a promise: %s\n", o.File, p)
	}
	return b.String()
}

func or(text string) string {
	if text == "" {
		return "(nothing)"
	}
	return text
}

// The parts of a JUnit report, as continuous integration reads it.
type (
	suite struct {
		XMLName  xml.Name `xml:"testsuite"`
		Name     string   `xml:"name,attr"`
		Tests    int      `xml:"tests,attr"`
		Failures int      `xml:"failures,attr"`
		Errors   int      `xml:"errors,attr"`
		Time     string   `xml:"time,attr"`
		Cases    []single `xml:"testcase"`
	}
	single struct {
		Name    string   `xml:"name,attr"`
		Class   string   `xml:"classname,attr"`
		Time    string   `xml:"time,attr"`
		Failure *failure `xml:"failure,omitempty"`
		Error   *failure `xml:"error,omitempty"`
	}
	failure struct {
		Message string `xml:"message,attr"`
		Text    string `xml:",chardata"`
	}
)

// JUnit writes outcomes as a report in the JUnit XML format.
func JUnit(w io.Writer, list []Outcome) error {
	s := suite{Name: "stories", Tests: len(list)}
	total := time.Duration(0)
	for i := range list {
		o := &list[i]
		total += o.Took
		c := single{Name: o.File, Class: "stories", Time: seconds(o.Took)}
		f := &failure{Message: strings.SplitN(o.Text(), "\n", 2)[0], Text: o.Text()}
		switch {
		case o.OK:
		case o.Error != "":
			c.Error, s.Errors = f, s.Errors+1
		default:
			c.Failure, s.Failures = f, s.Failures+1
		}
		s.Cases = append(s.Cases, c)
	}
	s.Time = seconds(total)
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(s); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

func seconds(d time.Duration) string { return fmt.Sprintf("%.3f", d.Seconds()) }
