package store

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgerrcode"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// CreateDatabase makes the role and the database that url names, as far as they
// are not there. Administrator is the address of a database of the same
// PostgreSQL as a role that may do that. It returns what was done and what was
// there, in words.
func CreateDatabase(ctx context.Context, administrator, url string) (said []string, err error) {
	want, err := pgx.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	if want.User == "" || want.Database == "" {
		return nil, errors.New("the database's address names no role or no database; say both, as in postgres://roster@127.0.0.1/roster")
	}
	conn, err := pgx.Connect(ctx, administrator)
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL can't be asked as its administrator: %w", err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	// Names and passwords can't be parameters here: PostgreSQL quotes them itself.
	role := `select format('create role %I login createdb', $1::text) ||
		case when $2 = '' then '' else format(' password %L', $2::text) end`
	database := `select format('create database %I owner %I encoding ''UTF8'' template template0', $1::text, $2::text)`
	for _, step := range []struct {
		what, name, statement string
		args                  []any
		there                 string
	}{
		{"role", want.User, role, []any{want.User, want.Password}, pgerrcode.DuplicateObject},
		{"database", want.Database, database, []any{want.Database, want.User}, pgerrcode.DuplicateDatabase},
	} {
		var statement string
		if err := conn.QueryRow(ctx, step.statement, step.args...).Scan(&statement); err != nil {
			return said, err
		}
		_, err := conn.Exec(ctx, statement)
		var refused *pgconn.PgError
		switch {
		case err == nil:
			said = append(said, fmt.Sprintf("made the %s %s in PostgreSQL", step.what, step.name))
		case errors.As(err, &refused) && refused.Code == step.there:
			said = append(said, fmt.Sprintf("the %s %s is there", step.what, step.name))
		default:
			return said, fmt.Errorf("the %s %s can't be made: %w", step.what, step.name, err)
		}
	}
	return said, nil
}
