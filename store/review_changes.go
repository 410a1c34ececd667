package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/change"
)

// Change is a set of edits that somebody sent.
type Change struct {
	ID       uuid.UUID `db:"id" json:"id"`
	Number   int64     `db:"number" json:"number"`
	AuthorID uuid.UUID `db:"author_id" json:"authorId"`
	Author   string    `db:"author" json:"author"`
	Title    string    `db:"title" json:"title"`
	// Words are why the whole is sent.
	Words string       `db:"words" json:"words"`
	State change.State `db:"state" json:"state" enum:"sent,accepted,returned,turned-down,taken-back"`
	// Revision grows with every decision and every round: a decision names the
	// one it saw. Round counts how often its author has sent it.
	Revision  int        `db:"revision" json:"revision"`
	Round     int        `db:"round" json:"round"`
	SentAt    time.Time  `db:"sent_at" json:"sentAt"`
	DecidedAt *time.Time `db:"decided_at" json:"decidedAt"`
	Edits     int        `db:"edits" json:"edits"`
	Open      int        `db:"open" json:"open"`
	Accepted  int        `db:"accepted" json:"accepted"`
	// ImportedFrom names the list that it was imported from, "" for none;
	// Reverts is the number of the accepted change that it takes back.
	ImportedFrom string `db:"imported_from" json:"importedFrom"`
	Reverts      int64  `db:"reverts" json:"reverts"`
	// RevertedBy is the newest change that takes this one back, 0 for none.
	RevertedBy int64 `db:"reverted_by" json:"revertedBy"`
	// AuthorSent and AuthorAccepted count the author's edits that were ever
	// decided and accepted: their record. AuthorChanges counts the changes of
	// which something was accepted.
	AuthorSent     int `db:"author_sent" json:"authorSent"`
	AuthorAccepted int `db:"author_accepted" json:"authorAccepted"`
	AuthorChanges  int `db:"author_changes" json:"authorChanges"`
	// Touches counts the current releases that take off a package which an
	// open edit is about.
	Touches int `db:"touches" json:"touches"`
	// Half counts open edits that one reviewer has accepted and that need
	// another; AskedMe is true where somebody asked the reader to look.
	Half    int  `db:"half" json:"half"`
	AskedMe bool `db:"asked_me" json:"askedMe"`
}

// changeColumns reads changes as c; $1 is the person who reads.
const changeColumns = `
	select c.id, c.number, c.author_id, a.name as author, c.title, c.words, c.state, c.revision, c.round, c.sent_at,
		c.decided_at,
		n.edits, n.open, n.accepted, n.half, c.imported_from,
			coalesce((select number from changes where id = c.reverts), 0) as reverts,
		coalesce((select max(number) from changes where reverts = c.id and state in ('sent', 'accepted')),
			0) as reverted_by,
		a.decided as author_sent, a.accepted as author_accepted, a.changes_accepted as author_changes, w.touches,
		exists (select from asked q where q.change_id = c.id and q.person_id = $1 and q.answered_at is null) as asked_me
	from changes c join people a on a.id = c.author_id
	cross
	join lateral (select count(*) filter (where state <> 'replaced')::int as edits,
		count(*) filter (where state = 'open')::int as open,
			count(*) filter (where state = 'accepted')::int as accepted,
				count(*) filter (where state = 'open'
					and exists (select from approvals where edit_id = e.id))::int as half
		from edits e where change_id = c.id) n
	cross
	join lateral (select count(distinct r.id)::int as touches
		from edits e
		join release_packages x on x.package_id = e.package_id
		join releases r on r.id = x.release_id
		and r.state = 'current'
		where c.state = 'sent' and e.change_id = c.id and e.state = 'open') w`

// ErrEmptyTray says that there was nothing to send.
var ErrEmptyTray = errors.New("the tray holds none of these edits any more")

// Sending is what a person sends of their tray.
type Sending struct {
	// Key makes a second sending of the same request answer like the first.
	Key string
	// Content tells a request from every other that could have the same key: a
	// digest of what was sent.
	Content string
	Title   string
	Words   string
	Edits   []uuid.UUID
	// ImportedFrom names the list that the edits were read from.
	ImportedFrom string
}

// Send makes a change of edits in a person's tray. Where all of them revise
// one change, they become its next round.
func (s *Store) Send(ctx context.Context, person uuid.UUID, sending Sending) (id uuid.UUID, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		id, err = answeredOnce(ctx, tx, person, sending, func(id uuid.UUID) (uuid.UUID, error) {
			return send(ctx, tx, person, id, sending)
		})
		return err
	})
	return id, err
}

// SendNew makes a change of edits that were in no tray, all or none.
func (s *Store) SendNew(ctx context.Context, person uuid.UUID, sending Sending, edits []NewEdit) (id uuid.UUID, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		id, err = answeredOnce(ctx, tx, person, sending, func(id uuid.UUID) (uuid.UUID, error) {
			return id, sendNew(ctx, tx, person, id, sending, edits)
		})
		return err
	})
	return id, err
}

// ErrOtherContent says that a key stands for another request already.
var ErrOtherContent = errors.New("this Idempotency-Key was used for something else before: nothing was sent")

// answeredOnce does something that makes an id, unless the person's key stands
// for it already: then it answers with that id.
func answeredOnce(ctx context.Context, tx pgx.Tx, person uuid.UUID, sending Sending, do func(id uuid.UUID) (uuid.UUID, error)) (uuid.UUID, error) {
	id := NewID()
	if sending.Key == "" {
		return do(id)
	}
	var before uuid.UUID
	var content string
	err := tx.QueryRow(ctx, `
		insert into answered as a (person_id, key, answer, content)
		values ($1, $2, to_jsonb($3::text), $4)
		on conflict (person_id, key) do update set key = a.key
		returning (answer #>> '{}')::uuid, content`,
		person, sending.Key, id.String(), sending.Content).Scan(&before, &content)
	if err != nil || before != id {
		return before, errors.Join(err, sending.sameAs(content))
	}
	made, err := do(id)
	if err == nil && made != id {
		_, err = tx.Exec(ctx, `
			update answered
			set answer = to_jsonb($3::text)
			where person_id = $1 and key = $2`, person, sending.Key, made.String())
	}
	return made, err
}

// sameAs makes sure that what a key stands for is this sending; before is the
// digest of what it stands for, "" where nobody knows.
func (s Sending) sameAs(before string) error {
	if before != "" && s.Content != "" && before != s.Content {
		return ErrOtherContent
	}
	return nil
}

// Answered finds the change that the key of a sending stands for already, so
// that a retry is answered before anything of it is looked at.
func (s *Store) Answered(ctx context.Context, person uuid.UUID, sending Sending) (id uuid.UUID, ok bool, err error) {
	if sending.Key == "" {
		return id, false, nil
	}
	var content string
	err = s.pool.QueryRow(ctx, `
		select (answer #>> '{}')::uuid, content
		from answered
		where person_id = $1 and key = $2`, person, sending.Key).Scan(&id, &content)
	if isNone(err) {
		return id, false, nil
	}
	err = errors.Join(err, sending.sameAs(content))
	return id, err == nil, err
}

// send moves edits out of a person's tray into a change: a new one with the
// id, or the one that they revise.
func send(ctx context.Context, tx pgx.Tx, person, id uuid.UUID, sending Sending) (uuid.UUID, error) {
	var found, revising int
	var revises, reverts *uuid.UUID
	err := tx.QueryRow(ctx, `
		select count(*)::int, count(revises)::int,
			(array_agg(distinct revises) filter (where revises is not null))[1],
			(array_agg(distinct reverts) filter (where reverts is not null))[1]
		from (select *
			from edits
			where id = any($1) and author_id = $2
				and change_id is null for update) e`, sending.Edits, person).Scan(&found, &revising, &revises, &reverts)
	if err != nil {
		return id, err
	}
	wanted := map[uuid.UUID]bool{}
	for _, edit := range sending.Edits {
		wanted[edit] = true
	}
	if found != len(wanted) || found == 0 {
		return id, ErrEmptyTray
	}
	round, act := 1, "change.sent"
	if revises != nil && revising == found {
		id, act = *revises, "change.revised"
		if round, err = revise(ctx, tx, person, id, sending); err != nil {
			return id, err
		}
	} else if _, err = tx.Exec(ctx, `
		insert into changes (id, author_id, title, words, imported_from, reverts, state)
		values ($1, $2, $3, $4, $5, $6, 'sent')`,
		id, person, sending.Title, sending.Words, sending.ImportedFrom, reverts); err != nil {
		return id, err
	}
	_, err = tx.Exec(ctx, `
		update edits
		set change_id = $1, state = 'open', revises = null, round = $4, words = ''
		where id = any($2) and author_id = $3`, id, sending.Edits, person, round)
	if err != nil {
		return id, err
	}
	return id, recordSending(ctx, tx, person, id, act, found)
}

// recordSending tells everybody that a change waits, and keeps it on record.
func recordSending(ctx context.Context, tx pgx.Tx, person, id uuid.UUID, act string, edits int) error {
	if err := notify(ctx, tx, Event{Topic: ChangesWaiting}); err != nil {
		return err
	}
	if err := notify(ctx, tx, Event{Topic: TrayChanged, ID: person.String()}); err != nil {
		return err
	}
	return record(ctx, tx, Act{Person: person, Action: act, Subject: id.String(), Detail: map[string]int{"edits": edits}})
}

// sendNew writes edits straight into a new change. A tray keeps one edit of a
// field; what lies in the person's own is left alone.
func sendNew(ctx context.Context, tx pgx.Tx, person, id uuid.UUID, sending Sending, edits []NewEdit) error {
	c, _, err := columnsOf(edits)
	if err != nil {
		return err
	}
	if len(c.ids) == 0 {
		return ErrEmptyTray
	}
	if err := c.exist(ctx, tx); err != nil {
		return err
	}
	if err := useAttachments(ctx, tx, person, c.files); err != nil {
		return err
	}
	if _, err = tx.Exec(ctx, `
		insert into changes (id, author_id, title, words, imported_from, state)
		values ($1, $2, $3, $4, $5, 'sent')`,
		id, person, sending.Title, sending.Words, sending.ImportedFrom); err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, change_id,
			base, thread)
		select k.id, $1, k.package, k.field, k.kind, k.scope, nullif(k.value::jsonb, 'null'), k.reason, 'open', $9,
			(select c.value
				from claims c
				where (c.package_id, c.field, c.scope_kind, c.scope_id) = (k.package, k.field, k.kind, k.scope)),
				k.id
		from unnest($2::uuid[], $3::text[], $4::text[], $5::uuid[], $6::uuid[], $7::text[], $8::text[]) k (package,
			field, kind, scope, id, value, reason)`,
		person, c.packages, c.fields, c.kinds, c.scopes, c.ids, c.values, c.whys, id)
	if err != nil {
		return err
	}
	return recordSending(ctx, tx, person, id, "change.sent", len(c.ids))
}

// revise begins the next round of a person's own change: what the edits stand
// in for is replaced, and whoever has looked at it is told.
func revise(ctx context.Context, tx pgx.Tx, person, id uuid.UUID, sending Sending) (round int, err error) {
	var state change.State
	err = tx.QueryRow(ctx, `
		select state from changes where id = $1 and author_id = $2 for update`, id, person).Scan(&state)
	switch {
	case isNone(err):
		return 0, ErrNotFound
	case err != nil:
		return 0, err
	case state != change.Sent && state != change.Returned:
		return 0, ErrState
	}
	_, err = tx.Exec(ctx, `
		update edits
		set state = 'replaced'
		where change_id = $1 and state in ('open', 'returned')
			and thread in (select thread from edits where id = any($2))`, id, sending.Edits)
	if err != nil {
		return 0, err
	}
	err = tx.QueryRow(ctx, `
		update changes
		set state = 'sent', decided_at = null, round = round + 1, revision = revision + 1, title = $2, words = case
			when $3 = '' then words else $3 end
		where id = $1 returning round`, id, sending.Title, sending.Words).Scan(&round)
	if err != nil {
		return 0, err
	}
	rows, err := tx.Query(ctx, `
		select person_id
		from looks
		where change_id = $1
		union select person_id
		from comments
		where change_id = $1
		limit 200`, id)
	if err != nil {
		return 0, err
	}
	people, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return 0, err
	}
	return round, addChangeNotices(ctx, tx, people, "revised", id, person, "")
}

// ChangeQuery says which changes to list.
type ChangeQuery struct {
	State  change.State
	Author uuid.UUID
	// Reader is who reads: what they were asked for is marked.
	Reader uuid.UUID
	// After is the last change of the page before.
	After *QueuePlace
	Limit int
}

// QueuePlace is where a change stands in a list. The queue of open changes has
// first what touches a published profile, then the oldest day, then the better
// record of the sender, then the lower number.
type QueuePlace struct {
	Rank   int   `json:"r"`
	Day    int   `json:"d"`
	Record int   `json:"w"`
	Number int64 `json:"n"`
}

const queueOrder = `(case when w.touches > 0 then 0 else 1 end), (c.sent_at::date - date '2000-01-01'), (case when a.decided > 0 then -100 * a.accepted / a.decided else 0 end), c.number`

// Place is where the change stands in the queue.
func (c Change) Place() QueuePlace {
	p := QueuePlace{Rank: 1, Number: c.Number}
	if c.Touches > 0 {
		p.Rank = 0
	}
	p.Day = int(c.SentAt.UTC().Truncate(24*time.Hour).Sub(time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)).Hours() / 24)
	if c.AuthorSent > 0 {
		p.Record = -100 * c.AuthorAccepted / c.AuthorSent
	}
	return p
}

// Changes lists changes: open ones in the order of the queue, all others
// newest first.
func (s *Store) Changes(ctx context.Context, q ChangeQuery) ([]Change, error) {
	after := QueuePlace{}
	if q.After != nil {
		after = *q.After
	}
	if q.State == change.Sent {
		rows, err := s.pool.Query(ctx, changeColumns+`
			where c.state = 'sent' and ($2 = `+everywhereID+`::uuid or c.author_id = $2)
				and (not $3 or (`+queueOrder+`) > ($4, $5, $6, $7))
			order by `+queueOrder+` limit $8`, q.Reader, q.Author, q.After != nil, after.Rank, after.Day, after.Record, after.Number, q.Limit)
		return collectRows[Change](rows, err)
	}
	rows, err := s.pool.Query(ctx, changeColumns+`
		where ($2 = '' or c.state = $2) and ($3 = `+everywhereID+`::uuid or c.author_id = $3)
			and ($4 = 0 or c.number < $4)
		order by c.number desc limit $5`, q.Reader, q.State, q.Author, after.Number, q.Limit)
	return collectRows[Change](rows, err)
}

// Change reads a change with its edits in the order they were made. For whom it is read decides what is marked as asked.
func (s *Store) Change(ctx context.Context, reader, id uuid.UUID) (Change, []Edit, error) {
	rows, err := s.pool.Query(ctx, changeColumns+` where c.id = $2`, reader, id)
	c, err := one[Change](rows, err)
	if err != nil {
		return c, nil, err
	}
	edits, err := s.editsOf(ctx, id)
	return c, edits, err
}

// ChangeEdits are the edits of a change in the order they were made, and whose they
// are.
func (s *Store) ChangeEdits(ctx context.Context, id uuid.UUID) (author uuid.UUID, edits []Edit, err error) {
	if err = s.pool.QueryRow(ctx, `select author_id from changes where id = $1`, id).Scan(&author); err != nil {
		if isNone(err) {
			err = ErrNotFound
		}
		return author, nil, err
	}
	edits, err = s.editsOf(ctx, id)
	return author, edits, err
}

func (s *Store) editsOf(ctx context.Context, id uuid.UUID) ([]Edit, error) {
	rows, err := s.pool.Query(ctx, editColumns+` where e.change_id = $1 order by e.created_at, e.id limit $2`,
		id, maxTray)
	return readEdits(rows, err)
}

// Waiting counts changes that the person could decide about.
func (s *Store) Waiting(ctx context.Context, person uuid.UUID) (n int, err error) {
	err = s.pool.QueryRow(ctx, `
		select count(*)::int from changes where state = 'sent' and author_id <> $1`, person).Scan(&n)
	return n, err
}

// TakeBack withdraws a sent change; its open edits go back into the tray.
func (s *Store) TakeBack(ctx context.Context, person, id uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var author uuid.UUID
		var state change.State
		err := tx.QueryRow(ctx, `
			select author_id, state from changes where id = $1 for update`, id).Scan(&author, &state)
		switch {
		case isNone(err), err == nil && author != person:
			return ErrNotFound
		case err != nil:
			return err
		case state != change.Sent:
			return ErrState
		}
		_, err = tx.Exec(ctx, `
			update changes
			set state = 'taken-back', decided_at = moment(), revision = revision + 1
			where id = $1`, id)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into edits (id, author_id, package_id, field, scope_kind, scope_id, base, value, reason, state,
				thread, takes)
			select n.id, author_id, package_id, field, scope_kind, scope_id, base, value, reason, 'in-tray', n.id, takes
			from edits, lateral (select gen_random_uuid() as id where edits.id is not null) n
			where change_id = $1 and state = 'open'`, id)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update edits set state = 'taken-back' where change_id = $1 and state = 'open'`, id)
		if err != nil {
			return err
		}
		return recordSending(ctx, tx, person, id, "change.taken-back", 0)
	})
}

// ConflictError says that an edit meets a field that somebody else has set to
// a third value since the edit was made.
type ConflictError struct {
	Edit    uuid.UUID
	Package string
	Field   string
}

func (e *ConflictError) Error() string {
	return fmt.Sprintf("the %s of %s has been changed since this edit was made; nothing was written", e.Field, e.Package)
}
