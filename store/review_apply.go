package store

import (
	"encoding/json"
	"fmt"

	"github.com/google/uuid"

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
		d.batch.Queue(`
			insert into claims as c (package_id, field, scope_kind, scope_id, value, reason, set_by, change_id)
			values ($1, $2, $3, $4, $5, $6, $7, $8)
			on conflict (package_id, field, scope_kind, scope_id) do update
			set value = excluded.value, reason = excluded.reason, set_by = excluded.set_by, set_at = moment(),
				change_id = excluded.change_id, revision = c.revision + 1`,
			e.PackageID, e.Field, e.ScopeKind, e.ScopeID, e.stands(), e.Reason, d.author, d.change)
		d.writeLabels(e)
	}
	d.batch.Queue(`
		insert into history (id, author_id, accepted_by, change_id, edit_id, package_id, field, scope_kind, scope_id,
			before, after, reason, alone)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)`,
		NewID(), d.author, d.reviewer, d.change, e.ID, e.PackageID, e.Field, e.ScopeKind, e.ScopeID, before, e.stands(), e.Reason, d.alone)
	return nil
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
