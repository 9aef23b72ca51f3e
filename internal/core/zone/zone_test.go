package zone_test

import (
	"fmt"
	"testing"
	"time"

	"turnvex.example/turnvex/internal/core/zone"
)

// TestDays: in every zone, on every day of ten years, days follow each other without gap or overlap: the first moment
// that bears a day's date is its beginning. The twin goes through the nights of each zone by quarters of an hour.
func TestDays(t *testing.T) {
	names := zone.Names()
	if len(names) < 500 {
		t.Fatalf("%d zones", len(names))
	}
	from, until := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2036, 1, 1, 0, 0, 0, 0, time.UTC)
	step, like := 15*time.Minute, map[string]bool{} // many zones are another one by name
	for _, name := range names {
		z, err := zone.Load(name)
		if err != nil {
			t.Fatal(err)
		}
		y := from.In(z)
		var look []int
		for ; y.Before(until); y = y.AddDate(0, 0, 5) {
			_, offset := y.Zone()
			look = append(look, offset)
		}
		if key := fmt.Sprint(look); like[key] {
			continue
		} else {
			like[key] = true
		}
		last := from.In(z).Format(time.DateOnly)
		for at := from.In(z); at.Before(until); at = at.Add(step) {
			y, m, d := at.Date()
			if h := at.Hour(); h > 3 && h < 20 { // nothing is near
				at = at.Add(time.Duration(20-h) * time.Hour)
				continue
			}
			date := at.Format(time.DateOnly)
			if date == last {
				continue
			}
			if date < last {
				t.Fatalf("%s: after %s comes %s again", name, last, date)
			}
			if begins := zone.Begins(y, m, d, z); !begins.Equal(at) {
				t.Fatalf("%s: %s begins at %s, and not at %s", name, date, begins.In(z), at)
			}
			last = date
		}
	}
}

// TestOddDays: clocks that skip midnight, show it twice, or leave a day out.
func TestOddDays(t *testing.T) {
	for _, c := range []struct{ zone, day, want string }{
		{"America/Santiago", "2027-09-05", "2027-09-05T01:00:00-03:00"},
		{"America/Havana", "2027-03-14", "2027-03-14T01:00:00-04:00"},
		{"America/Havana", "2027-11-07", "2027-11-07T00:00:00-04:00"},
		{"Atlantic/Azores", "2027-03-28", "2027-03-28T01:00:00Z"},
		{"Atlantic/Azores", "2027-10-31", "2027-10-31T00:00:00Z"},
		{"Pacific/Apia", "2011-12-30", "2011-12-31T00:00:00+14:00"},
		{"UTC", "2027-01-01", "2027-01-01T00:00:00Z"},
	} {
		z, err := zone.Load(c.zone)
		if err != nil {
			t.Fatal(err)
		}
		day, _ := time.Parse(time.DateOnly, c.day)
		if got := zone.Begins(day.Year(), day.Month(), day.Day(), z).In(z).Format(time.RFC3339); got != c.want {
			t.Errorf("%s: %s begins at %s, not at %s", c.zone, c.day, got, c.want)
		}
	}
	for _, name := range []string{"Local", "Europe/", "Europe", "../UTC", "Atlantis/Harbour"} {
		if z, err := zone.Load(name); err == nil {
			t.Errorf("there is a zone %q: %v", name, z)
		}
	}
}
