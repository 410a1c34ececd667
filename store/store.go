package store

import (
	"cmp"
	"context"
	"errors"
	"log/slog"
	"sync/atomic"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"roster/core/android"
	"roster/core/desk"
	"roster/core/impact"
	"roster/core/profile"
)

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
	takenNow  settled[[]taken]
	judged    settled[[]judgedRelease]
	ungraded  settled[[]desk.Line]
	ledgers   packed[ledgerPage]
	compared  packed[Compared]
	lately    lately
	// shippedIDs are the packages of models: see shipped.
	shippedIDs settled[rowIDs]
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
	s.tried.firmwares.most = keptPlaces
	s.takenNow.kept.most = keptTaken
	s.judged.kept.most, s.ungraded.kept.most, s.shippedIDs.kept.most = keptDesk, keptDesk, keptShipped
	s.ledgers.encode, s.ledgers.decode = encodeLedger, decodeLedger
	s.compared.encode, s.compared.decode = encodeCompared, decodeCompared
	s.ledgers.kept.most, s.compared.kept.most = keptLedgers, keptCompared
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
