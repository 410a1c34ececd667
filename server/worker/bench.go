package worker

import (
	"context"
	"errors"
	"maps"
	"os"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/retry"
	"roster/store"
)

// offerBench makes the computer that this server runs on one of the
// installation's benches: it tells what is seen there, and takes up the jobs
// that are meant for it.
func (w *Worker) offerBench(ctx context.Context) {
	name, err := os.Hostname()
	if err != nil {
		name = "this server"
	}
	id := uuid.NewSHA1(uuid.NameSpaceDNS, []byte(name+" "+w.adb))
	if retry.Do(ctx, retry.Patient, func() error { return w.store.EnsureBench(ctx, id, name) }, func(err error, _ time.Duration) {
		w.log.Debug("the server's own bench can't be written down yet", "err", err)
	}) != nil {
		return
	}
	own := &ownBench{Worker: w, id: id, running: map[uuid.UUID]context.CancelFunc{}}
	w.Go(own.sendView)
	own.takeUp(ctx)
}

// ownBench does the jobs of the computer that the worker runs on.
type ownBench struct {
	*Worker
	id uuid.UUID

	mu      sync.Mutex
	running map[uuid.UUID]context.CancelFunc
}

// sendView writes down what the bench sees, at each change and from time to time,
// and at the end that it is away.
func (b *ownBench) sendView(ctx context.Context) {
	for ctx.Err() == nil {
		view, changed := b.station.View()
		b.mu.Lock()
		running := slices.Collect(maps.Keys(b.running))
		b.mu.Unlock()
		if err := b.store.SeeBench(ctx, b.id, b.Marked(view), running); err != nil && ctx.Err() == nil {
			b.log.Debug("what the bench sees can't be written down", "err", err)
		}
		select {
		case <-changed:
		case <-time.After(bench.Beat):
		case <-ctx.Done():
		}
	}
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), bench.LeaveTakes)
	defer cancel()
	if err := b.store.LeaveBench(end, b.id); err != nil {
		b.log.Debug("that the bench is away can't be written down; its silence will tell", "err", err)
	}
}

// takeUp claims jobs as they come and stops those that somebody cancels.
func (b *ownBench) takeUp(ctx context.Context) {
	changes, stop := b.Hub.Watch()
	defer stop()
	for {
		for {
			job, err := b.store.ClaimJob(ctx, b.id)
			if err != nil {
				if !errors.Is(err, store.ErrNotFound) && ctx.Err() == nil {
					b.log.Warn("jobs can't be taken up", "err", err)
				}
				break
			}
			b.begin(ctx, job)
		}
		b.stopCancelled(ctx)
		if _, ok := Await(ctx, changes, bench.Beat, ConcernsBench(b.id, b.does)); !ok {
			return
		}
	}
}

func (b *ownBench) begin(ctx context.Context, job store.Job) {
	ctx, cancel := context.WithCancel(ctx)
	b.mu.Lock()
	b.running[job.ID] = cancel
	b.mu.Unlock()
	b.Go(func(context.Context) {
		defer func() {
			b.mu.Lock()
			delete(b.running, job.ID)
			b.mu.Unlock()
			cancel()
		}()
		var value any
		r, err := requestOf(job)
		if err == nil {
			value, err = b.station.Do(ctx, r, b.Results(job, b.id))
		}
		b.EndJobPatiently(ctx, job, value, bench.Explain(err))
	})
}

func (b *ownBench) does(job string) bool {
	id, err := uuid.Parse(job)
	b.mu.Lock()
	defer b.mu.Unlock()
	return err == nil && b.running[id] != nil
}

func (b *ownBench) stopCancelled(ctx context.Context) {
	b.mu.Lock()
	ids := slices.Collect(maps.Keys(b.running))
	b.mu.Unlock()
	ended, err := b.store.EndedJobs(ctx, ids)
	if err != nil && ctx.Err() == nil {
		b.log.Warn("nobody can tell which jobs were cancelled", "err", err)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for id := range ended {
		if cancel := b.running[id]; cancel != nil {
			cancel()
		}
	}
}
