// Package claims keeps who has claimed which range in a database that several people and pipelines share, so that no two of them
// win the same addresses. That no two claims overlap is held by the database itself.
//
// Beside the claims the store keeps the holes between them: the largest aligned ranges that nobody has claimed, of all addresses. A
// claim takes a range out of one hole, and leaves the rest of it as smaller holes; a release puts it back, and joins it with its
// other half as long as that is a hole, too. So the next free range is found among as many claims as there may be.
package claims

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/address"
)

// Claim is a range that somebody has.
type Claim struct {
	Range netip.Prefix
	For   string // what it is for
	Owner string
	Until time.Time // the day up to which it is claimed; zero for no end
	At    time.Time // when it was made
	By    string    // who made it
}

// Event is something that somebody did with a claim, at the time and by whom that has.
type Event struct {
	Claim
	What string // claimed or released
}

// Wish is what somebody wants to claim: a certain range, or the best free one of a size.
type Wish struct {
	Range  netip.Prefix   // a certain one; not valid where any of a size will do
	Bits   int            // the length of any one
	Within []netip.Prefix // where any one must lie
	Avoid  address.Set    // what others have that no claim says, such as what stands in a plan
	For    string
	Owner  string
	Until  time.Time
}

// Taken is the error of a range that somebody has.
type Taken struct {
	Range netip.Prefix
	By    []Claim
}

func (t *Taken) Error() string {
	var who []string
	for _, c := range t.By {
		word := fmt.Sprintf("%s for %s", c.Range, c.For)
		if c.Owner != "" {
			word += " (" + c.Owner + ")"
		}
		who = append(who, fmt.Sprintf("%s, claimed by %s on %s", word, c.By, c.At.Format(time.DateOnly)))
		if len(who) == 3 && len(t.By) > 3 {
			who = append(who, fmt.Sprintf("%d more", len(t.By)-3))
			break
		}
	}
	return fmt.Sprintf("%s is taken: %s", t.Range, strings.Join(who, "; "))
}

// NoRoom is the error of a size of which there is no free range.
type NoRoom struct {
	Bits   int
	Within []netip.Prefix
}

func (n *NoRoom) Error() string {
	var words []string
	for _, p := range n.Within {
		words = append(words, p.String())
	}
	return fmt.Sprintf("no /%d is free in %s", n.Bits, strings.Join(words, ", "))
}

// ErrNobody is the error of a release of what nobody has.
var ErrNobody = errors.New("nobody has claimed it")

// Store is a database of claims.
type Store struct {
	db     *sql.DB
	say    dialect
	outage time.Duration // how long the server may be away
}

// dialect is what the databases say each in its own way.
type dialect interface {
	// again reports whether a transaction that failed is to be tried once more, and whether the connection is lost.
	again(err error) (again, lost bool)
	migrations() []string
	lockSchema(ctx context.Context, tx *sql.Tx) error
	// holes are holes in a range of at most a length, those that fit best first, some of them; with one that holds the range.
	holes(ctx context.Context, tx *sql.Tx, within netip.Prefix, bits, most int) ([]netip.Prefix, error)
	// takeHole takes a hole out, and reports false where there is no such.
	takeHole(ctx context.Context, tx *sql.Tx, hole netip.Prefix) (bool, error)
	// lockReleases has releases come one after another, so that each sees the holes of those before.
	lockReleases(ctx context.Context, tx *sql.Tx) error
	addHole(ctx context.Context, tx *sql.Tx, hole netip.Prefix) error
	// request notes a key with what it is for, or gives what it was for.
	request(ctx context.Context, tx *sql.Tx, key, asked string) (fresh bool, stood string, err error)
	// requested gives what was claimed by a request: what stands, and what was released.
	requested(ctx context.Context, q querier, key string) (stands, released []Claim, err error)
	// look gives where the latest range for the same is, or else of the same owner.
	look(ctx context.Context, q querier, purpose, owner string) (kin netip.Addr, err error)
	// lockFirst locks the first of some holes at which nobody else is; ok is false where there is none.
	lockFirst(ctx context.Context, tx *sql.Tx, holes []netip.Prefix) (hole netip.Prefix, ok bool, err error)
	// take takes a hole out, puts back what is left of it, and writes the claim and what was done; it reports false where there is
	// no such hole.
	take(ctx context.Context, tx *sql.Tx, hole netip.Prefix, rest []netip.Prefix, c Claim, key string) (bool, error)
	release(ctx context.Context, tx *sql.Tx, p netip.Prefix, by string) error
	// past are the claims that stand, and were made up to a day before a day.
	past(ctx context.Context, q querier, day string) ([]Claim, error)
	event(ctx context.Context, tx *sql.Tx, what string, c Claim, by string) error
	// claims are those that stand: all, or those that overlap a range.
	claims(ctx context.Context, q querier, overlaps netip.Prefix) ([]Claim, error)
	events(ctx context.Context, q querier, most int) ([]Event, error)
}

type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

// maxTries is how often a transaction is tried that others have got in the way of; maxAbsence how long a server may be away when a
// store is opened, and maxOutage how long later.
const (
	maxTries   = 200
	maxAbsence = 8 * time.Second
	maxOutage  = 30 * time.Second
)

// within runs a transaction, again where others have got in its way, and again where the server was away meanwhile: what it does must
// be safe to do twice.
func (s *Store) within(ctx context.Context, do func(tx *sql.Tx) error) error {
	var lostAt time.Time
	for try := 1; ; try++ {
		err := s.once(ctx, do)
		if err == nil {
			return nil
		}
		again, lost := s.say.again(err)
		again = again || errors.Is(err, errBusy)
		switch {
		case lost && lostAt.IsZero():
			lostAt = time.Now()
		case lost && time.Since(lostAt) > s.outage:
			return err
		case !again && !lost, try == maxTries && !lost, ctx.Err() != nil:
			return err
		}
		wait := time.Millisecond * time.Duration(min(try, 20))
		if lost {
			wait = 200 * time.Millisecond
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(wait):
		}
	}
}

func (s *Store) once(ctx context.Context, do func(tx *sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }()
	if err := do(tx); err != nil {
		return err
	}
	return tx.Commit()
}

// Spent is the error of a key that stands for something else: for another request, or for one of which a range was released since.
type Spent struct {
	Key      string
	Other    bool    // whether it is another request
	Released []Claim // of the same request, what is claimed no longer
}

func (s *Spent) Error() string {
	if s.Other {
		return fmt.Sprintf("the key %s stands for another request", s.Key)
	}
	var gone []string
	for _, c := range s.Released {
		gone = append(gone, c.Range.String())
	}
	return fmt.Sprintf("of what the key %s stood for, %s was released since", s.Key, strings.Join(gone, ", "))
}

// asked is a request in words, by which another one with the same key is told apart. What others have is no part of it.
func asked(wishes []Wish) string {
	var all []string
	for _, w := range wishes {
		what := w.Range.String()
		if !w.Range.IsValid() {
			what = fmt.Sprintf("/%d in %v", w.Bits, w.Within)
		}
		until := ""
		if !w.Until.IsZero() {
			until = w.Until.Format(time.DateOnly)
		}
		all = append(all, fmt.Sprintf("%s for %q of %q until %q", what, w.For, w.Owner, until))
	}
	return strings.Join(all, "; ")
}

// request notes a key, and reports whether it is new; else it gives what it stood for. Of two that come at once with one key the second waits
// for the first.
func (s *Store) request(ctx context.Context, tx *sql.Tx, key string, wishes []Wish) (fresh bool, had []Claim, err error) {
	if key == "" {
		return true, nil, nil
	}
	words := asked(wishes)
	fresh, stood, err := s.say.request(ctx, tx, key, words)
	switch {
	case err != nil || fresh:
		return fresh, nil, err
	case stood != "" && stood != words: // the store's own words of before it noted requests are empty
		return false, nil, &Spent{Key: key, Other: true}
	}
	had, released, err := s.say.requested(ctx, tx, key)
	if err == nil && len(released) > 0 {
		err = &Spent{Key: key, Released: released}
	}
	return false, had, err
}

// Claim makes all of some claims, or none. A key names the request: with one that was made before, it gives what was claimed then,
// and claims nothing. The error is *Taken, *NoRoom, *Spent, or that of the database.
func (s *Store) Claim(ctx context.Context, wishes []Wish, by, key string) ([]Claim, error) {
	var made []Claim
	err := s.within(ctx, func(tx *sql.Tx) error {
		made = nil
		fresh, had, err := s.request(ctx, tx, key, wishes)
		if err != nil || !fresh {
			made = had
			return err
		}
		if err := s.expire(ctx, tx); err != nil {
			return err
		}
		for _, w := range wishes {
			kin, err := s.say.look(ctx, tx, w.For, w.Owner)
			if err != nil {
				return err
			}
			c, err := s.one(ctx, tx, w, kin, by, key)
			if err != nil {
				return err
			}
			made = append(made, c)
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return made, nil
}

// mostHoles is how many holes that fit equally well are looked at.
const mostHoles = 32

// one finds the range of a wish, and claims it.
func (s *Store) one(ctx context.Context, tx *sql.Tx, w Wish, kin netip.Addr, by, key string) (Claim, error) {
	c := Claim{Range: w.Range, For: w.For, Owner: w.Owner, Until: w.Until, By: by, At: time.Now().UTC().Truncate(time.Microsecond)}
	if w.Range.IsValid() {
		holes, err := s.say.holes(ctx, tx, w.Range, w.Range.Bits(), 1)
		if err != nil {
			return c, err
		}
		if len(holes) == 0 {
			return c, s.taken(ctx, tx, w.Range)
		}
		ok, err := s.say.take(ctx, tx, holes[0], rest(holes[0], w.Range), c, key)
		if err == nil && !ok {
			err = errBusy
		}
		return c, err
	}
	for _, block := range w.Within {
		for most := mostHoles; ; most *= 16 {
			holes, err := s.say.holes(ctx, tx, block, w.Bits, most)
			if err != nil {
				return c, err
			}
			found, busy, err := s.choose(ctx, tx, &c, holes, block, w, kin, key)
			if err != nil || found {
				return c, err
			}
			if busy {
				return c, errBusy
			}
			if len(holes) < most {
				break
			}
		}
	}
	return c, &NoRoom{w.Bits, w.Within}
}

// errBusy says that others are at all holes that fit.
var errBusy = errors.New("others are claiming there at this moment")

// taken is the error that tells who has a range.
func (s *Store) taken(ctx context.Context, tx *sql.Tx, p netip.Prefix) error {
	all, err := s.say.claims(ctx, tx, p)
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return errBusy
	}
	return &Taken{p, all}
}

// byItself is who releases a claim whose day is past.
const byItself = "the store, since its day is past"

// expire releases the claims whose day is past, of the calendar in UTC: whoever claims finds them free again. What was done tells it.
func (s *Store) expire(ctx context.Context, tx *sql.Tx) error {
	today := time.Now().UTC().Format(time.DateOnly)
	all, err := s.say.past(ctx, tx, today)
	if err != nil || len(all) == 0 {
		return err
	}
	if err := s.say.lockReleases(ctx, tx); err != nil {
		return err
	}
	if all, err = s.say.past(ctx, tx, today); err != nil { // some of which another has released meanwhile
		return err
	}
	for _, c := range all {
		if err := s.free(ctx, tx, c, byItself); err != nil {
			return err
		}
	}
	return nil
}

// free releases a claim that stands, and joins the hole that it leaves with those beside it.
func (s *Store) free(ctx context.Context, tx *sql.Tx, was Claim, by string) error {
	if err := s.say.release(ctx, tx, was.Range, by); err != nil {
		return err
	}
	if err := s.say.event(ctx, tx, "released", was, by); err != nil {
		return err
	}
	hole := was.Range
	for hole.Bits() > 0 {
		ok, err := s.say.takeHole(ctx, tx, other(hole))
		if err != nil {
			return err
		}
		if !ok {
			break
		}
		hole = netip.PrefixFrom(hole.Addr(), hole.Bits()-1).Masked()
	}
	return s.say.addHole(ctx, tx, hole)
}

// Release gives a range back that was claimed as it is; the error is ErrNobody where none was.
func (s *Store) Release(ctx context.Context, p netip.Prefix, by string) (Claim, error) {
	var was Claim
	err := s.within(ctx, func(tx *sql.Tx) error {
		if err := s.say.lockReleases(ctx, tx); err != nil {
			return err
		}
		all, err := s.say.claims(ctx, tx, p)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(c Claim) bool { return c.Range == p })
		if i < 0 {
			if len(all) > 0 {
				return &Taken{p, all}
			}
			return ErrNobody
		}
		was = all[i]
		return s.free(ctx, tx, was, by)
	})
	return was, err
}

// List is every claim that stands, in the order of addresses.
func (s *Store) List(ctx context.Context) ([]Claim, error) {
	all, err := s.say.claims(ctx, s.db, netip.Prefix{})
	slices.SortFunc(all, func(a, b Claim) int { return address.Compare(a.Range, b.Range) })
	return all, err
}

// History is what was done, the latest first, at most so many.
func (s *Store) History(ctx context.Context, most int) ([]Event, error) {
	return s.say.events(ctx, s.db, most)
}

// Close closes the store.
func (s *Store) Close() error { return s.db.Close() }

// Open opens a store, and makes it what this program needs: a file of SQLite by its name, or a PostgreSQL database by its address. One that
// may only be read is opened for that.
func Open(ctx context.Context, where string) (*Store, error) {
	var s *Store
	var err error
	scheme, rest, _ := strings.Cut(where, "://")
	authority, _, _ := strings.Cut(rest, "/")
	switch {
	case (scheme == "postgres" || scheme == "postgresql") && strings.Count(authority, "@") > 1:
		return nil, errors.New("the address of the store has an @ in its name or password: it is written %40 there")
	case strings.Contains(where, "password=") && !strings.Contains(where, "://"):
		return nil, errors.New("the address of the store is none of PostgreSQL: it is like postgres://user@host/database")
	case scheme == "postgres" || scheme == "postgresql":
		s, err = openPostgres(where)
	default:
		s, err = openSQLite(where)
	}
	if err != nil {
		return nil, err
	}
	s.outage = maxAbsence
	if err := s.migrate(ctx); err != nil {
		s.db.Close()
		return nil, err
	}
	s.outage = maxOutage
	return s, nil
}

// migrate brings the store up to what this program knows, one version after another.
func (s *Store) migrate(ctx context.Context) error {
	steps := s.say.migrations()
	version := 0
	if err := s.db.QueryRowContext(ctx, "SELECT coalesce(max(version), 0) FROM schema_version").Scan(&version); err == nil && version == len(steps) {
		return nil // which who may only read can see, too
	}
	return s.within(ctx, func(tx *sql.Tx) error {
		if err := s.say.lockSchema(ctx, tx); err != nil {
			return err
		}
		version := 0
		if err := tx.QueryRowContext(ctx, "SELECT coalesce(max(version), 0) FROM schema_version").Scan(&version); err != nil {
			return err
		}
		if version > len(steps) {
			return fmt.Errorf("the store is of version %d, and this program knows version %d: use a newer program", version, len(steps))
		}
		for n, step := range steps[version:] {
			if _, err := tx.ExecContext(ctx, step); err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, fmt.Sprintf("INSERT INTO schema_version (version) VALUES (%d)", version+n+1)); err != nil {
				return err
			}
		}
		return nil
	})
}
