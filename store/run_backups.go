package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/run"
)

// Backup is a set of package files that a bench keeps of a phone.
type Backup struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	Phone     string          `db:"phone" json:"phone" doc:"Keyed hash of the serial number"`
	PhoneName string          `db:"phone_name" json:"phoneName"`
	BenchID   uuid.UUID       `db:"bench_id" json:"benchId"`
	Bench     string          `db:"bench" json:"bench"`
	Person    string          `db:"person" json:"person"`
	PersonID  uuid.UUID       `db:"person_id" json:"personId"`
	Packages  []string        `db:"packages" json:"packages" nullable:"false"`
	Settings  bool            `db:"settings" json:"settings"`
	Result    json.RawMessage `db:"result" json:"-"`
	State     string          `db:"state" json:"state" enum:"going,whole,partly"`
	MadeAt    time.Time       `db:"made_at" json:"madeAt"`
	// VerifiedAt is when all of it was last found to be as it was saved.
	VerifiedAt *time.Time `db:"verified_at" json:"verifiedAt,omitempty"`
	// Kept is one that stays until somebody says otherwise.
	Kept bool `db:"kept" json:"kept"`
	// Runs are those of the phone that were begun after it and before the next.
	Runs []BackedUp `db:"runs" json:"runs" nullable:"false"`
	// OpenRun is the number of a run of the phone that is open, DueRun that of one
	// whose check list waits for answers; 0 for none.
	OpenRun int64 `db:"open_run" json:"openRun"`
	DueRun  int64 `db:"due_run" json:"dueRun"`
}

// BackedUp is a run that a backup was made before.
type BackedUp struct {
	ID     uuid.UUID `json:"id"`
	Number int64     `json:"number"`
}

// Ends is when the rule deletes the backup, nil where it does not: it is kept, a
// run of the phone is open, a check list waits for answers, or there is no such
// rule, which 0 days are.
func (b Backup) Ends(days int) *time.Time {
	if b.Kept || b.OpenRun != 0 || b.DueRun != 0 || days == 0 {
		return nil
	}
	at := b.MadeAt.AddDate(0, 0, days)
	return &at
}

// openRun and dueRun are the runs of the phone of a backup k for whose sake it
// stays.
const (
	openRun = `coalesce((select max(r.number)
			from runs r
			where r.phone = k.phone and r.state in ('going', 'stopped', 'held', 'interrupted')), 0)`
	dueRun = `coalesce((select max(r.number)
			from runs r
			where r.phone = k.phone and r.state = 'finished'
			and exists (select from run_checks c where c.run_id = r.id and c.answer = '')), 0)`
)

const backupColumns = `
	select k.id, k.phone, k.phone_name, k.bench_id, b.name as bench, p.name as person, k.person_id,
		k.packages, k.settings, k.result, k.state, k.made_at, k.verified_at, k.kept,
		` + openRun + ` as open_run, ` + dueRun + ` as due_run,
		coalesce((select jsonb_agg(jsonb_build_object('id', r.id, 'number', r.number) order by r.number)
			from runs r
			where r.phone = k.phone and r.started_at >= k.made_at
			and r.started_at < coalesce((select min(n.made_at)
				from backups n
				where n.phone = k.phone and n.made_at > k.made_at), 'infinity')), '[]') as runs
	from backups k
	join benches b on b.id = k.bench_id
	join people p on p.id = k.person_id
	where k.deleted_at is null`

// Backups lists the backups of a phone that are there, newest first.
func (s *Store) Backups(ctx context.Context, phone string, limit int) ([]Backup, error) {
	rows, err := s.pool.Query(ctx, backupColumns+` and k.phone = $1 order by k.made_at desc limit $2`, phone, limit)
	return collectRows[Backup](rows, err)
}

// AllBackups lists the backups that are there, newest first: those after one of
// them where after is set.
func (s *Store) AllBackups(ctx context.Context, after *uuid.UUID, limit int) ([]Backup, error) {
	rows, err := s.pool.Query(ctx, backupColumns+`
		and ($1::uuid is null or (k.made_at, k.id) < (select a.made_at, a.id from backups a where a.id = $1))
		order by k.made_at desc, k.id desc
		limit $2`, after, limit)
	return collectRows[Backup](rows, err)
}

// BackupByID reads a backup that is there.
func (s *Store) BackupByID(ctx context.Context, id uuid.UUID) (Backup, error) {
	rows, err := s.pool.Query(ctx, backupColumns+` and k.id = $1`, id)
	return one[Backup](rows, err)
}

// ErrDeleting says that a bench was asked to delete a backup, and may have.
var ErrDeleting = errors.New("the backup is being deleted")

// KeepBackup has a backup stay until somebody says otherwise, or lets the rule
// have it again. It fails with ErrDeleting where that would come too late.
func (s *Store) KeepBackup(ctx context.Context, id, person uuid.UUID, keep bool) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var late bool
		err := tx.QueryRow(ctx, `
			update backups k set kept = $2
			where id = $1 and deleted_at is null
			returning coalesce(k.asked_at, '-infinity') > now() - interval '10 seconds'
				or exists (select from jobs j
					where j.kind = 'discard' and j.state in ('waiting', 'running')
					and j.request ->> 'backup' = k.id::text)`, id, keep).Scan(&late)
		switch {
		case isNone(err):
			return ErrNotFound
		case err == nil && late && keep:
			return ErrDeleting
		case err != nil:
			return err
		}
		action := "backup.kept"
		if !keep {
			action = "backup.let-go"
		}
		return record(ctx, tx, Act{Person: person, Action: action, Subject: id.String()})
	})
}

// EndedBackups are those that the rule has had for longer than days, whose
// benches are there and were not asked to delete them in the last hours; each is
// taken for asked from now on. PersonID is in whose name to ask.
func (s *Store) EndedBackups(ctx context.Context, days int, present []uuid.UUID) ([]EndedBackup, error) {
	rows, err := s.pool.Query(ctx, `
		update backups k set asked_at = now()
		where k.deleted_at is null and not k.kept and k.state <> 'going'
			and k.made_at < now() - make_interval(days => $1)
			and k.bench_id = any($2) and coalesce(k.asked_at, '-infinity') < now() - interval '6 hours'
			and `+openRun+` = 0 and `+dueRun+` = 0
		returning k.id, k.bench_id, k.person_id`, days, present)
	return collectRows[EndedBackup](rows, err)
}

// EndedBackup is a backup that is to be deleted by the rule.
type EndedBackup struct {
	ID       uuid.UUID `db:"id"`
	BenchID  uuid.UUID `db:"bench_id"`
	PersonID uuid.UUID `db:"person_id"`
}

// BackupDeleted writes down that the files of a backup are gone: by whom, or by
// the rule where that is nil, of which whoever made it is told.
func (s *Store) BackupDeleted(ctx context.Context, id uuid.UUID, by *uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var maker uuid.UUID
		var phone string
		var made time.Time
		err := tx.QueryRow(ctx, `
			update backups set deleted_at = now(), deleted_by = $2
			where id = $1 and deleted_at is null
			returning person_id, phone_name, made_at`, id, by).Scan(&maker, &phone, &made)
		if isNone(err) {
			return nil // it was gone before
		}
		if err != nil {
			return err
		}
		if by != nil {
			return record(ctx, tx, Act{Person: *by, Action: "backup.deleted", Subject: id.String()})
		}
		if err := record(ctx, tx, Act{Action: "backup.ended", Subject: id.String()}); err != nil {
			return err
		}
		words := fmt.Sprintf("What was saved of %s on %s was deleted: it was kept for as long as the installation's rules say.",
			phone, made.UTC().Format("2 January 2006"))
		return addNotices(ctx, tx, []uuid.UUID{maker}, NewNotice{Kind: "backup-ended", Words: words})
	})
}

// AddBackup writes down that a backup is made, and asks its bench for it.
func (s *Store) AddBackup(ctx context.Context, b Backup, person uuid.UUID, ask func(id uuid.UUID) Ask) (id, job uuid.UUID, err error) {
	id = NewID()
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `
			insert into backups (id, phone, phone_name, bench_id, person_id, packages, settings)
			values ($1, $2, $3, $4, $5, $6, $7)`,
			id, b.Phone, b.PhoneName, b.BenchID, person, b.Packages, b.Settings)
		if err != nil {
			return err
		}
		if job, err = addJob(ctx, tx, person, ask(id)); err != nil {
			return err
		}
		return record(ctx, tx, Act{Person: person, Action: "backup.made", Subject: id.String()})
	})
	return id, job, err
}

// addSavedFolders notes what a bench saved of packages' folders before they were
// erased.
func addSavedFolders(ctx context.Context, tx pgx.Tx, id uuid.UUID, list []run.SavedFolder) error {
	for _, one := range list {
		if err := addSavedFolder(ctx, tx, id, one); err != nil {
			return err
		}
	}
	return nil
}

// addSavedFolder notes what was saved of one: in a backup with the run's identity,
// which stays until somebody says otherwise. What is told twice is noted once.
func addSavedFolder(ctx context.Context, tx pgx.Tx, id uuid.UUID, f run.SavedFolder) error {
	result, err := json.Marshal(map[string]any{"packages": 1, "files": f.Files, "bytes": f.Bytes, "settings": false,
		"folder": android.Printable(f.Folder, 1000), "wrong": []any{}})
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		insert into backups as k (id, phone, phone_name, bench_id, person_id, packages, settings, result, state, kept)
		select r.id, r.phone, r.phone_name, r.bench_id, r.person_id, array[$2::text], false, $3::jsonb, 'whole', true
		from runs r where r.id = $1
		on conflict (id) do update set deleted_at = null, packages = k.packages || excluded.packages,
			result = excluded.result || jsonb_build_object(
				'packages', (k.result ->> 'packages')::int + 1,
				'files', (k.result ->> 'files')::int + (excluded.result ->> 'files')::int,
				'bytes', (k.result ->> 'bytes')::bigint + (excluded.result ->> 'bytes')::bigint)
		where not (k.packages @> excluded.packages)`, id, string(f.Package), result)
	return err
}

// EndBackup writes what a backup has come to: whole, or partly.
func (s *Store) EndBackup(ctx context.Context, id uuid.UUID, result any, whole bool) error {
	raw, err := json.Marshal(result)
	if err != nil {
		return err
	}
	state := "partly"
	if whole {
		state = "whole"
	}
	_, err = s.pool.Exec(ctx, `
		update backups
		set result = coalesce(nullif($2::jsonb, 'null'), result), state = $3
		where id = $1`, id, raw, state)
	return err
}

// VerifiedBackup writes that all of a backup was found to be as it was saved.
func (s *Store) VerifiedBackup(ctx context.Context, id uuid.UUID) error {
	_, err := s.pool.Exec(ctx, `update backups set verified_at = now() where id = $1`, id)
	return err
}
