package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Backup is a set of package files that a bench keeps of a phone.
type Backup struct {
	ID        uuid.UUID       `db:"id" json:"id"`
	Phone     string          `db:"phone" json:"phone" doc:"Keyed hash of the serial number"`
	PhoneName string          `db:"phone_name" json:"phoneName"`
	BenchID   uuid.UUID       `db:"bench_id" json:"benchId"`
	Bench     string          `db:"bench" json:"bench"`
	Person    string          `db:"person" json:"person"`
	Packages  []string        `db:"packages" json:"packages" nullable:"false"`
	Settings  bool            `db:"settings" json:"settings"`
	Result    json.RawMessage `db:"result" json:"-"`
	State     string          `db:"state" json:"state" enum:"going,whole,partly"`
	MadeAt    time.Time       `db:"made_at" json:"madeAt"`
	// VerifiedAt is when all of it was last found to be as it was saved.
	VerifiedAt *time.Time `db:"verified_at" json:"verifiedAt,omitempty"`
}

const backupColumns = `
	select k.id, k.phone, k.phone_name, k.bench_id, b.name as bench, p.name as person, k.packages, k.settings,
		k.result, k.state, k.made_at, k.verified_at
	from backups k join benches b on b.id = k.bench_id join people p on p.id = k.person_id`

// Backups lists the backups of a phone, newest first.
func (s *Store) Backups(ctx context.Context, phone string, limit int) ([]Backup, error) {
	rows, err := s.pool.Query(ctx, backupColumns+` where k.phone = $1 order by k.made_at desc limit $2`, phone, limit)
	return collectRows[Backup](rows, err)
}

// BackupByID reads a backup.
func (s *Store) BackupByID(ctx context.Context, id uuid.UUID) (Backup, error) {
	rows, err := s.pool.Query(ctx, backupColumns+` where k.id = $1`, id)
	return one[Backup](rows, err)
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
