package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/exaring/otelpgx"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/multitracer"
	"github.com/jackc/pgx/v5/pgxpool"
	"go.opentelemetry.io/otel/trace"
)

// Options are how a store works. What is zero is as in DefaultOptions.
type Options struct {
	// Connections is how many there are at once, besides one that listens and
	// one that asks whether the database is well.
	Connections int
	// Wait is how long anything waits for one of them to become free.
	Wait time.Duration
	// Statement is how long a statement may take that somebody waits for.
	// PostgreSQL ends it then.
	Statement time.Duration
	// Replicas is the address of databases that follow this one, each a host in
	// it, and take reads that may lag; "" for none.
	Replicas string
	// Direct is the address of the database itself, where the other one is of a
	// pooler that lends a connection for one transaction at a time: what needs
	// one for longer, or at once, asks there. "" where there is no such pooler.
	Direct string
	// Traces is told how long each statement takes; nil for nobody.
	Traces trace.TracerProvider
	// Log takes what somebody should know of who looks after the database, and
	// nobody else can be told. Nil for nowhere.
	Log *slog.Logger
}

const (
	// longStatement is how long a statement may take that makes something anew
	// for the whole installation.
	longStatement = 15 * time.Minute
	// idleTransaction is how long a transaction may do nothing.
	idleTransaction = time.Minute
)

// DefaultOptions are those of a server that nobody told otherwise: four
// connections for each processor and two.
func DefaultOptions() Options {
	return Options{Connections: 4*runtime.GOMAXPROCS(0) + 2, Wait: 10 * time.Second, Statement: 30 * time.Second, Log: slog.New(slog.DiscardHandler)}
}

// errBusy says that no connection to the database became free in time: more is
// asked for at once than it can answer.
var errBusy = errors.New("the database is busy with other requests")

// errNested says that code which holds a transaction asked the pool for another
// connection. Enough of that at once, and each waits for the other for ever:
// it is refused always, so that no test passes over it.
var errNested = errors.New("a transaction asked the pool for a second connection; hand it the transaction")

// bounds are settings that each connection has which somebody waits for.
func (o Options) bounds() map[string]string {
	return map[string]string{
		"statement_timeout":                   milliseconds(cmp.Or(o.Statement, DefaultOptions().Statement)),
		"idle_in_transaction_session_timeout": milliseconds(idleTransaction),
	}
}

// ways are settings by which the database works out what it is asked for.
var ways = map[string]string{
	"pg_trgm.strict_word_similarity_threshold": forgiving,
	// Roster's queries are short: compiling them takes longer than running.
	"jit": "off",
	// What is asked for is nearly always in memory, or on a disk without a head:
	// a row looked up by an index costs little more than the next one.
	"random_page_cost": "1.1",
}

// newPool makes a pool of connections for the database at url.
func newPool(ctx context.Context, url string, o Options) (*pgxpool.Pool, error) {
	config, err := poolConfig(url, o)
	if err != nil {
		return nil, err
	}
	return pgxpool.NewWithConfig(ctx, config)
}

func poolConfig(url string, o Options) (*pgxpool.Config, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("database address: %w", err)
	}
	config.MaxConns = int32(cmp.Or(o.Connections, DefaultOptions().Connections))
	config.AfterConnect = func(_ context.Context, conn *pgx.Conn) error {
		registerUUIDs(conn.TypeMap())
		return nil
	}
	if o.Direct == "" {
		maps.Copy(config.ConnConfig.RuntimeParams, ways)
		maps.Copy(config.ConnConfig.RuntimeParams, o.bounds())
	} else {
		// Each transaction may have another connection: none keeps a statement that
		// was prepared, or a setting. The role has those; see settle.
		config.ConnConfig.DefaultQueryExecMode = pgx.QueryExecModeCacheDescribe
	}
	config.ConnConfig.ConnectTimeout = 5 * time.Second
	waiting := waits{cmp.Or(o.Wait, DefaultOptions().Wait)}
	config.ConnConfig.Tracer = waiting
	if o.Traces != nil {
		// Values are in none of them, and waiting is last: it looks for its own context.
		config.ConnConfig.Tracer = multitracer.New(otelpgx.NewTracer(otelpgx.WithTracerProvider(o.Traces), otelpgx.WithSpanNameFunc(spanName)), waiting)
	}
	return config, nil
}

// settle gives the role that conn came as the settings that connections by a
// pooler can't bring along. They hold for connections that are made from then on.
func (o Options) settle(ctx context.Context, conn *pgx.Conn) error {
	return pgx.BeginFunc(ctx, conn, func(tx pgx.Tx) error {
		// Servers start together. And a setting of an extension exists once the
		// extension has been used.
		if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(423), show_trgm('')`); err != nil {
			return err
		}
		for _, settings := range []map[string]string{ways, o.bounds()} {
			for _, name := range slices.Sorted(maps.Keys(settings)) {
				var statement string
				if err := tx.QueryRow(ctx, `
					select format('alter role current_user in database %I set %s to %L',
						current_database(), $1::text, $2::text)`,
					name, settings[name]).Scan(&statement); err != nil {
					return err
				}
				if _, err := tx.Exec(ctx, statement); err != nil {
					return fmt.Errorf("the database's role can't be given %s: %w", name, err)
				}
			}
		}
		return nil
	})
}

// spanName is how a statement is called in traces: the statement itself stands
// beside it.
func spanName(sql string) string {
	verb, _, _ := strings.Cut(strings.TrimSpace(sql), " ")
	return strings.ToLower(verb)
}

func milliseconds(d time.Duration) string { return fmt.Sprint(d.Milliseconds()) }

// alone opens a connection that is not the pool's, and no pooler's, for what
// holds one for long: listening, migrating. What it runs is not bounded in time.
func (s *Store) alone(ctx context.Context) (*pgx.Conn, error) {
	config := s.direct.Copy()
	for name := range s.options.bounds() {
		config.RuntimeParams[name] = "0"
	}
	return pgx.ConnectConfig(ctx, config)
}

// inTx runs f in a transaction, which is committed when f returns nil. Within f
// the database is asked through the transaction alone: a context that f was
// given gets no other connection.
func (s *Store) inTx(ctx context.Context, f func(context.Context, pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if at, ok := ctx.Value(momentKey{}).(time.Time); ok {
			if _, err := tx.Exec(ctx, `
				select set_config('roster.moment', $1, true)`, at.Format(time.RFC3339Nano)); err != nil {
				return err
			}
		}
		within := context.WithValue(ctx, transactionKey{}, true)
		if err := f(within, tx); err != nil {
			return err
		}
		return s.noteWriter(within, tx)
	})
}

type momentKey struct{}

// At returns a context with which what is said, sent and decided is dated at a
// moment, because it is written down later than it was done. The record says
// all the same when it was written down.
func At(ctx context.Context, moment time.Time) context.Context {
	return context.WithValue(ctx, momentKey{}, moment)
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

// withKeptPlans has f read with statements that keep the plan which they were given
// first, whatever they are asked about next: of those that join many tables to find
// few rows, planning takes longer than running.
func (s *Store) withKeptPlans(ctx context.Context, f func(context.Context, querier) error) error {
	options := pgx.TxOptions{BeginQuery: "begin read only; set local plan_cache_mode = force_generic_plan"}
	return pgx.BeginTxFunc(ctx, s.pool, options, func(tx pgx.Tx) error {
		return f(context.WithValue(ctx, transactionKey{}, true), tx)
	})
}

// transactionKey marks the contexts of code that holds a transaction.
type transactionKey struct{}

// waits bounds how long the pool's users wait for a connection.
type waits struct{ limit time.Duration }

// TraceAcquireStart returns the context with which a connection is waited for.
func (w waits) TraceAcquireStart(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireStartData) context.Context {
	if ctx.Value(transactionKey{}) != nil {
		ended, cancel := context.WithCancel(ctx)
		cancel()
		return &waitContext{ended, cancel, errNested, ctx}
	}
	bounded, cancel := context.WithTimeout(ctx, w.limit)
	return &waitContext{bounded, cancel, errBusy, ctx}
}

// TraceAcquireEnd forgets the context of TraceAcquireStart.
func (waits) TraceAcquireEnd(ctx context.Context, _ *pgxpool.Pool, _ pgxpool.TraceAcquireEndData) {
	if w, ok := ctx.(*waitContext); ok {
		w.cancel()
	}
}

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
