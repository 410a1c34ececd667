package store

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Comment is what somebody said about a change or one of its edits.
type Comment struct {
	ID uuid.UUID `db:"id" json:"id"`
	// Thread is the edit's; nil for the change as a whole.
	Thread *uuid.UUID `db:"thread" json:"thread,omitempty"`
	Person string     `db:"person" json:"person"`
	Text   string     `db:"text" json:"text"`
	At     time.Time  `db:"at" json:"at"`
}

// Asked is a person who was asked to look at a change.
type Asked struct {
	PersonID uuid.UUID `db:"person_id" json:"personId"`
	Person   string    `db:"person" json:"person"`
	By       string    `db:"by" json:"by"`
	Words    string    `db:"words" json:"words"`
	At       time.Time `db:"at" json:"at"`
	Answered bool      `db:"answered" json:"answered"`
}

// Talk is what was said around a change.
type Talk struct {
	Comments []Comment `json:"comments" nullable:"false"`
	Asked    []Asked   `json:"asked" nullable:"false"`
	// LookedAt is when the reader last looked; nil the first time.
	LookedAt *time.Time `json:"lookedAt,omitempty"`
}

const maxComments = 1000

// TalkOf reads what was said around a change.
func (s *Store) TalkOf(ctx context.Context, reader, change uuid.UUID) (t Talk, err error) {
	rows, err := s.pool.Query(ctx, `
		select c.id, c.thread, p.name as person, c.text, c.at
		from comments c
		join people p on p.id = c.person_id
		where c.change_id = $1
		order by c.at, c.id
		limit $2`, change, maxComments)
	if t.Comments, err = collectRows[Comment](rows, err); err != nil {
		return t, err
	}
	rows, err = s.pool.Query(ctx, `
		select a.person_id, p.name as person, b.name as by, a.words, a.at, a.answered_at is not null as answered
		from asked a
		join people p on p.id = a.person_id
		join people b on b.id = a.asked_by
		where a.change_id = $1
		order by a.at
		limit 100`, change)
	if t.Asked, err = collectRows[Asked](rows, err); err != nil {
		return t, err
	}
	err = s.pool.QueryRow(ctx, `
		select at from looks where change_id = $1 and person_id = $2`, change, reader).Scan(&t.LookedAt)
	if isNone(err) {
		err = nil
	}
	return t, err
}

// Look notes that somebody has looked at a change as it was at a moment.
func (s *Store) Look(ctx context.Context, person, change uuid.UUID, at time.Time) error {
	_, err := s.pool.Exec(ctx, `
		insert into looks as l (change_id, person_id, at) select $1, $2, least($3, now()) from changes where id = $1
		on conflict (change_id, person_id) do update set at = greatest(l.at, excluded.at)`, change, person, at)
	return err
}

// Comment says something about a change, or about one of its edits by thread.
// Its author, and whoever has spoken there before, is told.
func (s *Store) Comment(ctx context.Context, person, change uuid.UUID, thread *uuid.UUID, text string) (id uuid.UUID, err error) {
	id = NewID()
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			insert into comments (id, change_id, thread, person_id, text) select $1, c.id, $3, $4, $5 from changes c
			where c.id = $2
				and ($3::uuid is null
					or exists (select from edits
						where change_id = c.id and thread = $3))`, id, change, thread, person, text)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `
			select author_id
			from changes
			where id = $1
			union select person_id
			from comments
			where change_id = $1
			limit 200`, change)
		if err != nil {
			return err
		}
		people, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `
			update asked
			set answered_at = moment()
			where change_id = $1 and person_id = $2 and answered_at is null`, change, person); err != nil {
			return err
		}
		if err := addChangeNotices(ctx, tx, people, "comment", change, person, text); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: ChangesWaiting})
	})
	return id, err
}

// Ask asks a person to look at a change; asking again replaces the words.
func (s *Store) Ask(ctx context.Context, by, change, person uuid.UUID, words string) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `
			insert into asked as a (change_id, person_id, asked_by, words)
			select c.id, p.id, $3, $4
			from changes c, people p
			where c.id = $1 and c.state = 'sent' and p.id = $2 and p.removed_at is null
			on conflict (change_id, person_id)
			do update set asked_by = excluded.asked_by, words = excluded.words, at = moment(),
				answered_at = null`, change, person, by, words)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := addChangeNotices(ctx, tx, []uuid.UUID{person}, "asked", change, by, words); err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: ChangesWaiting})
	})
}

// ErrNothingStands says that nothing of a change is in the catalogue.
var ErrNothingStands = errors.New("nothing of this change stands in the catalogue")

// Revert puts into a person's tray what takes the accepted edits of a change
// back: a field to what it held before, a trial or source out again. It counts
// them, and those that have moved on since, which will meet a conflict.
// Nothing happens before that is sent and accepted like any other change.
func (s *Store) Revert(ctx context.Context, person, change uuid.UUID) (edits, moved int, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var state string
		err := tx.QueryRow(ctx, `select state from changes where id = $1`, change).Scan(&state)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		// What the tray holds of the same fields gives way.
		_, err = tx.Exec(ctx, `
			delete from edits t using history h where t.author_id = $1 and t.change_id is null and h.change_id = $2
				and (t.package_id, t.field, t.scope_kind, t.scope_id) = (h.package_id, h.field, h.scope_kind,
					h.scope_id)
					and (t.field not in ('trial', 'source') or t.takes = h.edit_id)`, person, change)
		if err != nil {
			return err
		}
		// The base is what the change had written: where somebody has written
		// since, the three values are shown. A taken-out trial is brought anew.
		err = tx.QueryRow(ctx, `
			with n as (
				select gen_random_uuid() as new_id, h.*, h.field in ('trial', 'source')
					and h.after is not null as out, c.value as now
				from history h
				left
					join claims c on (c.package_id, c.field, c.scope_kind, c.scope_id) = (h.package_id, h.field,
						h.scope_kind, h.scope_id)
				where h.change_id = $2),
			added as (
				insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, base,
					thread, reverts, takes)
				select new_id, $1, package_id, field, scope_kind, scope_id, case when out then null
					else before end, '', 'in-tray', after, new_id, $2, case when out then edit_id end
				from n
				where case
					when out then exists (select from trials where id = n.edit_id)
						or exists (select from sources where id = n.edit_id)
					when field = 'trial' then not exists (select from trials t
						where t.package_id = n.package_id and t.phone = before ->> 'phone'
							and t.build_id::text = before ->> 'build'
						and t.method = before ->> 'method' and t.outcome = before ->> 'outcome')
					when field = 'source' then not exists (select from sources s
						where s.package_id = n.package_id and s.title = before ->> 'title'
							and s.link = coalesce(before ->> 'link', ''))
					else now is distinct from before end
				returning id)
			select (select count(*) from added)::int,
				(select count(*)
					from n
					where field not in ('trial', 'source') and now is distinct from after
						and now is distinct from before)::int`, person, change).Scan(&edits, &moved)
		if err != nil {
			return err
		}
		if edits == 0 {
			return ErrNothingStands
		}
		return notify(ctx, tx, Event{Topic: TrayChanged, ID: person.String()})
	})
	return edits, moved, err
}
