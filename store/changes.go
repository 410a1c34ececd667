package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Change is a set of edits that somebody sent.
type Change struct {
	ID       uuid.UUID `db:"id" json:"id"`
	Number   int64     `db:"number" json:"number"`
	AuthorID uuid.UUID `db:"author_id" json:"authorId"`
	Author   string    `db:"author" json:"author"`
	Title    string    `db:"title" json:"title"`
	State    string    `db:"state" json:"state" enum:"sent,accepted,returned,turned-down,taken-back"`
	// Revision grows with every decision: a decision names the one it saw.
	Revision  int        `db:"revision" json:"revision"`
	SentAt    time.Time  `db:"sent_at" json:"sentAt"`
	DecidedAt *time.Time `db:"decided_at" json:"decidedAt"`
	Edits     int        `db:"edits" json:"edits"`
	Open      int        `db:"open" json:"open"`
	Accepted  int        `db:"accepted" json:"accepted"`
	// AuthorSent and AuthorAccepted count the author's edits that were ever
	// decided and accepted: their record.
	AuthorSent     int `db:"author_sent" json:"authorSent"`
	AuthorAccepted int `db:"author_accepted" json:"authorAccepted"`
}

const changeColumns = `
	select c.id, c.number, c.author_id, a.name as author, c.title, c.state, c.revision, c.sent_at, c.decided_at,
		n.edits, n.open, n.accepted, h.author_sent, h.author_accepted
	from changes c join people a on a.id = c.author_id
	cross join lateral (select count(*)::int as edits, count(*) filter (where state = 'open')::int as open, count(*) filter (where state = 'accepted')::int as accepted
		from edits where change_id = c.id) n
	cross join lateral (select count(*) filter (where state <> 'open')::int as author_sent, count(*) filter (where state = 'accepted')::int as author_accepted
		from edits where author_id = c.author_id and change_id is not null) h`

// ErrEmptyTray says that there was nothing to send.
var ErrEmptyTray = errors.New("the tray holds none of these edits any more")

// Send makes a change of edits in a person's tray. The key makes a second
// sending of the same request answer like the first.
func (s *Store) Send(ctx context.Context, person uuid.UUID, key, title string, edits []uuid.UUID) (uuid.UUID, error) {
	id := NewID()
	err := s.inTx(ctx, func(tx pgx.Tx) error {
		if key != "" {
			var before uuid.UUID
			err := tx.QueryRow(ctx, `
				insert into answered as a (person_id, key, answer) values ($1, $2, to_jsonb($3::text))
				on conflict (person_id, key) do update set key = a.key returning (answer #>> '{}')::uuid`, person, key, id.String()).Scan(&before)
			if err != nil {
				return err
			}
			if before != id {
				id = before
				return nil
			}
		}
		if _, err := tx.Exec(ctx, `insert into changes (id, author_id, title, state) values ($1, $2, $3, 'sent')`, id, person, title); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `update edits set change_id = $1, state = 'open' where id = any($2) and author_id = $3 and change_id is null`, id, edits, person)
		if err != nil {
			return err
		}
		if int(tag.RowsAffected()) != len(edits) || len(edits) == 0 {
			return ErrEmptyTray
		}
		return notify(ctx, tx, Event{Topic: "changes"})
	})
	return id, err
}

// ChangeQuery says which changes to list.
type ChangeQuery struct {
	State  string
	Author uuid.UUID
	// After is the last number of the page before, 0 for the first page.
	After int64
	Limit int
}

// Changes lists changes; open ones oldest first, since they wait, all others
// newest first.
func (s *Store) Changes(ctx context.Context, q ChangeQuery) ([]Change, error) {
	order, beyond := `c.number desc`, `($3 = 0 or c.number < $3)`
	if q.State == "sent" {
		order, beyond = `c.number`, `c.number > $3`
	}
	rows, err := s.pool.Query(ctx, changeColumns+`
		where ($1 = '' or c.state = $1) and ($2 = '00000000-0000-0000-0000-000000000000'::uuid or c.author_id = $2) and `+beyond+`
		order by `+order+` limit $4`, q.State, q.Author, q.After, q.Limit)
	return all[Change](rows, err)
}

// Change reads a change with its edits in the order they were made.
func (s *Store) Change(ctx context.Context, id uuid.UUID) (Change, []Edit, error) {
	rows, err := s.pool.Query(ctx, changeColumns+` where c.id = $1`, id)
	c, err := one[Change](rows, err)
	if err != nil {
		return c, nil, err
	}
	rows, err = s.pool.Query(ctx, editColumns+` where e.change_id = $1 order by e.created_at, e.id limit $2`, id, maxTray)
	edits, err := all[Edit](rows, err)
	return c, edits, err
}

// Waiting counts changes that the person could decide about.
func (s *Store) Waiting(ctx context.Context, person uuid.UUID) (n int, err error) {
	err = s.pool.QueryRow(ctx, `select count(*)::int from changes where state = 'sent' and author_id <> $1`, person).Scan(&n)
	return n, err
}

// TakeBack withdraws a sent change; its open edits go back into the tray.
func (s *Store) TakeBack(ctx context.Context, person, id uuid.UUID) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var author uuid.UUID
		var state string
		err := tx.QueryRow(ctx, `select author_id, state from changes where id = $1 for update`, id).Scan(&author, &state)
		switch {
		case isNone(err), err == nil && author != person:
			return ErrNotFound
		case err != nil:
			return err
		case state != "sent":
			return ErrState
		}
		_, err = tx.Exec(ctx, `update changes set state = 'taken-back', decided_at = now(), revision = revision + 1 where id = $1`, id)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into edits (id, author_id, package_id, field, scope_kind, scope_id, base, value, reason, state)
			select gen_random_uuid(), author_id, package_id, field, scope_kind, scope_id, base, value, reason, 'in-tray'
			from edits where change_id = $1 and state = 'open'`, id)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update edits set state = 'taken-back' where change_id = $1 and state = 'open'`, id)
		if err != nil {
			return err
		}
		return notify(ctx, tx, Event{Topic: "changes"})
	})
}

// editRow is an edit as deciding about it needs it.
type editRow struct {
	ID        uuid.UUID       `db:"id"`
	PackageID uuid.UUID       `db:"package_id"`
	Package   string          `db:"package"`
	Field     string          `db:"field"`
	ScopeKind string          `db:"scope_kind"`
	ScopeID   uuid.UUID       `db:"scope_id"`
	Base      json.RawMessage `db:"base"`
	Value     json.RawMessage `db:"value"`
	Reason    string          `db:"reason"`
	State     string          `db:"state"`
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
