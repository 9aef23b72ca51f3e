// Package zone has the time zones of the IANA database, one edition for every node: what a machine has installed does
// not count.
package zone

import (
	"archive/zip"
	"bytes"
	_ "embed"
	"fmt"
	"io"
	"slices"
	"time"
)

//go:generate sh -c "cp \"$(go env GOROOT)/lib/time/zoneinfo.zip\" ."

//go:embed zoneinfo.zip
var data []byte

var edition = open()

func open() *zip.Reader {
	r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		panic(err) // it is a part of the program
	}
	return r
}

// Load returns a time zone by its IANA name, such as Europe/Oslo, or an error if there is none of that name.
func Load(name string) (*time.Location, error) {
	if name == "" || name == "UTC" {
		return time.UTC, nil
	}
	f, err := edition.Open(name)
	if err != nil {
		return nil, fmt.Errorf("there is no time zone %.40q", name)
	}
	defer f.Close()
	raw, err := io.ReadAll(f)
	if err != nil {
		return nil, fmt.Errorf("there is no time zone %.40q", name)
	}
	return time.LoadLocationFromTZData(name, raw)
}

// Names returns the names of all zones, sorted.
func Names() (names []string) {
	for _, f := range edition.File {
		if !f.FileInfo().IsDir() {
			names = append(names, f.Name)
		}
	}
	slices.Sort(names)
	return names
}

// Begins returns the moment at which a day begins in a time zone: midnight, the first of two, or the end of the gap
// where the clocks skip it. A day that the zone has left out begins, and ends, with the one after it.
func Begins(year int, month time.Month, day int, z *time.Location) time.Time {
	t := time.Date(year, month, day, 0, 0, 0, 0, z) // near a change it may be on either side of it
	want := time.Date(year, month, day, 0, 0, 0, 0, time.UTC)
	if local(t).Before(want) { // skipped: it shows the evening before
		_, change := t.ZoneBounds()
		return change.UTC()
	}
	if change, _ := t.ZoneBounds(); !change.IsZero() { // a clock that was put back shows midnight twice
		_, was := change.Add(-time.Second).Zone()
		_, is := t.Zone()
		first := t.Add(time.Duration(is-was) * time.Second)
		if first.Before(change) && local(first).Equal(want) {
			return first.UTC()
		}
	}
	return t.UTC()
}

// local is what clocks show at a moment, as if it were UTC.
func local(t time.Time) time.Time {
	_, offset := t.Zone()
	return t.UTC().Add(time.Duration(offset) * time.Second)
}
