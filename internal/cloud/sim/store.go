package sim

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"time"

	"modernc.org/sqlite" // SQLite without C
	sqlite3 "modernc.org/sqlite/lib"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// This file keeps the state of the cloud in one SQLite file. What is written is gathered into one transaction where several calls write
// at once, and no call is answered before its own has been committed. A commit is in the hands of the operating system then, which
// outlives the process; it is flushed to the disk at checkpoints.

const schema = `
CREATE TABLE IF NOT EXISTS things (id TEXT PRIMARY KEY, record TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS log (owner TEXT NOT NULL, n INTEGER NOT NULL, entry TEXT NOT NULL, PRIMARY KEY (owner, n)) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS owners (n INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE);
CREATE TABLE IF NOT EXISTS regions (name TEXT PRIMARY KEY, zones TEXT NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS locks (owner TEXT NOT NULL, estate TEXT NOT NULL, token TEXT NOT NULL, by TEXT NOT NULL, since INTEGER NOT NULL, until INTEGER NOT NULL, PRIMARY KEY (owner, estate)) WITHOUT ROWID;
`

// record is a thing as it is kept.
type record struct {
	cloud.Thing
	Seq     int    `json:"seq"`
	Token   string `json:"token,omitempty"`
	ReadyAt int64  `json:"ready_at"` // milliseconds since 1970
	Fails   bool   `json:"fails,omitempty"`

	props stock.Props // the same as in Thing, decoded
}

// write is what one call changes.
type write struct {
	put    []*record
	remove string
	entry  *cloud.Entry
	owners []string // in whose logs the entry is
	data   [][]byte // of what is put, as it was when the call was made
}

type store struct{ db *sql.DB }

// ErrHeld is the error of a state that another program has: two would each know only what they did themselves.
var ErrHeld = errors.New("another program has this state")

func openStore(file string) (*store, error) {
	if _, err := os.Stat(file); errors.Is(err, fs.ErrNotExist) { // nobody else may read whose things these are
		f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
		if err != nil {
			return nil, err
		}
		f.Close()
	}
	options := url.Values{"_pragma": {"busy_timeout(1000)", "locking_mode(EXCLUSIVE)", "journal_mode(WAL)", "synchronous(NORMAL)"}, "_txlock": {"immediate"}}
	db, err := sql.Open("sqlite", (&url.URL{Scheme: "file", Opaque: url.PathEscape(file), RawQuery: options.Encode()}).String())
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1) // which has the file for itself until the program ends, however it does
	if _, err := db.Exec(schema); err != nil {
		db.Close()
		var refused *sqlite.Error
		if errors.As(err, &refused) && refused.Code()&0xff == sqlite3.SQLITE_BUSY {
			return nil, ErrHeld
		}
		return nil, err
	}
	return &store{db}, nil
}

// load reads what there is.
func (s *store) load(each func(*record)) (last int, owners []string, regions []stock.Region, err error) {
	rows, err := s.db.Query("SELECT record FROM things")
	if err != nil {
		return 0, nil, nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var raw []byte
		if err := rows.Scan(&raw); err != nil {
			return 0, nil, nil, err
		}
		r := &record{}
		if err := json.Unmarshal(raw, r); err != nil {
			return 0, nil, nil, fmt.Errorf("a thing cannot be read: %w", err)
		}
		each(r)
	}
	if err := rows.Err(); err != nil {
		return 0, nil, nil, err
	}
	if err := s.db.QueryRow("SELECT coalesce(max(n), 0) FROM log").Scan(&last); err != nil {
		return 0, nil, nil, err
	}
	if owners, err = column(s.db, "SELECT name FROM owners ORDER BY n"); err != nil {
		return 0, nil, nil, err
	}
	all, err := s.db.Query("SELECT name, zones FROM regions")
	if err != nil {
		return 0, nil, nil, err
	}
	defer all.Close()
	for all.Next() {
		var r stock.Region
		var zones string
		if err := all.Scan(&r.Name, &zones); err != nil {
			return 0, nil, nil, err
		}
		if err := json.Unmarshal([]byte(zones), &r.Zones); err != nil {
			return 0, nil, nil, err
		}
		regions = append(regions, r)
	}
	return last, owners, regions, all.Err()
}

func column(db *sql.DB, query string) ([]string, error) {
	rows, err := db.Query(query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []string
	for rows.Next() {
		var s string
		if err := rows.Scan(&s); err != nil {
			return nil, err
		}
		all = append(all, s)
	}
	return all, rows.Err()
}

func (s *store) keepOwner(name string) error {
	_, err := s.db.Exec("INSERT OR IGNORE INTO owners (name) VALUES (?)", name)
	return err
}

func (s *store) keepRegion(r stock.Region) error {
	zones, _ := json.Marshal(r.Zones)
	_, err := s.db.Exec("INSERT INTO regions VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET zones = excluded.zones", r.Name, string(zones))
	return err
}

// keepLock writes a lock down; times are milliseconds since 1970.
func (s *store) keepLock(owner, estate string, l lock) error {
	_, err := s.db.Exec("INSERT OR REPLACE INTO locks VALUES (?, ?, ?, ?, ?, ?)", owner, estate, l.token, l.by, l.since.UnixMilli(), l.until.UnixMilli())
	return err
}

func (s *store) dropLock(owner, estate string) error {
	_, err := s.db.Exec("DELETE FROM locks WHERE owner = ? AND estate = ?", owner, estate)
	return err
}

// locks are those that were taken, by owner and estate.
func (s *store) locks() (map[[2]string]lock, error) {
	rows, err := s.db.Query("SELECT owner, estate, token, by, since, until FROM locks")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	all := map[[2]string]lock{}
	for rows.Next() {
		var owner, estate string
		var l lock
		var since, until int64
		if err := rows.Scan(&owner, &estate, &l.token, &l.by, &since, &until); err != nil {
			return nil, err
		}
		l.since, l.until = time.UnixMilli(since), time.UnixMilli(until)
		all[[2]string{owner, estate}] = l
	}
	return all, rows.Err()
}

// commit writes what some calls change, all of it or nothing.
func (s *store) commit(all []*write) error {
	tx, err := s.db.Begin()
	if err != nil {
		return err
	}
	defer tx.Rollback()
	put, err := tx.Prepare("INSERT INTO things VALUES (?, ?) ON CONFLICT (id) DO UPDATE SET record = excluded.record")
	if err != nil {
		return err
	}
	log, err := tx.Prepare("INSERT INTO log VALUES (?, ?, ?)")
	if err != nil {
		return err
	}
	for _, w := range all {
		for i, r := range w.put {
			if _, err := put.Exec(r.ID, string(w.data[i])); err != nil {
				return err
			}
		}
		if w.remove != "" {
			if _, err := tx.Exec("DELETE FROM things WHERE id = ?", w.remove); err != nil {
				return err
			}
		}
		if w.entry != nil {
			raw, err := json.Marshal(w.entry)
			if err != nil {
				return err
			}
			for _, owner := range w.owners {
				if _, err := log.Exec(owner, w.entry.N, string(raw)); err != nil {
					return err
				}
			}
		}
	}
	return tx.Commit()
}

// entries are those of an owner's log behind a number, up to so many.
func (s *store) entries(owner string, after, most int) (*cloud.Entries, error) {
	rows, err := s.db.Query("SELECT entry FROM log WHERE owner = ? AND n > ? ORDER BY n LIMIT ?", owner, after, most+1)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	out := &cloud.Entries{Entries: []cloud.Entry{}}
	for rows.Next() {
		var raw []byte
		var e cloud.Entry
		if err := rows.Scan(&raw); err != nil {
			return nil, err
		}
		if err := json.Unmarshal(raw, &e); err != nil {
			return nil, err
		}
		if len(out.Entries) == most {
			out.More = true
			break
		}
		out.Entries = append(out.Entries, e)
	}
	return out, rows.Err()
}
