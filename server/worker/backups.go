package worker

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/store"
)

// byRule is what a request to delete a backup has as With where no person wants
// it, but the rule.
const byRule = "rule"

// endBackup writes what a backup, or a check of one, has come to.
func (w *Worker) endBackup(ctx context.Context, job store.Job, value any, wrong string) error {
	asked, err := requestOf(job)
	if err != nil {
		return err
	}
	var end *bench.BackupEnd
	if raw, err := json.Marshal(value); err == nil && string(raw) != "null" {
		if err := json.Unmarshal(raw, &end); err != nil {
			return errors.Join(err, w.store.EndBackup(ctx, asked.Backup, nil, false))
		}
	}
	whole := wrong == "" && end != nil && len(end.Wrong) == 0
	if job.Kind == bench.KindBackup {
		return w.store.EndBackup(ctx, asked.Backup, end, whole)
	}
	if whole {
		return w.store.VerifiedBackup(ctx, asked.Backup)
	}
	return nil
}

// discarded writes down that a bench has deleted a backup.
func (w *Worker) discarded(ctx context.Context, job store.Job) error {
	asked, err := requestOf(job)
	if err != nil {
		return err
	}
	by := &job.PersonID
	if asked.With == byRule {
		by = nil
	}
	return w.store.BackupDeleted(ctx, asked.Backup, by)
}

// keepBackups has benches delete what they have kept for as long as the rule
// says, and lets go of package files that no bench has fetched within a day.
func (w *Worker) keepBackups(ctx context.Context) {
	each(ctx, 15*time.Second, func() {
		if err := w.EndBackups(ctx); err != nil {
			w.log.Debug("what was saved of phones can't be looked through", "err", err)
		}
		if err := w.store.DropHandedFiles(ctx, nil); err != nil {
			w.log.Debug("package files that no bench has fetched can't be deleted", "err", err)
		}
	})
}

// EndBackups asks the benches that are there to delete the backups whose time is
// over. A bench that is away is asked when it is back.
func (w *Worker) EndBackups(ctx context.Context) error {
	rules, _, err := w.store.InstallationRules(ctx)
	if err != nil || rules.BackupDays == 0 {
		return err
	}
	benches, err := w.store.Benches(ctx)
	if err != nil {
		return err
	}
	var present []uuid.UUID
	for _, b := range benches {
		if !b.Away {
			present = append(present, b.ID)
		}
	}
	list, err := w.store.EndedBackups(ctx, rules.BackupDays, present)
	if err != nil {
		return err
	}
	for _, b := range list {
		r := bench.Request{Kind: bench.KindDiscard, Backup: b.ID, With: byRule}
		if _, err := w.store.AddJob(ctx, b.PersonID, Ask(b.BenchID, r)); err != nil {
			return err
		}
		w.log.Info("a backup's time is over: its bench is asked to delete it", "backup", b.ID, "bench", b.BenchID)
	}
	return nil
}
