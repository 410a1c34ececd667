package server

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/run"
	"roster/store"
)

// Run writes down what a bench reports of a run and answers with the next
// steps. While the database is away it is tried again: what is not written
// down is not sent.
func (r *jobResults) Run(ctx context.Context, id uuid.UUID, report run.Report) (run.Orders, error) {
	var asked bench.Request
	if err := json.Unmarshal(r.job.Request, &asked); err != nil {
		return run.Orders{}, err
	}
	if asked.Run != id {
		return run.Orders{}, run.ErrSuperseded
	}
	phone := ""
	if report.Serial != "" {
		phone, report.Serial = r.server.secret.PhoneHash(report.Serial), ""
	}
	for wait := 100 * time.Millisecond; ; wait = min(2*wait, 5*time.Second) {
		orders, err := r.server.store.Advance(ctx, id, phone, report)
		if err == nil || ctx.Err() != nil || errors.Is(err, run.ErrSuperseded) || errors.Is(err, store.ErrNotFound) {
			return orders, err
		}
		r.server.log.Warn("the journal of a run can't be written; nothing is sent until it can", "run", id, "err", err)
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return run.Orders{}, ctx.Err()
		}
	}
}

// interrupt ends an attempt at a run that its bench could not go on with, where
// the bench did not say so itself.
func (s *Server) interrupt(ctx context.Context, job store.Job, why string) error {
	var asked bench.Request
	if err := json.Unmarshal(job.Request, &asked); err != nil {
		return err
	}
	_, err := s.store.Advance(ctx, asked.Run, "", run.Report{Attempt: asked.Attempt, End: "interrupted", Why: why})
	if errors.Is(err, run.ErrSuperseded) {
		return nil
	}
	return err
}

// looked takes the result of a look for a run.
func (s *Server) looked(ctx context.Context, job store.Job, value any) error {
	var asked bench.Request
	if err := json.Unmarshal(job.Request, &asked); err != nil {
		return err
	}
	raw, err := json.Marshal(value)
	if err != nil {
		return err
	}
	var l bench.Looked
	if err := json.Unmarshal(raw, &l); err != nil || l.Seen == nil {
		return err
	}
	return s.store.Looked(ctx, asked.Run, s.secret.PhoneHash(l.Serial), l.Seen)
}

// keepRuns ends runs whose benches have gone, looks at their phones when they
// are back, and reminds people of check lists that are due.
func (s *Server) keepRuns(ctx context.Context) {
	remind := time.Time{}
	for every := time.NewTicker(3 * time.Second); ; {
		select {
		case <-every.C:
		case <-ctx.Done():
			every.Stop()
			return
		}
		list, err := s.store.LapseRuns(ctx)
		if err != nil {
			s.log.Debug("interrupted runs can't be looked for", "err", err)
			continue
		}
		s.lookWhereBack(ctx, list)
		if time.Since(remind) > time.Minute {
			remind = time.Now()
			if err := s.store.RemindOfRuns(ctx); err != nil {
				s.log.Warn("nobody can be reminded of check lists", "err", err)
			}
		}
	}
}

// lookWhereBack looks at the phones of interrupted runs that are attached again.
func (s *Server) lookWhereBack(ctx context.Context, list []store.Unsettled) {
	if len(list) == 0 {
		return
	}
	attached, err := s.attached(ctx)
	if err != nil {
		s.log.Debug("nobody can tell which phones are back", "err", err)
		return
	}
	for _, u := range list {
		here, back := attached[u.Phone]
		if !back {
			continue
		}
		if _, err := s.askForLook(ctx, u.ID, u.Person, here); err != nil {
			s.log.Warn("the phone of an interrupted run can't be looked at", "run", u.ID, "err", err)
		}
	}
}

// endBackup writes what a backup, or a check of one, has come to.
func (s *Server) endBackup(ctx context.Context, job store.Job, value any, wrong string) error {
	var asked bench.Request
	if err := json.Unmarshal(job.Request, &asked); err != nil {
		return err
	}
	var end *bench.BackupEnd
	if raw, err := json.Marshal(value); err == nil && string(raw) != "null" {
		if err := json.Unmarshal(raw, &end); err != nil {
			return errors.Join(err, s.store.EndBackup(ctx, asked.Backup, nil, false))
		}
	}
	whole := wrong == "" && end != nil && len(end.Wrong) == 0
	if job.Kind == bench.KindBackup {
		return s.store.EndBackup(ctx, asked.Backup, end, whole)
	}
	if whole {
		return s.store.VerifiedBackup(ctx, asked.Backup)
	}
	return nil
}
