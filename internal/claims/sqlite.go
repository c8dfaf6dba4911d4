package claims

import (
	"context"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"net/netip"
	"net/url"
	"os"
	"time"

	"modernc.org/sqlite" // the driver, SQLite without C
	lib "modernc.org/sqlite/lib"

	"wendrik/internal/core/address"
)

// lite speaks to SQLite. Each transaction takes the lock of the database first, and a trigger refuses a claim that overlaps another.
// Addresses are texts of as many hexadecimal digits as an address has, behind a letter for the family, so that they sort as
// numbers do.
type lite struct{}

func openSQLite(file string) (*Store, error) {
	options := url.Values{"_pragma": {"busy_timeout(60000)", "journal_mode(WAL)", "synchronous(FULL)"}, "_txlock": {"immediate"}}
	if f, err := os.OpenFile(file, os.O_RDWR, 0); errors.Is(err, fs.ErrPermission) {
		options = url.Values{"mode": {"ro"}, "_pragma": {"busy_timeout(60000)"}}
		if _, err := os.Stat(file + "-wal"); err != nil {
			options.Set("immutable", "1") // nobody writes it, and who may not write beside it can read it
		}
	} else if err == nil {
		f.Close()
	}
	db, err := sql.Open("sqlite", (&url.URL{Scheme: "file", Opaque: url.PathEscape(file), RawQuery: options.Encode()}).String())
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1)
	return &Store{db: db, say: lite{}}, nil
}

func (lite) migrations() []string {
	return []string{`
CREATE TABLE claims (
	id INTEGER PRIMARY KEY AUTOINCREMENT,
	range TEXT NOT NULL,
	first TEXT NOT NULL,
	last TEXT NOT NULL,
	purpose TEXT NOT NULL,
	owner TEXT NOT NULL,
	until TEXT NOT NULL,
	made_at TEXT NOT NULL,
	made_by TEXT NOT NULL,
	request TEXT NOT NULL,
	released_at TEXT,
	released_by TEXT
);
CREATE UNIQUE INDEX claims_by_first ON claims (first) WHERE released_at IS NULL;
CREATE INDEX claims_by_request ON claims (request) WHERE request <> '';
CREATE INDEX claims_by_purpose ON claims (purpose, id) WHERE released_at IS NULL;
CREATE INDEX claims_by_owner ON claims (owner, id) WHERE released_at IS NULL;
CREATE TRIGGER no_two_overlap BEFORE INSERT ON claims WHEN
	EXISTS (SELECT 1 FROM claims WHERE released_at IS NULL AND first >= NEW.first AND first <= NEW.last) OR
	NEW.first <= (SELECT last FROM claims WHERE released_at IS NULL AND first <= NEW.first ORDER BY first DESC LIMIT 1)
BEGIN SELECT RAISE(ABORT, 'no two claims overlap'); END;
CREATE TABLE holes (first TEXT PRIMARY KEY, bits INTEGER NOT NULL, range TEXT NOT NULL) WITHOUT ROWID;
CREATE INDEX holes_by_size ON holes (bits DESC, first);
INSERT INTO holes VALUES ('400000000', 0, '0.0.0.0/0'), ('600000000000000000000000000000000', 0, '::/0');
CREATE TABLE events (
	id INTEGER PRIMARY KEY AUTOINCREMENT,
	at TEXT NOT NULL,
	by TEXT NOT NULL,
	what TEXT NOT NULL,
	range TEXT NOT NULL,
	purpose TEXT NOT NULL,
	owner TEXT NOT NULL,
	until TEXT NOT NULL
);
CREATE TRIGGER events_are_kept BEFORE UPDATE ON events BEGIN SELECT RAISE(ABORT, 'what was done is never overwritten'); END;
CREATE TRIGGER events_stay BEFORE DELETE ON events BEGIN SELECT RAISE(ABORT, 'what was done is never overwritten'); END;
`, `
CREATE TABLE requests (key TEXT PRIMARY KEY, asked TEXT NOT NULL) WITHOUT ROWID;
INSERT INTO requests SELECT DISTINCT request, '' FROM claims WHERE request <> '';
CREATE TRIGGER events_are_new BEFORE INSERT ON events WHEN EXISTS (SELECT 1 FROM events WHERE id = NEW.id) BEGIN SELECT RAISE(ABORT, 'what was done is never overwritten'); END;
CREATE TRIGGER claims_are_new BEFORE INSERT ON claims WHEN EXISTS (SELECT 1 FROM claims WHERE id = NEW.id) BEGIN SELECT RAISE(ABORT, 'a claim is released, and nothing else becomes of it'); END;
CREATE TRIGGER claims_stay BEFORE DELETE ON claims BEGIN SELECT RAISE(ABORT, 'a claim is released, and nothing else becomes of it'); END;
CREATE TRIGGER claims_are_released BEFORE UPDATE ON claims WHEN
	OLD.released_at IS NOT NULL OR NEW.released_at IS NULL OR NEW.id IS NOT OLD.id OR NEW.range IS NOT OLD.range OR NEW.first IS NOT OLD.first OR NEW.last IS NOT OLD.last OR
	NEW.purpose IS NOT OLD.purpose OR NEW.owner IS NOT OLD.owner OR NEW.until IS NOT OLD.until OR NEW.made_at IS NOT OLD.made_at OR NEW.made_by IS NOT OLD.made_by OR NEW.request IS NOT OLD.request
BEGIN SELECT RAISE(ABORT, 'a claim is released, and nothing else becomes of it'); END;
`, `
CREATE INDEX claims_by_end ON claims (until) WHERE released_at IS NULL AND until <> '';
`}
}

func (lite) lockSchema(ctx context.Context, tx *sql.Tx) error {
	_, err := tx.ExecContext(ctx, "CREATE TABLE IF NOT EXISTS schema_version (version INTEGER PRIMARY KEY)")
	return err
}

func (lite) lockReleases(context.Context, *sql.Tx) error { return nil } // the transaction has the lock of all

func (lite) again(err error) (again, lost bool) {
	var e *sqlite.Error
	if errors.As(err, &e) {
		code := e.Code() & 0xff
		return code == lib.SQLITE_BUSY || code == lib.SQLITE_LOCKED, false
	}
	return false, false
}

// sortable is an address as a text that sorts as its number does.
func sortable(a netip.Addr) string {
	family := "6"
	if a.Is4() {
		family = "4"
	}
	return family + hex.EncodeToString(a.AsSlice())
}

func (lite) holes(ctx context.Context, tx *sql.Tx, within netip.Prefix, bits, most int) ([]netip.Prefix, error) {
	var all []netip.Prefix
	read := func(query string, args ...any) error {
		rows, err := tx.QueryContext(ctx, query, args...)
		if err != nil {
			return err
		}
		defer rows.Close()
		for rows.Next() {
			var text string
			if err := rows.Scan(&text); err != nil {
				return err
			}
			p, err := netip.ParsePrefix(text)
			if err != nil {
				return err
			}
			all = append(all, p)
		}
		return rows.Err()
	}
	for length := bits; length >= within.Bits() && len(all) < most; length-- {
		if err := read("SELECT range FROM holes WHERE bits = ? AND first >= ? AND first <= ? ORDER BY first LIMIT ?", length, sortable(within.Masked().Addr()), sortable(address.Last(within)), most-len(all)); err != nil {
			return nil, err
		}
	}
	for length := within.Bits() - 1; length >= 0 && len(all) < most; length-- {
		if err := read("SELECT range FROM holes WHERE first = ? AND bits = ?", sortable(netip.PrefixFrom(within.Addr(), length).Masked().Addr()), length); err != nil {
			return nil, err
		}
	}
	return all, nil
}

func (lite) lockFirst(_ context.Context, _ *sql.Tx, holes []netip.Prefix) (netip.Prefix, bool, error) {
	return holes[0], true, nil // the transaction has the lock of all
}

func (lite) takeHole(ctx context.Context, tx *sql.Tx, hole netip.Prefix) (bool, error) {
	r, err := tx.ExecContext(ctx, "DELETE FROM holes WHERE first = ? AND bits = ?", sortable(hole.Addr()), hole.Bits())
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

func (lite) addHole(ctx context.Context, tx *sql.Tx, hole netip.Prefix) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO holes VALUES (?, ?, ?)", sortable(hole.Addr()), hole.Bits(), hole.String())
	return err
}

func dayText(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format(time.DateOnly)
}

func (lite) request(ctx context.Context, tx *sql.Tx, key, asked string) (fresh bool, stood string, err error) {
	r, err := tx.ExecContext(ctx, "INSERT INTO requests (key, asked) VALUES (?, ?) ON CONFLICT DO NOTHING", key, asked)
	if err != nil {
		return false, "", err
	}
	if n, err := r.RowsAffected(); err != nil || n == 1 {
		return n == 1, "", err
	}
	err = tx.QueryRowContext(ctx, "SELECT asked FROM requests WHERE key = ?", key).Scan(&stood)
	return false, stood, err
}

// ask gives the claims that a query finds.
func (lite) ask(ctx context.Context, q querier, query string, args ...any) ([]Claim, error) {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return scanClaims(rows, parseTime)
}

func (l lite) requested(ctx context.Context, q querier, key string) (stands, released []Claim, err error) {
	if stands, err = l.ask(ctx, q, liteClaims+"released_at IS NULL AND request = ? ORDER BY id", key); err != nil {
		return nil, nil, err
	}
	released, err = l.ask(ctx, q, liteClaims+"released_at IS NOT NULL AND request = ? ORDER BY id", key)
	return stands, released, err
}

func (l lite) look(ctx context.Context, q querier, purpose, owner string) (kin netip.Addr, err error) {
	for _, x := range []struct{ where, word string }{{"purpose = ? ORDER BY id DESC LIMIT 1", purpose}, {"owner = ?1 AND ?1 <> '' ORDER BY id DESC LIMIT 1", owner}} {
		all, err := l.ask(ctx, q, liteClaims+"released_at IS NULL AND "+x.where, x.word)
		if err != nil {
			return kin, err
		}
		if len(all) > 0 {
			return all[0].Range.Addr(), nil
		}
	}
	return kin, nil
}

func (l lite) take(ctx context.Context, tx *sql.Tx, hole netip.Prefix, rest []netip.Prefix, c Claim, key string) (bool, error) {
	ok, err := l.takeHole(ctx, tx, hole)
	if err != nil || !ok {
		return ok, err
	}
	for _, p := range rest {
		if err := l.addHole(ctx, tx, p); err != nil {
			return false, err
		}
	}
	if err := l.insert(ctx, tx, c, key); err != nil {
		return false, err
	}
	return true, l.event(ctx, tx, "claimed", c, c.By)
}

func (lite) insert(ctx context.Context, tx *sql.Tx, c Claim, key string) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO claims (range, first, last, purpose, owner, until, made_at, made_by, request) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
		c.Range.String(), sortable(c.Range.Addr()), sortable(address.Last(c.Range)), c.For, c.Owner, dayText(c.Until), c.At.Format(time.RFC3339Nano), c.By, key)
	return err
}

func (lite) release(ctx context.Context, tx *sql.Tx, p netip.Prefix, by string) error {
	_, err := tx.ExecContext(ctx, "UPDATE claims SET released_at = ?, released_by = ? WHERE first = ? AND range = ? AND released_at IS NULL", time.Now().UTC().Format(time.RFC3339Nano), by, sortable(p.Addr()), p.String())
	return err
}

func (lite) event(ctx context.Context, tx *sql.Tx, what string, c Claim, by string) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO events (at, by, what, range, purpose, owner, until) VALUES (?, ?, ?, ?, ?, ?, ?)",
		time.Now().UTC().Format(time.RFC3339Nano), by, what, c.Range.String(), c.For, c.Owner, dayText(c.Until))
	return err
}

const liteClaims = "SELECT range, purpose, owner, until, made_at, made_by FROM claims WHERE "

func (l lite) claims(ctx context.Context, q querier, overlaps netip.Prefix) ([]Claim, error) {
	query, args := liteClaims+"released_at IS NULL", []any{}
	if overlaps.IsValid() {
		first, last := sortable(overlaps.Masked().Addr()), sortable(address.Last(overlaps))
		// Those that begin in it, and the one before it, where that reaches into it: claims do not overlap.
		query = "SELECT * FROM (" + liteClaims + "released_at IS NULL AND first >= ?1 AND first <= ?2) UNION ALL SELECT range, purpose, owner, until, made_at, made_by FROM (SELECT * FROM claims WHERE released_at IS NULL AND first < ?1 ORDER BY first DESC LIMIT 1) WHERE last >= ?1"
		args = []any{first, last}
	}
	return l.ask(ctx, q, query, args...)
}

func (l lite) past(ctx context.Context, q querier, day string) ([]Claim, error) {
	return l.ask(ctx, q, liteClaims+"released_at IS NULL AND until <> '' AND until < ? ORDER BY first", day)
}

func (lite) events(ctx context.Context, q querier, most int) ([]Event, error) {
	rows, err := q.QueryContext(ctx, "SELECT range, purpose, owner, until, at, by, what FROM events ORDER BY id DESC LIMIT ?", most)
	if err != nil {
		return nil, err
	}
	return scanEvents(rows, parseTime)
}

func parseTime(text string) (time.Time, error) {
	t, err := time.Parse(time.RFC3339Nano, text)
	if err != nil {
		return t, fmt.Errorf("the store has a time that is none: %q", text)
	}
	return t, nil
}
