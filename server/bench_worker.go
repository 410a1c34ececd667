package server

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"os"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/store"
)

// offerBench makes the computer that this server runs on one of the
// installation's benches: it tells what is seen there, and takes up the jobs
// that are meant for it.
func (s *Server) offerBench(ctx context.Context) {
	name, err := os.Hostname()
	if err != nil {
		name = "this server"
	}
	id := uuid.NewSHA1(uuid.NameSpaceDNS, []byte(name+" "+s.config.ADB))
	for wait := time.Second; ; wait = min(2*wait, 15*time.Second) {
		err := s.store.EnsureBench(ctx, id, name)
		if err == nil {
			break
		}
		s.log.Debug("the server's own bench can't be written down yet", "err", err)
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return
		}
	}
	w := &worker{server: s, bench: id, running: map[uuid.UUID]context.CancelFunc{}}
	s.background(w.sendView)
	w.takeUp(ctx)
}

// worker does the jobs of a server's own bench.
type worker struct {
	server *Server
	bench  uuid.UUID

	mu      sync.Mutex
	running map[uuid.UUID]context.CancelFunc
}

// sendView writes down what the bench sees, at each change and from time to time,
// and at the end that it is away.
func (w *worker) sendView(ctx context.Context) {
	for ctx.Err() == nil {
		view, changed := w.server.station.View()
		w.mu.Lock()
		running := slices.Collect(maps.Keys(w.running))
		w.mu.Unlock()
		if err := w.server.store.SeeBench(ctx, w.bench, w.server.marked(view), running); err != nil && ctx.Err() == nil {
			w.server.log.Debug("what the bench sees can't be written down", "err", err)
		}
		select {
		case <-changed:
		case <-time.After(bench.Beat):
		case <-ctx.Done():
		}
	}
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), bench.LeaveTakes)
	defer cancel()
	if err := w.server.store.LeaveBench(end, w.bench); err != nil {
		w.server.log.Debug("that the bench is away can't be written down; its silence will tell", "err", err)
	}
}

// marked is a view as it is stored: with the keyed hash of each phone's serial
// number in place of the number.
func (s *Server) marked(v bench.View) bench.View {
	v.Phones = slices.Clone(v.Phones)
	for i := range v.Phones {
		p := &v.Phones[i]
		p.Mark, p.Hardware = s.secret.PhoneHash(p.Hardware), ""
	}
	return v
}

// takeUp claims jobs as they come and stops those that somebody cancels.
func (w *worker) takeUp(ctx context.Context) {
	changes, stop := w.server.events.watch()
	defer stop()
	for {
		for {
			job, err := w.server.store.ClaimJob(ctx, w.bench)
			if err != nil {
				if !errors.Is(err, store.ErrNotFound) && ctx.Err() == nil {
					w.server.log.Warn("jobs can't be taken up", "err", err)
				}
				break
			}
			w.begin(ctx, job)
		}
		w.stopCancelled(ctx)
		if _, ok := await(ctx, changes, beat, concernsBench(w.bench, w.does)); !ok {
			return
		}
	}
}

func (w *worker) begin(ctx context.Context, job store.Job) {
	ctx, cancel := context.WithCancel(ctx)
	w.mu.Lock()
	w.running[job.ID] = cancel
	w.mu.Unlock()
	w.server.background(func(context.Context) {
		defer func() {
			w.mu.Lock()
			delete(w.running, job.ID)
			w.mu.Unlock()
			cancel()
		}()
		var r bench.Request
		results := &jobResults{server: w.server, job: job, bench: w.bench}
		err := json.Unmarshal(job.Request, &r)
		var value any
		if err == nil {
			value, err = w.server.station.Do(ctx, r, results)
		}
		w.server.endJobPatiently(ctx, job, value, bench.Explain(err))
	})
}

func (w *worker) does(job string) bool {
	id, err := uuid.Parse(job)
	w.mu.Lock()
	defer w.mu.Unlock()
	return err == nil && w.running[id] != nil
}

func (w *worker) stopCancelled(ctx context.Context) {
	w.mu.Lock()
	ids := slices.Collect(maps.Keys(w.running))
	w.mu.Unlock()
	ended, err := w.server.store.EndedJobs(ctx, ids)
	if err != nil && ctx.Err() == nil {
		w.server.log.Warn("nobody can tell which jobs were cancelled", "err", err)
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	for id := range ended {
		if cancel := w.running[id]; cancel != nil {
			cancel()
		}
	}
}

// jobResults stores what comes of a job, whichever bench does it.
type jobResults struct {
	server *Server
	job    store.Job
	bench  uuid.UUID
}

func (r *jobResults) Tell(ctx context.Context, progress any) error {
	return r.server.store.TellJob(ctx, r.job.ID, progress)
}

func (r *jobResults) Captured(ctx context.Context, serial string, c *android.Capture) error {
	if len(c.Packages) == 0 && !c.Complete {
		return nil
	}
	sum, err := r.server.store.AddCapture(ctx, store.NewCapture{Capture: c, Phone: r.server.secret.PhoneHash(serial), Person: r.job.PersonID, Source: "bench", Bench: &r.bench})
	if err != nil {
		return err
	}
	return r.server.store.KeepJob(ctx, r.job.ID, sum)
}

func (r *jobResults) Named(ctx context.Context, list []bench.Named) error {
	names := make([]store.NewName, len(list))
	for i, n := range list {
		names[i] = store.NewName{Name: string(n.Name), VersionCode: n.VersionCode, Signer: n.Signer, Labels: n.Labels, Icon: n.Icon, Problem: n.Problem}
	}
	return r.server.store.AddNames(ctx, names)
}

// endJob writes down how a job ended, saying what was kept. Where what came of
// it can't be stored, the job has failed, and that is an error. While the
// database is away nothing is written: the same can be told once more; see
// passing.
func (s *Server) endJob(ctx context.Context, job store.Job, value any, wrong string) error {
	kept, unstored := value, error(nil)
	switch job.Kind {
	case bench.KindLook:
		kept = nil // it holds the phone's serial number
		unstored = s.looked(ctx, job, value)
	case bench.KindRun:
		if wrong != "" {
			unstored = s.interrupt(ctx, job, wrong)
		}
		wrong = "" // the run itself says what became of it
	case bench.KindBackup, bench.KindVerify:
		unstored = s.endBackup(ctx, job, value, wrong)
	}
	if s.passing(ctx, unstored) {
		return unstored
	}
	if unstored != nil {
		s.log.Error("what came of a job can't be stored; it has failed", "kind", job.Kind, "job", job.ID, "err", unstored)
		kept, wrong = nil, "What came of this could not be stored: the server's log says why."
	}
	state := "done"
	if wrong != "" {
		state = "failed"
		if job.Kind == bench.KindCapture {
			now, err := s.store.Job(ctx, job.ID)
			if err != nil {
				return err
			}
			if len(now.Result) > 0 && string(now.Result) != "null" {
				wrong += " What it had said by then is stored, marked incomplete."
			} else {
				wrong += " Nothing was stored."
			}
		}
		s.log.Warn("a bench could not do what it was asked", "kind", job.Kind, "job", job.ID, "why", wrong)
	}
	return errors.Join(unstored, s.store.EndJob(ctx, job.ID, state, kept, wrong))
}

// passing reports whether an error is of a database that is away or busy, and
// heals by itself.
func (s *Server) passing(ctx context.Context, err error) bool {
	p := s.databaseProblem(ctx, err)
	return p != nil && p.Status == http.StatusServiceUnavailable
}

// endJobPatiently is endJob, again while the database is away, for a minute at
// most. What is not written down by then ends as a job of a silent bench does.
func (s *Server) endJobPatiently(ctx context.Context, job store.Job, value any, wrong string) {
	ctx, done := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
	defer done()
	stopped := context.AfterFunc(s.ctx, func() { time.AfterFunc(bench.LeaveTakes, done) })
	defer stopped()
	for wait := 100 * time.Millisecond; ; wait = min(2*wait, 5*time.Second) {
		err := s.endJob(ctx, job, value, wrong)
		if !s.passing(ctx, err) {
			if err != nil {
				s.log.Error("the end of a job could not be written down", "job", job.ID, "err", err)
			}
			return
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			s.log.Error("the end of a job could not be written down; it fails in a while", "job", job.ID, "err", err)
			return
		}
	}
}

// endSilentJobs fails the jobs of benches that have gone, whichever server
// asked them.
func (s *Server) endSilentJobs(ctx context.Context) {
	for every := time.NewTicker(store.BenchSilence / 2); ; {
		select {
		case <-every.C:
		case <-ctx.Done():
			every.Stop()
			return
		}
		if n, err := s.store.EndSilentJobs(ctx); err != nil {
			s.log.Debug("silent jobs can't be looked for", "err", err)
		} else if n > 0 {
			s.log.Warn("jobs of benches that fell silent were ended", "jobs", n)
		}
	}
}
