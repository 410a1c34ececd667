package store

import (
	"context"
	"crypto/sha256"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Notice is something that a person is told.
type Notice struct {
	ID uuid.UUID `db:"id" json:"id"`
	// Kind is decided, comment, asked, revised, publish-asked,
	// publish-published, publish-returned, publish-outdated, withdrawn, stops, lifted, check-due, backup-ended,
	// or for those who follow something followed-package, followed-model or
	// followed-release.
	Kind     string     `db:"kind" json:"kind"`
	ChangeID *uuid.UUID `db:"change_id" json:"changeId,omitempty"`
	Change   int64      `db:"change" json:"change"`
	Title    string     `db:"title" json:"title"`
	// Profile is what it is about where that is not a change.
	ProfileID *uuid.UUID `db:"profile_id" json:"profileId,omitempty"`
	// RunID is the run whose check list is due.
	RunID *uuid.UUID `db:"run_id" json:"runId,omitempty"`
	// Package and BuildID are what is followed, or what a release meets.
	Package string     `db:"package" json:"package"`
	BuildID *uuid.UUID `db:"build_id" json:"buildId,omitempty"`
	Maker   string     `db:"maker" json:"maker"`
	Model   string     `db:"model" json:"model"`
	By      string     `db:"by" json:"by"`
	Words   string     `db:"words" json:"words"`
	At      time.Time  `db:"at" json:"at"`
	Read    bool       `db:"read" json:"read"`
}

// NewNotice is something that people are to be told.
type NewNotice struct {
	Kind                        string
	Change, Profile, Run, Build *uuid.UUID
	Package                     *uuid.UUID
	// By is who caused it, who is not told; nil where nobody did.
	By    *uuid.UUID
	Words string
}

// addNotices leaves a notice for people.
func addNotices(ctx context.Context, tx pgx.Tx, people []uuid.UUID, t NewNotice) error {
	if len(people) == 0 {
		return nil
	}
	_, err := tx.Exec(ctx, `
		insert into notices (id, person_id, kind, change_id, profile_id, run_id, package_id, build_id, by_id, words)
		select gen_random_uuid(), p.id, $2, $3, $4, $5, $6, $7, $8, $9
		from people p
		where p.id = any($1) and p.id is distinct from $8 and p.removed_at is null`,
		people, t.Kind, t.Change, t.Profile, t.Run, t.Package, t.Build, t.By, t.Words)
	if err != nil {
		return err
	}
	return notify(ctx, tx, Event{Topic: NoticesAdded})
}

// addChangeNotices leaves a notice about a change.
func addChangeNotices(ctx context.Context, tx pgx.Tx, people []uuid.UUID, kind string, change, by uuid.UUID, words string) error {
	return addNotices(ctx, tx, people, NewNotice{Kind: kind, Change: &change, By: &by, Words: words})
}

// tellMaintainers tells all who can publish of something about a profile.
func tellMaintainers(ctx context.Context, tx pgx.Tx, kind string, profile, by uuid.UUID, words string) error {
	rows, err := tx.Query(ctx, `select id from people where role in ('maintainer', 'keeper') and removed_at is null`)
	if err != nil {
		return err
	}
	people, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return err
	}
	return addNotices(ctx, tx, people, NewNotice{Kind: kind, Profile: &profile, By: &by, Words: words})
}

const noticeColumns = `
	select n.id, n.kind, n.change_id, coalesce(c.number, 0) as change,
		coalesce(c.title, d.name || ': ' || f.name, k.name, bd.name, '') as title, n.profile_id, n.run_id,
		coalesce(k.name, '') as package, n.build_id, coalesce(mm.slug, '') as maker, coalesce(bd.slug, '') as model,
			coalesce(b.name, '') as by, n.words, n.at, n.read_at is not null as read
	from notices n left join changes c on c.id = n.change_id left join people b on b.id = n.by_id
		left join profiles f on f.id = n.profile_id left join models d on d.id = f.model_id
		left
		join packages k on k.id = n.package_id
		left join builds w on w.id = n.build_id
		left join models bd on bd.id = w.model_id
		left join makers mm on mm.id = bd.maker_id`

// Notices lists what a person was told, newest first.
func (s *Store) Notices(ctx context.Context, person uuid.UUID, limit int) ([]Notice, error) {
	rows, err := s.pool.Query(ctx, noticeColumns+` where n.person_id = $1 order by n.at desc, n.id desc limit $2`,
		person, limit)
	return collectRows[Notice](rows, err)
}

// UnreadNotices counts what a person has not read yet.
func (s *Store) UnreadNotices(ctx context.Context, person uuid.UUID) (n int, err error) {
	err = s.pool.QueryRow(ctx, `
		select count(*)::int from notices where person_id = $1 and read_at is null`, person).Scan(&n)
	return n, err
}

// ReadNotices marks what a person was told until a moment as read.
func (s *Store) ReadNotices(ctx context.Context, person uuid.UUID, until time.Time) error {
	_, err := s.pool.Exec(ctx, `
		update notices set read_at = now() where person_id = $1 and read_at is null and at <= $2`, person, until)
	return err
}

// SetFeedKey gives a person's feed a new secret address; an old one ends.
func (s *Store) SetFeedKey(ctx context.Context, person uuid.UUID, key []byte) error {
	hash := sha256.Sum256(key)
	_, err := s.pool.Exec(ctx, `update people set feed_key_hash = $2 where id = $1`, person, hash[:])
	return err
}

// FeedPerson finds whose feed a key is for.
func (s *Store) FeedPerson(ctx context.Context, key []byte) (Person, error) {
	hash := sha256.Sum256(key)
	rows, err := s.pool.Query(ctx, `
		select id, login, name, role from people where feed_key_hash = $1 and removed_at is null`, hash[:])
	return one[Person](rows, err)
}
