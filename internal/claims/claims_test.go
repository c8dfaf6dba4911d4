package claims

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
)

// postgresVariable names an empty PostgreSQL database, in which tests make schemas of their own.
const postgresVariable = "WENDRIK_TEST_POSTGRES"

// stores gives the address of an empty store of each kind.
func stores(t testing.TB, do func(t testing.TB, where string)) {
	run := func(name string, where func(t testing.TB) string) {
		body := func(t testing.TB) { do(t, where(t)) }
		switch t := t.(type) {
		case *testing.T:
			t.Run(name, func(t *testing.T) { body(t) })
		case *testing.B:
			t.Run(name, func(b *testing.B) { body(b) })
		}
	}
	run("sqlite", func(t testing.TB) string { return filepath.Join(t.TempDir(), "claims.db") })
	run("postgres", postgresStore)
}

// postgresStore is a schema of its own in the database of the tests.
func postgresStore(t testing.TB) string {
	where := os.Getenv(postgresVariable)
	if where == "" {
		require.Empty(t, os.Getenv("WENDRIK_TEST_ALL"), "%s names no database", postgresVariable)
		t.Skipf("left out, since %s names no database", postgresVariable)
	}
	db, err := sql.Open("pgx", where)
	require.NoError(t, err)
	defer db.Close()
	schema := fmt.Sprintf("test_%d", rand.Uint64())
	_, err = db.Exec("CREATE SCHEMA " + schema)
	require.NoError(t, err)
	t.Cleanup(func() {
		db, err := sql.Open("pgx", where)
		require.NoError(t, err)
		defer db.Close()
		_, _ = db.Exec("DROP SCHEMA " + schema + " CASCADE")
	})
	sign := "?"
	if strings.Contains(where, "?") {
		sign = "&"
	}
	return where + sign + "search_path=" + schema
}

func open(t testing.TB, where string) *Store {
	s, err := Open(context.Background(), where)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

func prefixes(words ...string) []netip.Prefix {
	var all []netip.Prefix
	for _, w := range words {
		all = append(all, netip.MustParsePrefix(w))
	}
	return all
}

// sound holds a store to its rules: claims and holes are all addresses, each once, and no two holes are halves of one.
func sound(t testing.TB, s *Store) []Claim {
	ctx := context.Background()
	all, err := s.List(ctx)
	require.NoError(t, err)
	var ranges []netip.Prefix
	for _, c := range all {
		ranges = append(ranges, c.Range)
	}
	rows, err := s.db.Query("SELECT range FROM holes")
	require.NoError(t, err)
	defer rows.Close()
	holes := map[netip.Prefix]bool{}
	for rows.Next() {
		var text string
		require.NoError(t, rows.Scan(&text))
		p := netip.MustParsePrefix(text)
		holes[p] = true
		ranges = append(ranges, p)
	}
	require.NoError(t, rows.Err())
	slices.SortFunc(ranges, address.Compare)
	for i, p := range ranges {
		if i > 0 {
			require.False(t, ranges[i-1].Overlaps(p), "%s and %s", ranges[i-1], p)
		}
		if p.Bits() > 0 && holes[p] {
			require.False(t, holes[other(p)], "%s and its other half are holes", p)
		}
	}
	whole := address.SetOf(ranges...)
	require.True(t, whole.Equal(address.SetOf(prefixes("0.0.0.0/0", "::/0")...)))
	return all
}

// TestAgainstTwin claims and releases at random in a small block, and holds each answer against a list that is searched whole: a
// certain range is had exactly when nobody has any of it, and a length when there is an aligned range of it.
func TestAgainstTwin(t *testing.T) {
	stores(t, func(t testing.TB, where string) {
		s := open(t, where)
		ctx := context.Background()
		rng := rand.New(rand.NewPCG(1, 16))
		block := netip.MustParsePrefix("10.144.0.0/24")
		var have []netip.Prefix
		piece := func() netip.Prefix {
			bits := 25 + rng.IntN(6)
			p, _ := address.Piece(block, bits, uint64(rng.IntN(1<<(bits-24))))
			return p
		}
		free := func(p netip.Prefix) bool {
			return !slices.ContainsFunc(have, func(h netip.Prefix) bool { return h.Overlaps(p) })
		}
		taken, full := 0, 0
		for range 250 {
			switch rng.IntN(3) {
			case 0:
				p := piece()
				made, err := s.Claim(ctx, []Wish{{Range: p, For: "x"}}, "me", "")
				if !free(p) {
					var e *Taken
					require.ErrorAs(t, err, &e)
					require.True(t, e.By[0].Range.Overlaps(p))
					taken++
					break
				}
				require.NoError(t, err)
				have = append(have, made[0].Range)
			case 1:
				bits, avoid := 25+rng.IntN(6), address.SetOf(piece())
				any := false
				for i := range 1 << (bits - 24) {
					p, _ := address.Piece(block, bits, uint64(i))
					any = any || free(p) && avoid.Clip(p).Empty()
				}
				made, err := s.Claim(ctx, []Wish{{Bits: bits, Within: []netip.Prefix{block}, Avoid: avoid, For: "y", Owner: "o"}}, "me", "")
				if !any {
					var e *NoRoom
					require.ErrorAs(t, err, &e)
					full++
					break
				}
				require.NoError(t, err)
				p := made[0].Range
				require.True(t, free(p) && address.Covers(block, p) && p.Bits() == bits && avoid.Clip(p).Empty(), p)
				have = append(have, p)
			default:
				p := piece()
				if len(have) > 0 && rng.IntN(4) > 0 {
					p = have[rng.IntN(len(have))]
				}
				_, err := s.Release(ctx, p, "me")
				if i := slices.Index(have, p); i >= 0 {
					require.NoError(t, err)
					have = slices.Delete(have, i, i+1)
				} else {
					require.Error(t, err)
				}
			}
		}
		assert.Len(t, sound(t, s), len(have))
		assert.Greater(t, taken, 10)
		assert.Positive(t, full)
		for _, p := range have {
			_, err := s.Release(ctx, p, "me")
			require.NoError(t, err)
		}
		var holes int
		require.NoError(t, s.db.QueryRow("SELECT count(*) FROM holes").Scan(&holes))
		assert.Equal(t, 2, holes, "all holes are joined again")
	})
}

// TestTheBest takes the smallest hole that has room, and of those of one size that nearest to its kin; all of several or none; and
// with a key that was used before what was claimed then.
func TestTheBest(t *testing.T) {
	stores(t, func(t testing.TB, where string) {
		s := open(t, where)
		ctx := context.Background()
		claim := func(w Wish) string {
			made, err := s.Claim(ctx, []Wish{w}, "me", "")
			require.NoError(t, err)
			return made[0].Range.String()
		}
		block := prefixes("10.144.0.0/16")
		for _, p := range []string{"10.144.0.0/25", "10.144.8.0/24", "10.144.128.0/25"} {
			claim(Wish{Range: netip.MustParsePrefix(p), For: p})
		}
		assert.Equal(t, "10.144.0.128/26", claim(Wish{Bits: 26, Within: block, For: "a"}), "the smallest hole that has room")
		assert.Equal(t, "10.144.128.128/25", claim(Wish{Bits: 25, Within: block, For: "10.144.128.0/25"}), "beside its kin")
		assert.Equal(t, "10.144.0.192/27", claim(Wish{Bits: 27, Within: block, For: "a"}))
		assert.Equal(t, "10.144.1.0/24", claim(Wish{Bits: 24, Within: block, Avoid: address.SetOf(prefixes("10.144.9.0/24")...), For: "b"}), "what the plan has is left")
		before := len(sound(t, s))
		_, err := s.Claim(ctx, []Wish{{Bits: 30, Within: block, For: "c"}, {Range: netip.MustParsePrefix("10.144.8.64/26"), For: "c"}}, "me", "")
		var taken *Taken
		require.ErrorAs(t, err, &taken)
		assert.Len(t, sound(t, s), before, "all or none")
		one, err := s.Claim(ctx, []Wish{{Bits: 30, Within: block, For: "d"}}, "me", "the-key")
		require.NoError(t, err)
		two, err := s.Claim(ctx, []Wish{{Bits: 30, Within: block, For: "d"}}, "me", "the-key")
		require.NoError(t, err)
		assert.Equal(t, one[0].Range, two[0].Range)
		day := time.Date(2030, 1, 31, 0, 0, 0, 0, time.UTC)
		_, err = s.Claim(ctx, []Wish{{Range: netip.MustParsePrefix("fd3a::/48"), For: "e", Owner: "crew", Until: day}}, "me", "")
		require.NoError(t, err)
		all := sound(t, s)
		last := all[len(all)-1]
		assert.Equal(t, Claim{Range: netip.MustParsePrefix("fd3a::/48"), For: "e", Owner: "crew", Until: day, By: "me", At: last.At}, last)
		events, err := s.History(ctx, 1)
		require.NoError(t, err)
		assert.Equal(t, "claimed", events[0].What)
	})
}

// TestTheDatabaseHoldsIt: what goes past this program is refused by the database itself.
func TestTheDatabaseHoldsIt(t *testing.T) {
	stores(t, func(t testing.TB, where string) {
		s := open(t, where)
		ctx := context.Background()
		_, err := s.Claim(ctx, []Wish{{Range: netip.MustParsePrefix("10.144.0.0/16"), For: "a"}}, "me", "")
		require.NoError(t, err)
		for _, p := range prefixes("10.144.0.0/16", "10.144.7.0/24", "10.0.0.0/8") {
			tx, err := s.db.Begin()
			require.NoError(t, err)
			ok, err := s.say.take(ctx, tx, netip.MustParsePrefix("::/0"), nil, Claim{Range: p, For: "b", At: time.Now()}, "")
			assert.False(t, err == nil && ok, p)
			assert.Error(t, err)
			_ = tx.Rollback()
		}
		for _, query := range []string{"UPDATE events SET what = 'x'", "DELETE FROM events"} {
			_, err := s.db.Exec(query)
			assert.ErrorContains(t, err, "never overwritten")
		}
		_, err = s.db.Exec("INSERT INTO schema_version (version) VALUES (99)")
		require.NoError(t, err)
		_, err = Open(ctx, where)
		assert.ErrorContains(t, err, "use a newer program")
	})
}

// TestManyAtOnce claims from many connections at once, some of which also release: what was answered is what stands.
func TestManyAtOnce(t *testing.T) {
	stores(t, func(t testing.TB, where string) {
		open(t, where)
		var lock sync.Mutex
		have := map[netip.Prefix]bool{}
		var all sync.WaitGroup
		for i := range 12 {
			all.Go(func() {
				s, err := Open(context.Background(), where)
				if !assert.NoError(t, err) {
					return
				}
				defer s.Close()
				rng := rand.New(rand.NewPCG(uint64(i), 7))
				for range 25 {
					made, err := s.Claim(context.Background(), []Wish{{Bits: 26 + rng.IntN(4), Within: prefixes("10.144.0.0/16"), For: fmt.Sprint(i)}}, "me", fmt.Sprint(rng.Uint64()))
					if !assert.NoError(t, err) {
						return
					}
					lock.Lock()
					have[made[0].Range] = true
					lock.Unlock()
					if rng.IntN(3) == 0 {
						lock.Lock()
						delete(have, made[0].Range) // first: somebody else may have it as soon as it is released
						lock.Unlock()
						_, err := s.Release(context.Background(), made[0].Range, "me")
						assert.NoError(t, err)
					}
				}
			})
		}
		all.Wait()
		stand := sound(t, open(t, where))
		require.Len(t, stand, len(have))
		for _, c := range stand {
			assert.True(t, have[c.Range], c.Range)
		}
	})
}

// BenchmarkClaim is claims from 64 connections at once, and the next free /28 among many claims.
func BenchmarkClaim(b *testing.B) {
	stores(b, func(t testing.TB, where string) {
		b := t.(*testing.B)
		open(b, where)
		b.Run("64 at once", func(b *testing.B) {
			var clients []*Store
			for range 64 {
				clients = append(clients, open(b, where))
			}
			b.ResetTimer()
			begun := time.Now()
			var all sync.WaitGroup
			each := max(b.N/64, 1)
			for i, s := range clients {
				all.Go(func() {
					for range each {
						if _, err := s.Claim(context.Background(), []Wish{{Bits: 28, Within: prefixes("10.0.0.0/8"), For: fmt.Sprint(i)}}, "me", fmt.Sprint(rand.Uint64())); err != nil && !errors.Is(err, context.Canceled) {
							b.Error(err)
							return
						}
					}
				})
			}
			all.Wait()
			b.ReportMetric(float64(each*64)/time.Since(begun).Seconds(), "claims/s")
		})
	})
}

// BenchmarkNext is the next free /28 among many claims, of which every thousandth has gone again.
func BenchmarkNext(b *testing.B) {
	for _, n := range []int{100_000, 1_000_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			stores(b, func(t testing.TB, where string) {
				b := t.(*testing.B)
				s := open(b, where)
				fill(b, s, n)
				b.ResetTimer()
				for b.Loop() {
					if _, err := s.Claim(context.Background(), []Wish{{Bits: 28, Within: prefixes("10.0.0.0/8"), For: "next"}}, "me", ""); err != nil {
						b.Fatal(err)
					}
				}
			})
		})
	}
}

// fill puts claims into a store, as if they had been made one by one, in one transaction.
func fill(b *testing.B, s *Store, n int) {
	ctx := context.Background()
	tx, err := s.db.BeginTx(ctx, nil)
	require.NoError(b, err)
	ok, err := s.say.takeHole(ctx, tx, netip.MustParsePrefix("0.0.0.0/0"))
	require.NoError(b, err)
	require.True(b, ok)
	block := netip.MustParsePrefix("10.0.0.0/8")
	for _, p := range rest(netip.MustParsePrefix("0.0.0.0/0"), block) {
		require.NoError(b, s.say.addHole(ctx, tx, p))
	}
	l, isLite := s.say.(lite)
	for i := range n {
		p, _ := address.Piece(block, 28, uint64(i))
		if i%1000 == 999 {
			require.NoError(b, s.say.addHole(ctx, tx, p))
		} else if isLite {
			require.NoError(b, l.insert(ctx, tx, Claim{Range: p, For: fmt.Sprint(i % 50), At: time.Now()}, ""))
		}
	}
	if !isLite { // the constraint is made anew behind them, which is faster
		_, err = tx.ExecContext(ctx, "ALTER TABLE claims DROP CONSTRAINT no_two_overlap")
		require.NoError(b, err)
		_, err = tx.ExecContext(ctx, "INSERT INTO claims (range, purpose, owner, made_at, made_by, request) SELECT set_masklen('10.0.0.0'::inet + i * 16, 28)::cidr, (i % 50)::text, '', now(), 'me', '' FROM generate_series(0, $1::bigint - 1) i WHERE i % 1000 <> 999", n)
		require.NoError(b, err)
		_, err = tx.ExecContext(ctx, "ALTER TABLE claims ADD CONSTRAINT no_two_overlap EXCLUDE USING spgist (range inet_ops WITH &&) WHERE (released_at IS NULL)")
		require.NoError(b, err)
	}
	left := address.SetOf(block).Minus(address.SetOf(func() []netip.Prefix {
		last, _ := address.Piece(block, 28, uint64(n-1))
		return address.Between(block.Addr(), address.Last(last)).Ranges()
	}()...))
	for _, p := range left.Ranges() {
		require.NoError(b, s.say.addHole(ctx, tx, p))
	}
	require.NoError(b, tx.Commit())
}

// TestOneKeyIsOneRequest: however many come at once with one key, one range is claimed, and all are given it; what was noted of a request stays,
// and so does it where the first of them fails.
func TestOneKeyIsOneRequest(t *testing.T) {
	stores(t, func(t testing.TB, where string) {
		ctx := context.Background()
		for round := range 6 {
			key, ranges := fmt.Sprint("key-", round), make([]netip.Prefix, 8)
			var all sync.WaitGroup
			for i := range ranges {
				s := open(t, where)
				all.Go(func() {
					made, err := s.Claim(ctx, []Wish{{Bits: 28, Within: prefixes("10.144.0.0/16"), For: "x"}}, fmt.Sprint("me-", i), key)
					if assert.NoError(t, err) && assert.Len(t, made, 1) {
						ranges[i] = made[0].Range
					}
				})
			}
			all.Wait()
			for _, p := range ranges {
				assert.Equal(t, ranges[0], p, "one key, one range")
			}
		}
		s := open(t, where)
		stand, err := s.List(ctx)
		require.NoError(t, err)
		assert.Len(t, stand, 6)
		var full *NoRoom
		_, err = s.Claim(ctx, []Wish{{Bits: 8, Within: prefixes("10.144.0.0/24"), For: "x"}}, "me", "fails")
		require.ErrorAs(t, err, &full)
		_, err = s.Claim(ctx, []Wish{{Bits: 30, Within: prefixes("10.144.0.0/16"), For: "x"}}, "me", "fails")
		assert.NoError(t, err, "what claimed nothing stands for nothing")
		sound(t, s)
	})
}

// TestNothingRewrites: whatever statement is tried on the tables, by their owner, no claim is changed but by its release, none overlaps another,
// and nothing that was done is overwritten.
func TestNothingRewrites(t *testing.T) {
	stores(t, func(t testing.TB, where string) {
		s := open(t, where)
		ctx := context.Background()
		_, err := s.Claim(ctx, []Wish{{Range: netip.MustParsePrefix("10.144.0.0/24"), For: "x"}, {Range: netip.MustParsePrefix("10.144.1.0/24"), For: "y"}}, "me", "k")
		require.NoError(t, err)
		_, err = s.Release(ctx, netip.MustParsePrefix("10.144.1.0/24"), "me")
		require.NoError(t, err)
		before, err := s.List(ctx)
		require.NoError(t, err)
		did, err := s.History(ctx, 99)
		require.NoError(t, err)
		statements := []string{"UPDATE claims SET purpose = 'z'", "UPDATE claims SET released_at = NULL, released_by = NULL", "UPDATE claims SET made_by = 'other'", "DELETE FROM claims", "UPDATE events SET by = 'other'", "DELETE FROM events"}
		if strings.HasPrefix(where, "postgres") {
			statements = append(statements, "TRUNCATE events", "TRUNCATE claims", "TRUNCATE claims, events CASCADE", "UPDATE claims SET range = '10.144.0.0/16'",
				"INSERT INTO claims (range, purpose, owner, made_at, made_by, request) VALUES ('10.144.0.0/25', 'z', '', now(), 'x', '')")
		} else {
			statements = append(statements, "UPDATE claims SET range = '10.144.0.0/16', first = '40a900000', last = '40a90ffff'", "REPLACE INTO claims SELECT id, range, first, last, 'z', owner, until, made_at, made_by, request, NULL, NULL FROM claims",
				"REPLACE INTO events SELECT id, at, 'other', what, range, purpose, owner, until FROM events", "INSERT OR REPLACE INTO claims SELECT 99, range, first, last, 'z', owner, until, made_at, made_by, request, NULL, NULL FROM claims WHERE released_at IS NULL",
				"UPDATE OR REPLACE claims SET id = 1")
		}
		for _, x := range statements {
			_, err := s.db.ExecContext(ctx, x)
			assert.Error(t, err, x)
		}
		after, err := s.List(ctx)
		require.NoError(t, err)
		assert.Equal(t, before, after)
		now, err := s.History(ctx, 99)
		require.NoError(t, err)
		assert.Equal(t, did, now)
	})
}
