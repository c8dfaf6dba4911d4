package claims

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestRoles: a role that may read lists, one that may claim claims and releases, and neither does anything else to the store, by SQL either;
// what was given is taken back, and none but the owner of the tables gives it.
func TestRoles(t *testing.T) {
	where := postgresStore(t)
	ctx := context.Background()
	s := open(t, where)
	reader, claimer := fmt.Sprintf("Quay readers %d", rand.Uint32()), fmt.Sprintf("quay_claimers_%d", rand.Uint32())
	for role, may := range map[string]May{reader: MayRead, claimer: MayClaim} {
		t.Cleanup(func() {
			db, err := sql.Open("pgx", where)
			require.NoError(t, err)
			defer db.Close()
			_, err = db.Exec(fmt.Sprintf(`DROP OWNED BY %q; DROP ROLE %q`, role, role))
			assert.NoError(t, err)
		})
		for _, want := range []bool{true, false} {
			made, err := s.Let(ctx, role, may)
			require.NoError(t, err)
			assert.Equal(t, want, made, "a role that is there is taken")
		}
		_, err := s.db.Exec(fmt.Sprintf("GRANT %q TO CURRENT_USER", role))
		require.NoError(t, err)
	}
	as := func(role string) *Store {
		one, err := openPostgres(where)
		require.NoError(t, err)
		t.Cleanup(func() { one.Close() })
		one.db.SetMaxOpenConns(1)
		_, err = one.db.Exec(fmt.Sprintf("SET ROLE %q", role))
		require.NoError(t, err)
		require.NoError(t, one.migrate(ctx), "a store that is up to date is opened by who may only read it")
		return one
	}
	reads, claims := as(reader), as(claimer)
	block := prefixes("10.144.0.0/16")
	claim := func(s *Store) ([]Claim, error) {
		return s.Claim(ctx, []Wish{{Within: block, Bits: 24, For: "rosters", Owner: "crew"}}, "kit", "")
	}
	got, err := claim(claims)
	require.NoError(t, err)
	for range 3 {
		_, err = claim(claims)
		require.NoError(t, err)
	}
	_, err = claims.Release(ctx, got[0].Range, "kit")
	require.NoError(t, err)
	_, err = claims.Claim(ctx, []Wish{{Within: block, Bits: 26, For: "radar"}}, "kit", "a key")
	require.NoError(t, err)
	for _, s := range []*Store{reads, claims} {
		all, err := s.List(ctx)
		require.NoError(t, err)
		assert.Len(t, all, 4)
		events, err := s.History(ctx, 100)
		require.NoError(t, err)
		assert.Len(t, events, 6)
		_, err = s.Let(ctx, reader, MayClaim)
		assert.ErrorIs(t, err, ErrNotOwner, "who does not own the tables gives nothing")
		for _, statement := range []string{
			"UPDATE claims SET owner = 'me'", "UPDATE claims SET range = '10.9.0.0/16'", "UPDATE claims SET until = NULL", "DELETE FROM claims", "TRUNCATE claims", "DROP TABLE claims", "ALTER TABLE claims DISABLE TRIGGER ALL",
			"ALTER TABLE claims DROP CONSTRAINT no_two_overlap", "DROP TRIGGER claims_stay ON claims", "UPDATE events SET by = 'somebody'", "DELETE FROM events", "TRUNCATE events", "UPDATE requests SET asked = ''",
			"DELETE FROM requests", "INSERT INTO schema_version VALUES (99)", "DELETE FROM schema_version", "TRUNCATE holes", "CREATE OR REPLACE FUNCTION only_released() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'",
		} {
			_, err := s.db.Exec(statement)
			assert.ErrorContains(t, err, "42501", "%s", statement)
		}
	}
	for _, statement := range []string{"INSERT INTO claims (range, purpose, owner, made_at, made_by, request) VALUES ('10.200.0.0/24', 'x', '', now(), 'x', '')", "UPDATE claims SET released_at = now()", "DELETE FROM holes", "INSERT INTO holes VALUES ('10.0.0.0/9')",
		"INSERT INTO events (at, by, what, range, purpose, owner) VALUES (now(), 'x', 'x', '10.0.0.0/8', '', '')", "SELECT 1 FROM holes LIMIT 1 FOR UPDATE"} {
		_, err := reads.db.Exec(statement)
		assert.ErrorContains(t, err, "42501", "%s", statement)
	}
	_, err = claim(reads)
	assert.Error(t, err)
	_, err = claims.db.Exec("INSERT INTO claims (range, purpose, owner, made_at, made_by, request) VALUES ('10.144.0.0/16', 'x', '', now(), 'x', '')")
	assert.ErrorContains(t, err, "no_two_overlap", "no two claims overlap, whoever writes them")
	_, err = s.Let(ctx, claimer, MayRead)
	require.NoError(t, err)
	_, err = claim(claims)
	assert.ErrorContains(t, err, "42501", "what was given is taken back")
	_, err = claims.List(ctx)
	assert.NoError(t, err)
	owner := ""
	require.NoError(t, s.db.QueryRow("SELECT current_user").Scan(&owner))
	_, err = s.Let(ctx, owner, MayClaim)
	assert.ErrorIs(t, err, ErrMore, "the owner cannot be held to that")
	_, err = s.List(ctx)
	assert.NoError(t, err, "and has what it had")
	_, err = s.db.Exec(fmt.Sprintf("GRANT DELETE ON requests TO %q", reader))
	require.NoError(t, err)
	_, err = s.db.Exec(fmt.Sprintf("GRANT %q TO %q", reader, claimer))
	require.NoError(t, err)
	_, err = s.Let(ctx, claimer, MayRead)
	assert.ErrorIs(t, err, ErrMore, "what another role gives is seen")
	assert.ErrorContains(t, err, "DELETE on requests")
	_, err = s.Let(ctx, reader, MayRead)
	assert.NoError(t, err, "what was given to the role itself is taken")
	_, err = s.Let(ctx, claimer, MayRead)
	assert.NoError(t, err)
	_, err = open(t, filepath.Join(t.TempDir(), "claims.db")).Let(ctx, reader, MayRead)
	assert.ErrorIs(t, err, ErrNoRoles)
}
