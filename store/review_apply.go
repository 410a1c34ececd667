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

// apply queues what one accepted edit writes into the catalogue and its
// history.
func (d *decider) apply(e decidedEdit) error {
	var before json.RawMessage
	switch field := change.Field(e.Field); {
	case e.Takes != nil:
		before = e.Base
		d.batch.Queue(`delete from trials where id = $1`, e.Takes)
		d.batch.Queue(`delete from sources where id = $1`, e.Takes)
	case field == change.Trial:
		if err := d.addTrial(e); err != nil {
			return err
		}
	case field == change.Source:
		if err := d.addSource(e); err != nil {
			return err
		}
	default:
		before = e.Now
		if slices.ContainsFunc(d.claimed.edits, e.sameClaim) {
			d.writeClaims() // of two, the later stands
		}
		d.claimed.add(e, nil)
		d.writeLabels(e)
	}
	d.history.add(e, before)
	return nil
}

// editRows are edits as columns: hundreds are written by one statement each.
type editRows struct {
	edits                  []decidedEdit
	ids, packages, scopes  []uuid.UUID
	fields, kinds, reasons []string
	before, after          []*string // JSON
}

func (r *editRows) add(e decidedEdit, before json.RawMessage) {
	r.edits, r.ids = append(r.edits, e), append(r.ids, e.ID)
	r.packages, r.scopes = append(r.packages, e.PackageID), append(r.scopes, e.ScopeID)
	r.fields, r.kinds, r.reasons = append(r.fields, e.Field), append(r.kinds, e.ScopeKind), append(r.reasons, e.Reason)
	r.before, r.after = append(r.before, orNull(before)), append(r.after, orNull(e.stands()))
}

// orNull is JSON as text, nil for none.
func orNull(value json.RawMessage) *string {
	if value == nil {
		return nil
	}
	text := string(value)
	return &text
}

// sameClaim reports whether another edit writes the same field of the same package in
// the same scope.
func (e decidedEdit) sameClaim(other decidedEdit) bool {
	return e.PackageID == other.PackageID && e.Field == other.Field && e.ScopeKind == other.ScopeKind && e.ScopeID == other.ScopeID
}

// writeClaims queues the claims that were collected.
func (d *decider) writeClaims() {
	if r := d.claimed; len(r.ids) > 0 {
		d.batch.Queue(`
			insert into claims as c (package_id, field, scope_kind, scope_id, value, reason, set_by, change_id)
			select k.package, k.field, k.kind, k.scope, k.value::jsonb, k.reason, $7, $8
			from unnest($1::uuid[], $2::text[], $3::text[], $4::uuid[], $5::text[], $6::text[])
				k (package, field, kind, scope, value, reason)
			on conflict (package_id, field, scope_kind, scope_id) do update
			set value = excluded.value, reason = excluded.reason, set_by = excluded.set_by, set_at = moment(),
				change_id = excluded.change_id, revision = c.revision + 1`,
			r.packages, r.fields, r.kinds, r.scopes, r.after, r.reasons, d.author, d.change)
	}
	d.claimed = editRows{}
}

// writeHistory queues the history that was collected.
func (d *decider) writeHistory() {
	if r := d.history; len(r.ids) > 0 {
		entries := make([]uuid.UUID, len(r.ids))
		for i := range entries {
			entries[i] = NewID()
		}
		d.batch.Queue(`
			insert into history (id, author_id, accepted_by, change_id, edit_id, package_id, field, scope_kind,
				scope_id, before, after, reason, alone)
			select k.id, $10, $11, $12, k.edit, k.package, k.field, k.kind, k.scope, k.before::jsonb, k.after::jsonb,
				k.reason, $13
			from unnest($1::uuid[], $2::uuid[], $3::uuid[], $4::text[], $5::text[], $6::uuid[], $7::text[], $8::text[],
				$9::text[]) k (id, edit, package, field, kind, scope, before, after, reason)`,
			entries, r.ids, r.packages, r.fields, r.kinds, r.scopes, r.before, r.after, r.reasons,
			d.author, d.reviewer, d.change, d.alone)
	}
	d.history = editRows{}
}

// verdicts are what was decided about edits, as columns.
type verdicts struct {
	edits         []uuid.UUID
	states, words []string
}

// writeVerdicts queues the verdicts that were collected.
func (d *decider) writeVerdicts() {
	if v := d.verdicts; len(v.edits) > 0 {
		d.batch.Queue(`
			update edits e
			set state = k.state, words = k.words, decided_by = $4, decided_at = moment()
			from unnest($1::uuid[], $2::text[], $3::text[]) k (id, state, words)
			where e.id = k.id`, v.edits, v.states, v.words, d.reviewer)
	}
	d.verdicts = verdicts{}
}

// flush sends what is queued.
func (d *decider) flush(ctx context.Context) error {
	d.writeClaims()
	d.writeHistory()
	d.writeVerdicts()
	if d.batch.Len() == 0 {
		return nil
	}
	err := d.tx.SendBatch(ctx, &d.batch).Close()
	d.batch = pgx.Batch{}
	return err
}

// movedTrials are those that accepted edits brought or took.
func (d *decider) movedTrials() (m movedTrials) {
	for _, e := range d.edits {
		switch {
		case e.Field != string(change.Trial) || e.State != change.Accepted || d.before[e.ID]:
		case e.Takes != nil:
			m.gone = append(m.gone, e.Takes.String())
		default:
			m.come = append(m.come, e.ID) // it bears the id of its edit
		}
	}
	return m
}

// addTrial queues a trial; it bears the id of its edit.
func (d *decider) addTrial(e decidedEdit) error {
	var t change.TrialValue
	if err := json.Unmarshal(e.Value, &t); err != nil {
		return fmt.Errorf("trial of %s: %w", e.Package, err)
	}
	build, err := uuid.Parse(t.Build)
	if err != nil {
		return fmt.Errorf("trial of %s: build: %w", e.Package, err)
	}
	d.batch.Queue(`
		insert into trials (id, package_id, build_id, phone, person_id, method, outcome, function, persistence,
			recovery, watched_days, note, at, tried, attachments, change_id, run_id, outside, by_hand)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12,
			coalesce(nullif($13, '')::date + interval '12 hours', moment()), coalesce($14::text[], '{}'),
			coalesce($15::uuid[], '{}'), $16,
			(select id from runs where id = nullif($17, '')::uuid), $18, $19)`,
		e.ID, e.PackageID, build, t.Phone, d.author, t.Method, t.Outcome, t.Function, t.Persistence, t.Recovery,
		t.WatchedDays, t.Note, t.On, t.Tried, t.Attachments, d.change, t.Run, t.Report != "", t.ByHand)
	return nil
}

// addSource queues a source; it bears the id of its edit.
func (d *decider) addSource(e decidedEdit) error {
	var v change.SourceValue
	if err := json.Unmarshal(e.Value, &v); err != nil {
		return fmt.Errorf("source about %s: %w", e.Package, err)
	}
	d.batch.Queue(`
		insert into sources (id, package_id, scope_kind, scope_id, title, link, quote, claim, load, attachment_id,
			person_id, change_id)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, nullif($10, '')::uuid, $11, $12)`,
		e.ID, e.PackageID, e.ScopeKind, e.ScopeID, v.Title, v.Link, v.Quote, v.Claim, v.Load, v.Attachment, d.author, d.change)
	return nil
}

// writeLabels keeps the table that search reads in step with the claims.
func (d *decider) writeLabels(e decidedEdit) {
	switch change.Field(e.Field) {
	case change.Labels:
		d.batch.Queue(`delete from labels where package_id = $1 and language <> '' and not from_file`, e.PackageID)
		d.batch.Queue(`
			insert into labels (package_id, language, label) select $1, key, value
			from jsonb_each_text(coalesce(nullif($2::jsonb, 'null'), '{}'))
			on conflict (package_id, language, label) do update set from_file = false`, e.PackageID, e.stands())
	case change.Aliases:
		d.batch.Queue(`delete from labels where package_id = $1 and language = ''`, e.PackageID)
		d.batch.Queue(`
			insert into labels (package_id, language, label) select distinct $1::uuid, '', value
			from jsonb_array_elements_text(coalesce(nullif($2::jsonb, 'null'), '[]'))`, e.PackageID, e.stands())
	}
}
