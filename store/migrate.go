package store

import (
	"cmp"
	"context"
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgerrcode"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/tern/v2/migrate"

	"roster/retry"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Schema is how far the database was brought, to this program.
type Schema struct {
	// At is the migration that it is at, Wants the one that this program works
	// with.
	At    int32 `db:"version"`
	Wants int32 `db:"-"`
	// Least is the oldest migration that a program has to know to work with it:
	// what was only added since is nothing to those that do not know of it.
	Least int32 `db:"least"`
}

// readSchema reads how far the database was brought. Before migration 37 nothing
// but the newest program went on with it.
func readSchema(ctx context.Context, q querier) (Schema, error) {
	rows, err := q.Query(ctx, `
		select version, coalesce((to_jsonb(v) ->> 'least')::int, version) as least from schema_version v`)
	at, err := one[Schema](rows, err)
	if err == nil {
		at.Wants, err = newest()
	}
	return at, err
}

// check fails where this program can't work with the database.
func (s Schema) check() error {
	switch {
	case s.At < s.Wants:
		return fmt.Errorf("the database is at migration %d, this program wants %d", s.At, s.Wants)
	case s.Least > s.Wants:
		return &NewerError{At: s.At, Wants: s.Wants}
	}
	return nil
}

// NewerError says that a newer program has changed the database in a way that this
// one can't go on with.
type NewerError struct{ At, Wants int32 }

func (e *NewerError) Error() string {
	return fmt.Sprintf("a newer program has been here: the database is at migration %d, this program knows %d; "+
		"start the newest that has been here, or restore a backup of before", e.At, e.Wants)
}

// Ping reports whether the database answers and has this program's tables.
func (s *Store) Ping(ctx context.Context) error {
	at, err := readSchema(ctx, s.aside)
	return cmp.Or(err, at.check())
}

func newest() (int32, error) {
	files, err := fs.Glob(migrations, "migrations/*.sql")
	return int32(len(files)), err
}

// SchemaDigest tells this program's set of migrations from every other, in
// eight hex digits.
func SchemaDigest() string {
	sum := sha256.New()
	files, _ := fs.Glob(migrations, "migrations/*.sql") // sorted
	for _, file := range files {
		raw, _ := migrations.ReadFile(file)
		sum.Write(raw)
	}
	return hex.EncodeToString(sum.Sum(nil)[:4])
}

// Migrate brings the database to this program's migration, and its figures to
// this program's calculations. Servers that start together wait for each other,
// and others work on meanwhile. Where a newer program has been there and this one
// can go on beside it, nothing is to be done.
func (s *Store) Migrate(ctx context.Context) error {
	conn, err := s.alone(ctx)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	m, err := migratorOf(ctx, conn, sub)
	if err != nil {
		return err
	}
	at, err := m.GetCurrentVersion(ctx)
	if err != nil {
		return err
	}
	if wanted := int32(len(m.Migrations)); at > wanted {
		schema, err := readSchema(ctx, conn)
		if err == nil && schema.check() == nil {
			s.log.Warn("a newer program has been at the database, and this one goes on beside it: upgrade it soon", "migration", at, "knows", wanted)
		}
		return cmp.Or(err, schema.check())
	}
	if err := s.bring(ctx, conn, m); err != nil {
		return err
	}
	if s.options.Direct != "" {
		if err := s.options.settle(ctx, conn); err != nil {
			return err
		}
	}
	if err := s.FreshenFigures(ctx); err != nil {
		return err
	}
	return s.freshenModels(ctx)
}

func migratorOf(ctx context.Context, conn *pgx.Conn, files fs.FS) (*migrate.Migrator, error) {
	m, err := migrate.NewMigrator(ctx, conn, "schema_version")
	if err != nil {
		return nil, err
	}
	return m, m.LoadMigrations(files)
}

const (
	// inTheWay is how long a migration waits for a table that others use, and with
	// it everybody who comes for the table after it: then it lets them go first.
	inTheWay = time.Second
	// givingWay is how long migrations give way for before that is an error.
	givingWay = 10 * time.Minute
)

// bring runs the migrations that are missing. Each is done in a transaction of
// its own, which begins anew where others do not let it at a table.
func (s *Store) bring(ctx context.Context, conn *pgx.Conn, m *migrate.Migrator) error {
	if _, err := conn.Exec(ctx, `set lock_timeout = `+milliseconds(inTheWay)); err != nil {
		return err
	}
	began := time.Now()
	err := retry.Do(ctx, retry.Brisk, func() error {
		err := m.Migrate(ctx)
		if pg := (*pgconn.PgError)(nil); errors.As(err, &pg) && pg.Code == pgerrcode.LockNotAvailable && time.Since(began) < givingWay {
			return err
		}
		return retry.Never(err)
	}, func(err error, wait time.Duration) {
		s.log.Info("a migration waits until others let go of a table, or have migrated", "err", err, "again in", wait.Round(time.Second/10))
	})
	if err != nil {
		return err
	}
	_, err = conn.Exec(ctx, `set lock_timeout = 0`)
	return err
}

// freshenedAtOnce bounds how many models a start works on in one transaction.
const freshenedAtOnce = 16

// freshenModels brings up to date what an older program has worked out of
// models: a few at a time, so that nobody who works meanwhile waits for long,
// and a start that is broken off goes on where it was.
func (s *Store) freshenModels(ctx context.Context) error {
	rows, err := s.pool.Query(ctx, `select id from models order by id`)
	if err != nil {
		return err
	}
	models, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return err
	}
	for some := range slices.Chunk(models, freshenedAtOnce) {
		err := s.inLongTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
			if err := s.freshenResting(ctx, tx, some); err != nil {
				return err
			}
			_, err := s.freshenFirmware(ctx, tx, some)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}
