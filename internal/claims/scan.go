package claims

import (
	"database/sql"
	"net/netip"
	"time"
)

// moment reads a time, which one database gives as such, and the other as a text.
type moment struct {
	time  time.Time
	text  string
	parse func(string) (time.Time, error)
}

func (m *moment) into() any {
	if m.parse == nil {
		return &m.time
	}
	return &m.text
}

func (m *moment) get() (time.Time, error) {
	if m.parse == nil {
		return m.time.UTC(), nil
	}
	return m.parse(m.text)
}

func untilOf(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	return time.Parse(time.DateOnly, text)
}

func scanClaims(rows *sql.Rows, parse func(string) (time.Time, error)) ([]Claim, error) {
	defer rows.Close()
	var all []Claim
	for rows.Next() {
		c, err := scanClaim(rows, parse)
		if err != nil {
			return nil, err
		}
		all = append(all, c)
	}
	return all, rows.Err()
}

// scanClaim reads a row, with more columns behind those of a claim.
func scanClaim(rows *sql.Rows, parse func(string) (time.Time, error), more ...any) (Claim, error) {
	var c Claim
	var p, until string
	at := moment{parse: parse}
	err := rows.Scan(append([]any{&p, &c.For, &c.Owner, &until, at.into(), &c.By}, more...)...)
	if err == nil {
		c.Range, err = netip.ParsePrefix(p)
	}
	if err == nil {
		c.Until, err = untilOf(until)
	}
	if err == nil {
		c.At, err = at.get()
	}
	return c, err
}

func scanEvents(rows *sql.Rows, parse func(string) (time.Time, error)) ([]Event, error) {
	defer rows.Close()
	var all []Event
	for rows.Next() {
		var e Event
		var err error
		if e.Claim, err = scanClaim(rows, parse, &e.What); err != nil {
			return nil, err
		}
		all = append(all, e)
	}
	return all, rows.Err()
}
