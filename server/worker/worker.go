package worker

import (
	"context"
	"errors"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	"roster/bench"
	"roster/retry"
	"roster/store"
)

// Config is what a worker needs.
type Config struct {
	Store *store.Store
	Log   *slog.Logger
	// Station holds the phones of this computer, and ADB is the address of its
	// adb server; "" for an installation without phones of its own.
	Station *bench.Station
	ADB     string
	// Mark is the keyed hash of a serial number by which phones are told apart,
	// "" of "".
	Mark func(serial string) string
}

// Worker works from Start until Close. Its methods may be called by several at
// once, and those that write down what came of jobs before Start and after Close
// as well.
type Worker struct {
	// Hub hands out the installation's events while the worker works.
	Hub *Hub

	store    *store.Store
	log      *slog.Logger
	station  *bench.Station
	adb      string
	mark     func(string) string
	migrated atomic.Bool // the database has had this program's tables
	outdated atomic.Pointer[store.NewerError]
	working  sync.WaitGroup
	ctx      context.Context
	stop     context.CancelFunc
}

// New makes a worker that does nothing yet.
func New(c Config) *Worker {
	w := &Worker{Hub: newHub(), store: c.Store, log: c.Log, station: c.Station, adb: c.ADB, mark: c.Mark}
	w.ctx, w.stop = context.WithCancel(context.Background())
	return w
}

// Start begins the work; it does not wait for the database, or for anything
// else.
func (w *Worker) Start() {
	w.Go(w.migrate)
	w.Go(w.keepBeside)
	w.Go(func(ctx context.Context) { w.store.Listen(ctx, w.Hub.publish) })
	w.Go(w.endSilentJobs)
	w.Go(w.keepRuns)
	w.Go(w.keepBackups)
	w.Go(w.countCoverage)
	w.Go(w.keepReady)
	if w.adb != "" {
		w.Go(w.station.Watch)
		w.Go(w.offerBench)
	}
}

// Close ends the work and waits until it has ended.
func (w *Worker) Close() {
	w.stop()
	w.working.Wait()
}

// Go does one more thing, which Close ends and waits for. Not after Close.
func (w *Worker) Go(f func(context.Context)) {
	w.working.Go(func() { f(w.ctx) })
}

// Until returns a context that ends with ctx or once Close was called; the
// caller has to cancel it.
func (w *Worker) Until(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(ctx)
	stop := context.AfterFunc(w.ctx, cancel)
	return ctx, func() { stop(); cancel() }
}

// Migrated reports whether the database was brought up to date.
func (w *Worker) Migrated() bool { return w.migrated.Load() }

// migrate waits for the database and brings it up to date.
func (w *Worker) migrate(ctx context.Context) {
	again := func() error {
		err := w.store.Migrate(ctx)
		if w.endIfOutdated(err) {
			return retry.Never(err)
		}
		return err
	}
	err := retry.Do(ctx, retry.Patient, again, func(err error, wait time.Duration) {
		w.log.Error("the database can't be brought up to date; is PostgreSQL running and ROSTER_DATABASE_URL right?",
			"err", err, "again in", wait.Round(time.Second/10))
	})
	if err == nil {
		w.migrated.Store(true)
	}
}

// keepBeside looks whether this program can go on whenever another one has brought
// the database further, or may have.
func (w *Worker) keepBeside(ctx context.Context) {
	w.Hub.Each(ctx, []store.Topic{store.Missed, store.SchemaChanged}, func() { w.LookBeside(ctx) })
}

// LookBeside asks the database whether a newer program has changed it in a way that
// this one can't go on with; nil where none has, or nobody can tell.
func (w *Worker) LookBeside(ctx context.Context) *store.NewerError {
	w.endIfOutdated(w.store.Ping(ctx))
	return w.Outdated()
}

// endIfOutdated ends all work where an error says that the program is too old for
// its database: nobody knows what its tables mean now.
func (w *Worker) endIfOutdated(err error) bool {
	newer := (*store.NewerError)(nil)
	if !errors.As(err, &newer) {
		return false
	}
	if w.outdated.Swap(newer) == nil {
		w.log.Error("this program is too old for its database, and serves nothing of it", "err", err)
		w.stop()
	}
	return true
}

// Outdated says that a newer program has changed the database in a way that this
// one can't go on with; nil where none has, as far as is known.
func (w *Worker) Outdated() *store.NewerError { return w.outdated.Load() }

// each calls f every so often until ctx ends.
func each(ctx context.Context, often time.Duration, f func()) {
	ticker := time.NewTicker(often)
	defer ticker.Stop()
	for {
		select {
		case <-ticker.C:
			f()
		case <-ctx.Done():
			return
		}
	}
}
