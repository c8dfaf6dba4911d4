package claims

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver of PostgreSQL
)

// postgres speaks to PostgreSQL 12 or later. That no two claims overlap is held by an exclusion constraint on their ranges.
type postgres struct{}

func openPostgres(where string) (*Store, error) {
	_, err := pgconn.ParseConfig(where)
	var db *sql.DB
	if err == nil {
		db, err = sql.Open("pgx", where)
	}
	if err != nil { // whose own words may have the password
		return nil, errors.New("the address of the store is none of PostgreSQL: it is like postgres://user@host/database")
	}
	db.SetMaxOpenConns(4)
	return &Store{db: db, say: postgres{}}, nil
}

func (postgres) migrations() []string {
	return []string{`
CREATE TABLE claims (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	range cidr NOT NULL,
	purpose text NOT NULL,
	owner text NOT NULL,
	until date,
	made_at timestamptz NOT NULL,
	made_by text NOT NULL,
	request text NOT NULL,
	released_at timestamptz,
	released_by text,
	CONSTRAINT no_two_overlap EXCLUDE USING spgist (range inet_ops WITH &&) WHERE (released_at IS NULL)
);
CREATE INDEX claims_by_request ON claims (request) WHERE request <> '';
CREATE INDEX claims_by_purpose ON claims (purpose, id) WHERE released_at IS NULL;
CREATE INDEX claims_by_owner ON claims (owner, id) WHERE released_at IS NULL;
CREATE TABLE holes (range cidr PRIMARY KEY);
CREATE INDEX holes_by_size ON holes (masklen(range) DESC, range);
INSERT INTO holes VALUES ('0.0.0.0/0'), ('::/0');
CREATE TABLE events (
	id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
	at timestamptz NOT NULL,
	by text NOT NULL,
	what text NOT NULL,
	range cidr NOT NULL,
	purpose text NOT NULL,
	owner text NOT NULL,
	until date
);
CREATE FUNCTION never() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'what was done is never overwritten'; END $$;
CREATE TRIGGER events_stay BEFORE UPDATE OR DELETE ON events FOR EACH ROW EXECUTE FUNCTION never();
`, `
CREATE TABLE requests (key text PRIMARY KEY, asked text NOT NULL);
INSERT INTO requests SELECT DISTINCT request, '' FROM claims WHERE request <> '';
CREATE TRIGGER events_are_all BEFORE TRUNCATE ON events FOR EACH STATEMENT EXECUTE FUNCTION never();
CREATE TRIGGER claims_are_all BEFORE TRUNCATE ON claims FOR EACH STATEMENT EXECUTE FUNCTION never();
CREATE TRIGGER claims_stay BEFORE DELETE ON claims FOR EACH ROW EXECUTE FUNCTION never();
CREATE FUNCTION only_released() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
	IF OLD.released_at IS NOT NULL OR NEW.released_at IS NULL OR
		(NEW.id, NEW.range, NEW.purpose, NEW.owner, NEW.until, NEW.made_at, NEW.made_by, NEW.request) IS DISTINCT FROM
		(OLD.id, OLD.range, OLD.purpose, OLD.owner, OLD.until, OLD.made_at, OLD.made_by, OLD.request) THEN
		RAISE EXCEPTION 'a claim is released, and nothing else becomes of it';
	END IF;
	RETURN NEW;
END $$;
CREATE TRIGGER claims_are_released BEFORE UPDATE ON claims FOR EACH ROW EXECUTE FUNCTION only_released();
`, `
CREATE INDEX claims_by_end ON claims (until) WHERE released_at IS NULL AND until IS NOT NULL;
`}
}

// schemaLock and releaseLock are numbers of advisory locks.
const schemaLock, releaseLock = 0x57454e01, 0x57454e02

func (postgres) lockSchema(ctx context.Context, tx *sql.Tx) error {
	if _, err := tx.ExecContext(ctx, "SELECT pg_advisory_xact_lock($1)", schemaLock); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, "CREATE TABLE IF NOT EXISTS schema_version (version integer PRIMARY KEY)")
	return err
}

func (postgres) lockReleases(ctx context.Context, tx *sql.Tx) error {
	_, err := tx.ExecContext(ctx, "SELECT pg_advisory_xact_lock($1)", releaseLock)
	return err
}

// again: what ran into somebody else (40001, 40P01, and an overlap that another made first, 23P01), a server that shuts down or
// starts (57P0x), or a connection that broke.
func (postgres) again(err error) (again, lost bool) {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch {
		case pg.Code == "40001" || pg.Code == "40P01" || pg.Code == "23P01" || pg.Code == "23505":
			return true, false
		case strings.HasPrefix(pg.Code, "57P") || strings.HasPrefix(pg.Code, "08"):
			return false, true
		}
		return false, false
	}
	var network net.Error
	var connect *pgconn.ConnectError
	broken := errors.Is(err, driver.ErrBadConn) || errors.Is(err, sql.ErrConnDone) || errors.As(err, &connect) || errors.As(err, &network) ||
		strings.Contains(fmt.Sprint(err), "unexpected EOF") || strings.Contains(fmt.Sprint(err), "conn closed")
	return false, broken
}

func (postgres) holes(ctx context.Context, tx *sql.Tx, within netip.Prefix, bits, most int) ([]netip.Prefix, error) {
	rows, err := tx.QueryContext(ctx, `(SELECT h.range::text, masklen(h.range) AS length FROM holes h WHERE h.range <<= $1::cidr AND masklen(h.range) <= $2 ORDER BY masklen(h.range) DESC, h.range LIMIT $3)
UNION ALL (SELECT h.range::text, masklen(h.range) FROM holes h WHERE h.range = ANY($4::cidr[]))`, within.String(), bits, most, above(within))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []netip.Prefix
	for rows.Next() {
		var text string
		var length int
		if err := rows.Scan(&text, &length); err != nil {
			return nil, err
		}
		p, err := netip.ParsePrefix(text)
		if err != nil {
			return nil, err
		}
		all = append(all, p)
	}
	return all, rows.Err()
}

// above are all ranges that hold one, without itself, as an array of PostgreSQL.
func above(p netip.Prefix) string {
	var all []netip.Prefix
	for bits := p.Bits() - 1; bits >= 0; bits-- {
		all = append(all, netip.PrefixFrom(p.Addr(), bits).Masked())
	}
	return array(all)
}

func (postgres) lockFirst(ctx context.Context, tx *sql.Tx, holes []netip.Prefix) (hole netip.Prefix, ok bool, err error) {
	var text string
	err = tx.QueryRowContext(ctx, "SELECT h.range::text FROM unnest($1::cidr[]) WITH ORDINALITY AS wanted (range, n) JOIN holes h ON h.range = wanted.range ORDER BY n LIMIT 1 FOR UPDATE OF h SKIP LOCKED", array(holes)).Scan(&text)
	if errors.Is(err, sql.ErrNoRows) {
		return hole, false, nil
	}
	if err != nil {
		return hole, false, err
	}
	hole, err = netip.ParsePrefix(text)
	return hole, err == nil, err
}

// array is some ranges as an array of PostgreSQL.
func array(all []netip.Prefix) string {
	var words []string
	for _, p := range all {
		words = append(words, p.String())
	}
	return "{" + strings.Join(words, ",") + "}"
}

func (postgres) takeHole(ctx context.Context, tx *sql.Tx, hole netip.Prefix) (bool, error) {
	r, err := tx.ExecContext(ctx, "DELETE FROM holes WHERE range = $1::cidr", hole.String())
	if err != nil {
		return false, err
	}
	n, err := r.RowsAffected()
	return n == 1, err
}

func (postgres) addHole(ctx context.Context, tx *sql.Tx, hole netip.Prefix) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO holes VALUES ($1::cidr)", hole.String())
	return err
}

func day(t time.Time) any {
	if t.IsZero() {
		return nil
	}
	return t.Format(time.DateOnly)
}

// claimColumns are those of a claim, in the order in which scanClaim reads them.
const claimColumns = "range::text, purpose, owner, coalesce(until::text, ''), made_at, made_by"

func (postgres) request(ctx context.Context, tx *sql.Tx, key, asked string) (fresh bool, stood string, err error) {
	r, err := tx.ExecContext(ctx, "INSERT INTO requests (key, asked) VALUES ($1, $2) ON CONFLICT DO NOTHING", key, asked)
	if err != nil {
		return false, "", err
	}
	if n, err := r.RowsAffected(); err != nil || n == 1 {
		return n == 1, "", err
	}
	err = tx.QueryRowContext(ctx, "SELECT asked FROM requests WHERE key = $1", key).Scan(&stood)
	return false, stood, err
}

func (postgres) requested(ctx context.Context, q querier, key string) (stands, released []Claim, err error) {
	for i, where := range []string{"released_at IS NULL", "released_at IS NOT NULL"} {
		rows, err := q.QueryContext(ctx, "SELECT "+claimColumns+" FROM claims WHERE request = $1 AND "+where+" ORDER BY id", key)
		if err != nil {
			return nil, nil, err
		}
		all, err := scanClaims(rows, nil)
		if err != nil {
			return nil, nil, err
		}
		if i == 0 {
			stands = all
		} else {
			released = all
		}
	}
	return stands, released, nil
}

func (postgres) look(ctx context.Context, q querier, purpose, owner string) (kin netip.Addr, err error) {
	rows, err := q.QueryContext(ctx, "(SELECT "+claimColumns+" FROM claims WHERE purpose = $1 AND released_at IS NULL ORDER BY id DESC LIMIT 1) "+
		"UNION ALL (SELECT "+claimColumns+" FROM claims WHERE $2 <> '' AND owner = $2 AND released_at IS NULL ORDER BY id DESC LIMIT 1)", purpose, owner)
	if err != nil {
		return kin, err
	}
	all, err := scanClaims(rows, nil)
	if err == nil && len(all) > 0 {
		kin = all[0].Range.Addr()
	}
	return kin, err
}

func (postgres) take(ctx context.Context, tx *sql.Tx, hole netip.Prefix, rest []netip.Prefix, c Claim, key string) (bool, error) {
	took := 0
	err := tx.QueryRowContext(ctx, "WITH hole AS (DELETE FROM holes WHERE range = $1::cidr RETURNING range), "+
		"rest AS (INSERT INTO holes SELECT unnest($2::cidr[]) FROM hole), "+
		"claim AS (INSERT INTO claims (range, purpose, owner, until, made_at, made_by, request) SELECT $3::cidr, $4, $5, $6::date, $7, $8, $9 FROM hole), "+
		"event AS (INSERT INTO events (at, by, what, range, purpose, owner, until) SELECT $7, $8, 'claimed', $3::cidr, $4, $5, $6::date FROM hole) "+
		"SELECT count(*) FROM hole",
		hole.String(), array(rest), c.Range.String(), c.For, c.Owner, day(c.Until), c.At, c.By, key).Scan(&took)
	return took == 1, err
}

func (postgres) release(ctx context.Context, tx *sql.Tx, p netip.Prefix, by string) error {
	_, err := tx.ExecContext(ctx, "UPDATE claims SET released_at = now(), released_by = $2 WHERE range = $1::cidr AND released_at IS NULL", p.String(), by)
	return err
}

func (postgres) event(ctx context.Context, tx *sql.Tx, what string, c Claim, by string) error {
	_, err := tx.ExecContext(ctx, "INSERT INTO events (at, by, what, range, purpose, owner, until) VALUES (now(), $1, $2, $3::cidr, $4, $5, $6::date)",
		by, what, c.Range.String(), c.For, c.Owner, day(c.Until))
	return err
}

func (postgres) claims(ctx context.Context, q querier, overlaps netip.Prefix) ([]Claim, error) {
	query, args := "SELECT "+claimColumns+" FROM claims WHERE released_at IS NULL", []any{}
	if overlaps.IsValid() {
		query, args = query+" AND range && $1::cidr ORDER BY claims.range", []any{overlaps.String()}
	}
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	return scanClaims(rows, nil)
}

func (postgres) past(ctx context.Context, q querier, day string) ([]Claim, error) {
	rows, err := q.QueryContext(ctx, "SELECT "+claimColumns+" FROM claims WHERE released_at IS NULL AND until < $1::date ORDER BY claims.range", day)
	if err != nil {
		return nil, err
	}
	return scanClaims(rows, nil)
}

func (postgres) events(ctx context.Context, q querier, most int) ([]Event, error) {
	rows, err := q.QueryContext(ctx, "SELECT range::text, purpose, owner, coalesce(until::text, ''), at, by, what FROM events ORDER BY id DESC LIMIT $1", most)
	if err != nil {
		return nil, err
	}
	return scanEvents(rows, nil)
}
