package rulebook

import (
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
	"turnvex.example/turnvex/internal/core/zone"
)

// Calendar is the date and the time of day that a rulebook reads, in its time zone. They come in as inputs.
type Calendar struct {
	Zone               *time.Location
	Day, Week, Weekday *sheet.Field // of the lobby
	Time               *sheet.Field // of the lobby: a clock since midnight
	Last               *sheet.Field // of a record: the day of the visit before the present one, 0 for none
}

// The day and the time of day where no input has said another one, as in scripts and rehearsals: noon of the first of
// January 2030, a Tuesday.
const (
	usualDay  = 21915
	usualTime = 12 * hour
)

// WeekOf returns the week that a day belongs to, and the day of the week: 1 for Monday to 7 for Sunday. Days count from
// the first of January 1970, which was a Thursday.
func WeekOf(day int64) (week, weekday int64) { return (day + 3) / 7, (day+3)%7 + 1 }

// Today returns the day at a moment, and the milliseconds since its midnight.
func (c *Calendar) Today(now time.Time) (day, millis int64) {
	now = now.In(c.Zone)
	y, m, d := now.Date()
	day = time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Unix() / 86400
	return day, now.Sub(zone.Begins(y, m, d, c.Zone)).Milliseconds()
}

// Midnight returns when the day of a moment ends.
func (c *Calendar) Midnight(now time.Time) time.Time {
	y, m, d := now.In(c.Zone).Date()
	return zone.Begins(y, m, d+1, c.Zone)
}

var calendarObject = &object{
	name: "calendar",
	doc: "Lets rules read the date: the lobby then has `day` (days since 1970-01-01), `week` (of days from Monday to " +
		"Sunday), `weekday` (1 for Monday to 7) and the clock `time` (since midnight), and every record `last_day` " +
		"(the day of the visit before this one, 0 without any). A record's fields with `renew` need it.",
	example: `calendar: {time_zone: Europe/Oslo}
record: {daily: {renew: day}, weekly: {renew: week, start: 3}}
rules:
  - on: start
    for: players
    if: record.last_day > 0 && lobby.day - record.last_day >= 7
    do: [{notice: welcome_back, to: me}]
  - on: start
    if: lobby.weekday >= 6 && lobby.time > 18h
    do: [{notice: double_points}]`,
	keys: []key{like(boardObject, "time_zone")[0]},
}

// declareCalendar adds the fields that tell the date.
func (b *declarer) declareCalendar() {
	n := b.top.get("calendar")
	if n == nil {
		return
	}
	at, err := zone.Load(n.str("time_zone"))
	if err != nil && n.get("time_zone") != nil {
		b.fail(n.get("time_zone"), "unknown-word", "an IANA name such as UTC, Europe/Oslo or America/Lima",
			"there is no time zone %q", n.str("time_zone"))
		at = time.UTC
	}
	lob, rec := b.adder(sheet.Lobby), b.adder(sheet.Record)
	c := &Calendar{Zone: at, Day: lob("day", whole), Week: lob("week", whole), Weekday: lob("weekday", whole),
		Time: lob("time", wallClock(false)), Last: rec("last_day", whole)}
	c.Day.Start.N[0] = usualDay
	c.Week.Start.N[0], c.Weekday.Start.N[0] = WeekOf(usualDay)
	c.Time.Start.N[0], c.Time.Start.N[1] = sheet.Ticks(usualTime, b.book.Rate), 1
	for _, f := range []*sheet.Field{c.Day, c.Week, c.Weekday, c.Time} {
		b.uses.wrote(sheet.Lobby, f)
	}
	b.uses.wrote(sheet.Record, c.Last)
	b.book.Calendar = c
}

// The names of fields of a record that remember when something was.
const (
	SeenDay     = "seen_day"
	sinceSuffix = "_since"
)

// expandRenewed adds what remembers when fields of records were renewed, and when a player was here.
func expandRenewed(b *document) {
	for _, n := range []*node{b.game.get("record"), b.top.get("record")} {
		if n == nil {
			continue
		}
		for _, e := range n.entries {
			if r := e.value.get("renew"); r != nil && !never(r) && r.text != RenewNever.String() {
				n.entries = append(n.entries, remembers(e, e.key+sinceSuffix))
				if b.top.get("calendar") == nil && !r.implied {
					b.fail(r, "missing-key", "calendar: {time_zone: UTC}", "nothing says when a day begins")
				}
			}
		}
	}
	if c := b.top.get("calendar"); c != nil {
		record := b.top.get("record")
		if record == nil {
			record = &node{kind: mapNode, line: c.line, col: c.col, path: "record"}
			b.top.entries = append(b.top.entries, entry{"record", c.line, c.col, record})
		}
		record.entries = append(record.entries, remembers(entry{value: c, line: c.line, col: c.col}, SeenDay))
	}
}

// remembers is a field of the record that only the service writes and only referees see.
func remembers(e entry, name string) entry {
	m := maker{e.value}
	return entry{name, e.line, e.col, m.object("type", m.text("integer"), "see", m.text("referees"), "keep",
		m.text("%s", KeepLatest), "renew", m.text("%s", RenewNever))}
}

// renewed says how a field of a record is renewed.
func (b *keeper) renewed(r *RecordField, n *node) {
	if n.get("renew") != nil {
		r.Renew = renewWords.named(n.str("renew"))
	}
	if r.Renew != RenewNever {
		r.Since = b.book.Schema.Field(sheet.Record, r.Field.Name+sinceSuffix)
	}
}
