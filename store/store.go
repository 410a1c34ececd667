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
	"log/slog"
	"slices"
	"sync/atomic"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/tern/v2/migrate"

	"roster/core/android"
	"roster/core/impact"
	"roster/core/profile"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is Roster's database. It is safe for many goroutines.
type Store struct {
	pool *pgxpool.Pool
	// direct is how the database is reached past every pool and pooler.
	direct  *pgx.ConnConfig
	options Options
	// aside is one connection that answers whether the database is well, however
	// many wait for the others.
	aside *pgxpool.Pool
	// replicas take reads that may lag. heard is the last transaction that this
	// server has heard of, 0 while it hears nothing.
	replicas []*replica
	turn     atomic.Uint32
	heard    atomic.Uint64
	log      *slog.Logger
	// What was worked out or read before, and can't have changed since.
	readNets  kept[netKey, *impact.Net]
	leaning   kept[netKey, []android.PackageName]
	documents kept[uuid.UUID, *profile.Document]
	tried     trialCache
}

// Errors that callers tell apart. Every other error is the database's.
var (
	// ErrNotFound says that the thing asked for is not there.
	ErrNotFound = errors.New("not found")
	// ErrStale says that somebody else has changed the thing since it was
	// read.
	ErrStale = errors.New("it has been changed since you looked")
	// ErrOwn says that a person tried to decide about their own change.
	ErrOwn = errors.New("nobody decides about their own change")
	// ErrNotYours says that a person tried to do to something what only
	// whoever it is of may do.
	ErrNotYours = errors.New("this is somebody else's")
	// ErrState says that the thing is no longer in the state that this needs.
	ErrState = errors.New("it is no longer open")
)

// New makes a store for the database at url. It does not connect yet, so that
// a server can start before its database and heal by itself.
func New(ctx context.Context, url string) (*Store, error) { return NewWith(ctx, url, Options{}) }

// NewWith is New with options.
func NewWith(ctx context.Context, url string, o Options) (*Store, error) {
	pool, err := newPool(ctx, url, o)
	if err != nil {
		return nil, err
	}
	past := o
	past.Connections, past.Direct = 1, ""
	aside, err := newPool(ctx, cmp.Or(o.Direct, url), past)
	if err != nil {
		return nil, err
	}
	follow, err := newReplicas(ctx, o)
	if err != nil {
		return nil, err
	}
	s := &Store{
		pool: pool, aside: aside, direct: aside.Config().ConnConfig, options: o,
		replicas: follow, log: cmp.Or(o.Log, DefaultOptions().Log),
	}
	s.readNets.most, s.leaning.most, s.documents.most, s.tried.most = keptNets, keptLeaning, keptDocuments, keptTrials
	return s, nil
}

// Close ends all connections.
func (s *Store) Close() {
	for _, r := range s.replicas {
		r.close()
	}
	s.pool.Close()
	s.aside.Close()
}

// Ping reports whether the database answers and has this program's tables.
func (s *Store) Ping(ctx context.Context) error {
	var version int32
	if err := s.aside.QueryRow(ctx, `select version from schema_version`).Scan(&version); err != nil {
		return err
	}
	wanted, err := newest()
	if err != nil {
		return err
	}
	if version > wanted {
		return &NewerError{version, wanted}
	}
	if version != wanted {
		return fmt.Errorf("the database is at migration %d, this program wants %d", version, wanted)
	}
	return nil
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
// this program's calculations. Servers that start together wait for each
// other.
func (s *Store) Migrate(ctx context.Context) error {
	conn, err := s.alone(ctx)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	m, err := migrate.NewMigrator(ctx, conn, "schema_version")
	if err != nil {
		return err
	}
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	if err := m.LoadMigrations(sub); err != nil {
		return err
	}
	at, err := m.GetCurrentVersion(ctx)
	if err != nil {
		return err
	}
	if wanted := int32(len(m.Migrations)); at > wanted {
		return &NewerError{At: at, Wants: wanted}
	}
	if err := m.Migrate(ctx); err != nil {
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

// NewerError says that a newer program has brought the database further than this
// one knows.
type NewerError struct{ At, Wants int32 }

func (e *NewerError) Error() string {
	return fmt.Sprintf("a newer program has been here: the database is at migration %d, this program knows %d; "+
		"start the newest that has been here, or restore a backup of before", e.At, e.Wants)
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

// querier is a pool or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// mustFind fails with ErrNotFound where a query finds no row.
func mustFind(ctx context.Context, q querier, sql string, args ...any) error {
	var found bool
	err := q.QueryRow(ctx, `select exists (`+sql+`)`, args...).Scan(&found)
	if err == nil && !found {
		err = ErrNotFound
	}
	return err
}

// NewID makes an id whose order is that of time.
func NewID() uuid.UUID { return uuid.Must(uuid.NewV7()) }

// one reads a single row into T, ErrNotFound where there is none.
func one[T any](rows pgx.Rows, err error) (T, error) {
	if err != nil {
		var zero T
		return zero, err
	}
	v, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[T])
	if errors.Is(err, pgx.ErrNoRows) {
		err = ErrNotFound
	}
	return v, err
}

// collectRows reads every row into T; the result is never nil.
func collectRows[T any](rows pgx.Rows, err error) ([]T, error) {
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, pgx.RowToStructByName[T])
	if list == nil {
		list = []T{}
	}
	return list, err
}

// violates reports whether err breaks the named constraint.
func violates(err error, constraint string) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.ConstraintName == constraint
}
