package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/change"
)

// Decision is what a reviewer says of one edit.
type Decision struct {
	Edit uuid.UUID `json:"edit"`
	// Verdict is accepted, returned or turned-down.
	Verdict string `json:"verdict" enum:"accepted,returned,turned-down"`
	// Words go to the author; a return needs them.
	Words string `json:"words,omitempty" maxLength:"2000"`
}

// Decide carries out decisions about a change: accepted edits reach the
// catalogue, its history and the figures that rest on them, all in one
// transaction or not at all. The revision is the one that the reviewer saw;
// where somebody else was faster it fails with ErrStale, on a person's own
// change with ErrOwn, and on a field that has moved with a ConflictError.
func (s *Store) Decide(ctx context.Context, reviewer, id uuid.UUID, revision int, decisions []Decision) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		author, err := lockChange(ctx, tx, reviewer, id, revision)
		if err != nil {
			return err
		}
		edits, err := editsOf(ctx, tx, id)
		if err != nil {
			return err
		}
		var touched []uuid.UUID
		for _, d := range decisions {
			e, ok := edits[d.Edit]
			if !ok {
				return fmt.Errorf("edit %s: %w", d.Edit, ErrNotFound)
			}
			if e.State != "open" {
				return fmt.Errorf("edit of %s: %w", e.Package, ErrState)
			}
			if d.Verdict == "accepted" {
				if err := apply(ctx, tx, e, author, reviewer, id); err != nil {
					return err
				}
				touched = append(touched, e.PackageID)
			}
			_, err := tx.Exec(ctx, `update edits set state = $2, words = $3, decided_by = $4, decided_at = now() where id = $1`, e.ID, d.Verdict, d.Words, reviewer)
			if err != nil {
				return err
			}
			e.State = d.Verdict
			edits[d.Edit] = e
		}
		slices.SortFunc(touched, func(a, b uuid.UUID) int { return slices.Compare(a[:], b[:]) })
		if err := recompute(ctx, tx, slices.Compact(touched)); err != nil {
			return err
		}
		return closeChange(ctx, tx, id, edits)
	})
}

func lockChange(ctx context.Context, tx pgx.Tx, reviewer, id uuid.UUID, revision int) (author uuid.UUID, err error) {
	var state string
	var now int
	err = tx.QueryRow(ctx, `select author_id, state, revision from changes where id = $1 for update`, id).Scan(&author, &state, &now)
	switch {
	case isNone(err):
		return author, ErrNotFound
	case err != nil:
		return author, err
	case author == reviewer:
		return author, ErrOwn
	case now != revision:
		return author, ErrStale
	case state != "sent":
		return author, ErrState
	}
	return author, nil
}

func editsOf(ctx context.Context, tx pgx.Tx, change uuid.UUID) (map[uuid.UUID]editRow, error) {
	rows, err := tx.Query(ctx, `
		select e.id, e.package_id, p.name as package, e.field, e.scope_kind, e.scope_id, e.base, e.value, e.reason, e.state
		from edits e join packages p on p.id = e.package_id where e.change_id = $1`, change)
	list, err := all[editRow](rows, err)
	edits := make(map[uuid.UUID]editRow, len(list))
	for _, e := range list {
		edits[e.ID] = e
	}
	return edits, err
}

// apply writes one accepted edit into the catalogue and its history.
func apply(ctx context.Context, tx pgx.Tx, e editRow, author, reviewer, changeID uuid.UUID) error {
	var before json.RawMessage
	switch change.Field(e.Field) {
	case change.Trial:
		if err := addTrial(ctx, tx, e, author, changeID); err != nil {
			return err
		}
	case change.Source:
		if err := addSource(ctx, tx, e, author, changeID); err != nil {
			return err
		}
	default:
		err := tx.QueryRow(ctx, `select value from claims where package_id = $1 and field = $2 and scope_kind = $3 and scope_id = $4 for update`,
			e.PackageID, e.Field, e.ScopeKind, e.ScopeID).Scan(&before)
		if err != nil && !isNone(err) {
			return err
		}
		if change.Merge(e.Base, before, e.Value) == change.Conflict {
			return &ConflictError{e.ID, e.Package, e.Field}
		}
		_, err = tx.Exec(ctx, `
			insert into claims as c (package_id, field, scope_kind, scope_id, value, reason, set_by, change_id)
			values ($1, $2, $3, $4, $5, $6, $7, $8)
			on conflict (package_id, field, scope_kind, scope_id) do update
			set value = excluded.value, reason = excluded.reason, set_by = excluded.set_by, set_at = now(), change_id = excluded.change_id, revision = c.revision + 1`,
			e.PackageID, e.Field, e.ScopeKind, e.ScopeID, e.Value, e.Reason, author, changeID)
		if err != nil {
			return err
		}
		if err := writeLabels(ctx, tx, e); err != nil {
			return err
		}
	}
	_, err := tx.Exec(ctx, `
		insert into history (id, author_id, accepted_by, change_id, edit_id, package_id, field, scope_kind, scope_id, before, after, reason)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12)`,
		NewID(), author, reviewer, changeID, e.ID, e.PackageID, e.Field, e.ScopeKind, e.ScopeID, before, e.Value, e.Reason)
	return err
}

func addTrial(ctx context.Context, tx pgx.Tx, e editRow, author, changeID uuid.UUID) error {
	var t change.TrialValue
	if err := json.Unmarshal(e.Value, &t); err != nil {
		return fmt.Errorf("trial of %s: %w", e.Package, err)
	}
	build, err := uuid.Parse(t.Build)
	if err != nil {
		return fmt.Errorf("trial of %s: build: %w", e.Package, err)
	}
	_, err = tx.Exec(ctx, `
		insert into trials (id, package_id, build_id, phone, person_id, method, outcome, function, persistence, recovery, watched_days, note, at, tried, attachments, change_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, coalesce(nullif($13, '')::date + interval '12 hours', now()), coalesce($14::text[], '{}'), coalesce($15::uuid[], '{}'), $16)`,
		NewID(), e.PackageID, build, t.Phone, author, t.Method, t.Outcome, t.Function, t.Persistence, t.Recovery, t.WatchedDays, t.Note, t.On, t.Tried, t.Attachments, changeID)
	return err
}

func addSource(ctx context.Context, tx pgx.Tx, e editRow, author, changeID uuid.UUID) error {
	var v change.SourceValue
	if err := json.Unmarshal(e.Value, &v); err != nil {
		return fmt.Errorf("source about %s: %w", e.Package, err)
	}
	_, err := tx.Exec(ctx, `
		insert into sources (id, package_id, scope_kind, scope_id, title, link, quote, claim, attachment_id, person_id, change_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, nullif($9, '')::uuid, $10, $11)`,
		NewID(), e.PackageID, e.ScopeKind, e.ScopeID, v.Title, v.Link, v.Quote, v.Claim, v.Attachment, author, changeID)
	return err
}

// writeLabels keeps the table that search reads in step with the claims.
func writeLabels(ctx context.Context, tx pgx.Tx, e editRow) error {
	var del, insert string
	switch change.Field(e.Field) {
	case change.Labels:
		del = `delete from labels where package_id = $1 and language <> '' and not from_file`
		insert = `insert into labels (package_id, language, label) select $1, key, value from jsonb_each_text(coalesce(nullif($2::jsonb, 'null'), '{}'))
			on conflict (package_id, language, label) do update set from_file = false`
	case change.Aliases:
		del = `delete from labels where package_id = $1 and language = ''`
		insert = `insert into labels (package_id, language, label) select distinct $1::uuid, '', value from jsonb_array_elements_text(coalesce(nullif($2::jsonb, 'null'), '[]'))`
	default:
		return nil
	}
	if _, err := tx.Exec(ctx, del, e.PackageID); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, insert, e.PackageID, e.Value)
	return err
}

// closeChange counts up the revision and ends the change when no edit is open.
func closeChange(ctx context.Context, tx pgx.Tx, id uuid.UUID, edits map[uuid.UUID]editRow) error {
	count := map[string]int{}
	for _, e := range edits {
		count[e.State]++
	}
	state := "accepted"
	switch {
	case count["open"] > 0:
		state = "sent"
	case count["returned"] > 0:
		state = "returned"
	case count["accepted"] == 0:
		state = "turned-down"
	}
	_, err := tx.Exec(ctx, `update changes set state = $2, revision = revision + 1, decided_at = case when $2 = 'sent' then null else now() end where id = $1`, id, state)
	if err != nil {
		return err
	}
	return notify(ctx, tx, Event{Topic: "changes"})
}
