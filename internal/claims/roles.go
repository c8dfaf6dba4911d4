package claims

import (
	"context"
	"database/sql"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// This file lets roles of a database read claims, or make and release them.

// ErrNoRoles is the error of a store that has no roles: a file, of which the system says who may read and write it.
var ErrNoRoles = errors.New("a store in a file has no roles: who may read it and write it may claim")

// ErrNotOwner is the error of somebody who gives what is not theirs.
var ErrNotOwner = errors.New("only the owner of the store's tables says who may do what with them")

// ErrMore is the error of a role that could do more than it is let: nothing is given to it then.
var ErrMore = errors.New("it may do more in any case, as the owner, a superuser, or by another role")

// May is what a role of the database may do.
type May string

// Who may read lists claims and what was done; who may claim also claims and releases. Neither can change or take out what stands there.
const (
	MayRead  May = "read"
	MayClaim May = "claim"
)

// Let gives a role of the database all that it takes to do something with the store, and nothing else of it: what it could do before and may
// not now is taken from it. A role that is not there is made, without a right to log in, so that it can be given to those who have one; made
// is whether it was. The error is ErrNoRoles, ErrNotOwner, ErrMore, or of the database: to make a role takes the right to make some.
func (s *Store) Let(ctx context.Context, role string, may May) (made bool, err error) {
	if _, is := s.say.(postgres); !is {
		return false, ErrNoRoles
	}
	err = s.within(ctx, func(tx *sql.Tx) error {
		made, err = let(ctx, tx, role, may)
		return err
	})
	return made, err
}

// storeTables are all tables of a store in PostgreSQL.
const storeTables = "claims, events, requests, holes, schema_version"

func let(ctx context.Context, tx *sql.Tx, role string, may May) (made bool, err error) {
	there, owns := false, false
	if err := tx.QueryRowContext(ctx, "SELECT pg_has_role(relowner, 'USAGE') FROM pg_class WHERE oid = 'claims'::regclass").Scan(&owns); err != nil {
		return false, err
	}
	if !owns { // of whom the database would take it, and do nothing
		return false, ErrNotOwner
	}
	if err := tx.QueryRowContext(ctx, "SELECT EXISTS (SELECT FROM pg_roles WHERE rolname = $1)", role).Scan(&there); err != nil {
		return false, err
	}
	schema := ""
	if err := tx.QueryRowContext(ctx, "SELECT n.nspname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.oid = 'claims'::regclass").Scan(&schema); err != nil {
		return false, err
	}
	name, in := pgx.Identifier{role}.Sanitize(), pgx.Identifier{schema}.Sanitize()
	var all []string
	if !there {
		all = append(all, "CREATE ROLE "+name+" NOLOGIN")
	}
	all = append(all,
		fmt.Sprintf("REVOKE ALL ON %s FROM %s", storeTables, name),
		fmt.Sprintf("GRANT USAGE ON SCHEMA %s TO %s", in, name),
		fmt.Sprintf("GRANT SELECT ON %s TO %s", storeTables, name))
	if may == MayClaim {
		all = append(all,
			fmt.Sprintf("GRANT INSERT ON claims, events, requests TO %s", name),
			fmt.Sprintf("GRANT UPDATE (released_at, released_by) ON claims TO %s", name),
			fmt.Sprintf("GRANT INSERT, UPDATE, DELETE ON holes TO %s", name)) // a hole is locked before it is taken, which is a right to update it
	}
	for _, statement := range all {
		if _, err := tx.ExecContext(ctx, statement); err != nil {
			return false, err
		}
	}
	more := "" // which who owns the tables, is all-powerful, or is in another role has all the same
	err = tx.QueryRowContext(ctx, `SELECT coalesce(min(CASE WHEN owns THEN 'the tables are its own' ELSE p || ' on ' || t END), '')
FROM (SELECT pg_has_role($1, relowner, 'USAGE') AS owns FROM pg_class WHERE oid = 'claims'::regclass) o, unnest(string_to_array($2, ', ')) t, unnest(ARRAY['INSERT', 'UPDATE', 'DELETE', 'TRUNCATE', 'TRIGGER']) p
WHERE owns OR has_table_privilege($1, t, p) AND NOT ($3 AND (p = 'INSERT' AND t <> 'schema_version' OR t = 'holes' AND p IN ('UPDATE', 'DELETE')))`, role, storeTables, may == MayClaim).Scan(&more)
	if err == nil && more != "" {
		err = fmt.Errorf("%w: %s", ErrMore, more)
	}
	return !there, err
}
