package store

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	pgxuuid "github.com/vgarvardt/pgx-google-uuid/v5"
)

// What the database may be asked for at most. A statement that takes longer is
// ended by PostgreSQL, and so is a transaction that does nothing for longer.
const (
	// connectionWait bounds how long anything waits for a free connection.
	connectionWait = 10 * time.Second
	// requestStatement bounds what somebody waits for.
	requestStatement = 30 * time.Second
	// longStatement bounds what is made anew for the whole installation.
	longStatement = 15 * time.Minute
	// idleTransaction bounds the pause between two statements of a transaction.
	idleTransaction = time.Minute
)

// DefaultConnections is how many connections to the database a server has at
// most where nobody says otherwise: four for each processor and two.
func DefaultConnections() int { return 4*runtime.GOMAXPROCS(0) + 2 }

// ErrBusy says that no connection to the database became free in time: more is
// asked for at once than it can answer.
var ErrBusy = errors.New("the database is busy with other requests")

// errNested says that code which holds a transaction asked the pool for another
// connection. Enough of that at once, and each waits for the other for ever:
// it is refused always, so that no test passes over it.
var errNested = errors.New("a transaction asked the pool for a second connection; hand it the transaction")

// newPool makes a pool of connections for the database at url. Connections is
// how many there are at most, 0 for what the address says as pool_max_conns,
// or for DefaultConnections.
func newPool(ctx context.Context, url string, connections int) (*pgxpool.Pool, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	switch {
	case connections > 0:
		config.MaxConns = int32(connections)
	case !strings.Contains(url, "pool_max_conns"):
		config.MaxConns = int32(DefaultConnections())
	}
	config.AfterConnect = func(_ context.Context, conn *pgx.Conn) error {
		pgxuuid.Register(conn.TypeMap())
		return nil
	}
	settings := config.ConnConfig.RuntimeParams
	settings["pg_trgm.strict_word_similarity_threshold"] = forgiving
	// Roster's queries are short: compiling them takes longer than running.
	settings["jit"] = "off"
	settings["statement_timeout"] = milliseconds(requestStatement)
	settings["idle_in_transaction_session_timeout"] = milliseconds(idleTransaction)
	config.ConnConfig.ConnectTimeout = 5 * time.Second
	config.ConnConfig.Tracer = waits{}
	return pgxpool.NewWithConfig(ctx, config)
}

func milliseconds(d time.Duration) string { return fmt.Sprint(d.Milliseconds()) }

// alone opens a connection that is not the pool's, for what holds one for long:
// listening, migrating. What it runs is not bounded in time.
func (s *Store) alone(ctx context.Context) (*pgx.Conn, error) {
	config := s.pool.Config().ConnConfig.Copy()
	delete(config.RuntimeParams, "statement_timeout")
	delete(config.RuntimeParams, "idle_in_transaction_session_timeout")
	return pgx.ConnectConfig(ctx, config)
}

// inTx runs f in a transaction, which is committed when f returns nil. Within f
// the database is asked through the transaction alone: a context that f was
// given gets no other connection.
func (s *Store) inTx(ctx context.Context, f func(context.Context, pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error { return f(context.WithValue(ctx, transactionKey{}, true), tx) })
}

// inLongTx is inTx for what is made anew for the whole installation: its
// statements may take longStatement.
func (s *Store) inLongTx(ctx context.Context, f func(context.Context, pgx.Tx) error) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `set local statement_timeout = `+milliseconds(longStatement)); err != nil {
			return err
		}
		return f(ctx, tx)
	})
}

// transactionKey marks the contexts of code that holds a transaction.
type transactionKey struct{}

// waits bounds how long the pool's users wait for a connection.
type waits struct{}

// TraceAcquireStart returns the context with which a connection is waited for.
func (waits) TraceAcquireStart(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireStartData) context.Context {
	if ctx.Value(transactionKey{}) != nil {
		ended, cancel := context.WithCancel(ctx)
		cancel()
		return &waitContext{ended, cancel, errNested, ctx}
	}
	bounded, cancel := context.WithTimeout(ctx, connectionWait)
	return &waitContext{bounded, cancel, ErrBusy, ctx}
}

// TraceAcquireEnd forgets the context of TraceAcquireStart.
func (waits) TraceAcquireEnd(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireEndData) {
	if w, ok := ctx.(*waitContext); ok {
		w.cancel()
	}
}

// TraceQueryStart and TraceQueryEnd are what pgx asks of every tracer.
func (waits) TraceQueryStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryStartData) context.Context {
	return ctx
}

// TraceQueryEnd does nothing.
func (waits) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}

// waitContext says why waiting has ended where that was not its user's doing.
type waitContext struct {
	context.Context
	cancel context.CancelFunc
	why    error
	asked  context.Context // of whoever waits
}

func (w *waitContext) Err() error {
	if err := w.Context.Err(); err == nil || w.asked.Err() != nil {
		return err
	}
	return w.why
}
