package store

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/change"
	"roster/core/profile"
)

// DraftKind is what somebody has begun and not sent: decisions about a change, or
// other rules of a profile.
type DraftKind string

// The kinds of drafts.
const (
	DraftDecisions DraftKind = "decisions"
	DraftRules     DraftKind = "rules"
)

// maxDrafts bounds what one person may have begun and left.
const maxDrafts = 500

// ErrTooManyDrafts says that a person has begun more than anybody finishes.
var ErrTooManyDrafts = errors.New("you have begun five hundred reviews and profiles: finish some, or let them go")

// DraftDecided are decisions about a change that somebody has not written yet.
type DraftDecided struct {
	// Revision is the change's when they were made; 0 where there is no draft.
	Revision  int        `json:"revision" minimum:"0"`
	Decisions []Decision `json:"decisions" maxItems:"5000" nullable:"false"`
}

// DraftProfile are rules of a profile that somebody has not kept yet.
type DraftProfile struct {
	// Revision is the profile's when they were changed.
	Revision int           `json:"revision" minimum:"1"`
	Rules    profile.Rules `json:"rules"`
	Sisters  []uuid.UUID   `json:"sisters" maxItems:"50" nullable:"false"`
}

// DraftLine is one draft among a person's.
type DraftLine struct {
	Kind      DraftKind `db:"kind" json:"kind" enum:"decisions,rules"`
	SubjectID uuid.UUID `db:"subject_id" json:"subjectId"`
	// Title is the change's, or the profile's name.
	Title     string    `db:"title" json:"title"`
	ChangedAt time.Time `db:"changed_at" json:"changedAt"`
}

// Drafts lists what a person has begun, newest first: of changes those that still
// wait.
func (s *Store) Drafts(ctx context.Context, person uuid.UUID) ([]DraftLine, error) {
	rows, err := s.pool.Query(ctx, `
		select d.kind, d.subject_id, coalesce(c.title, p.name) as title, d.changed_at
		from drafts d
		left join changes c on d.kind = 'decisions' and c.id = d.subject_id
		left join profiles p on d.kind = 'rules' and p.id = d.subject_id
		where d.person_id = $1 and (c.state = 'sent' or p.id is not null)
		order by d.changed_at desc
		limit $2`, person, maxDrafts)
	return collectRows[DraftLine](rows, err)
}

// DecisionsDraft reads what somebody has decided about a change and not written;
// the zero draft where that is nothing.
func (s *Store) DecisionsDraft(ctx context.Context, person, of uuid.UUID) (d DraftDecided, err error) {
	d.Decisions = []Decision{}
	d.Revision, err = s.readDraft(ctx, person, DraftDecisions, of, &d.Decisions)
	return d, err
}

// SaveDecisionsDraft keeps what somebody has decided about a change until they
// write it; none forgets it. Each decision has to be about an edit of the change,
// and a value written in place of another one that its field can have.
func (s *Store) SaveDecisionsDraft(ctx context.Context, person, of uuid.UUID, d DraftDecided) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if len(d.Decisions) == 0 {
			return forgetDraft(ctx, tx, person, DraftDecisions, of)
		}
		rows, err := tx.Query(ctx, `select id, field, scope_kind, scope_id from edits where change_id = $1`, of)
		type edit struct {
			ID        uuid.UUID
			Field     change.Field
			ScopeKind string
			ScopeID   uuid.UUID
		}
		edits, err := collectRows[edit](rows, err)
		if err != nil {
			return err
		}
		known := map[uuid.UUID]edit{}
		for _, e := range edits {
			known[e.ID] = e
		}
		for i, one := range d.Decisions {
			e, ok := known[one.Edit]
			if !ok {
				return fmt.Errorf("edit %s of change %s: %w", one.Edit, of, ErrNotFound)
			}
			if one.Written == nil {
				continue
			}
			_, written, err := change.Canonical(e.Field, scopeOf(e.ScopeKind, e.ScopeID), one.Written)
			if err != nil {
				return &WrittenError{string(e.Field), err}
			}
			d.Decisions[i].Written = written
		}
		return saveDraft(ctx, tx, person, DraftDecisions, of, d.Revision, d.Decisions)
	})
}

// rulesDraft is what is kept of a draft of rules.
type rulesDraft struct {
	Rules   profile.Rules `json:"rules"`
	Sisters []uuid.UUID   `json:"sisters"`
}

// RulesDraft reads how somebody has changed a profile's rules and not kept them;
// nil where they have not.
func (s *Store) RulesDraft(ctx context.Context, person, of uuid.UUID) (*DraftProfile, error) {
	var kept rulesDraft
	revision, err := s.readDraft(ctx, person, DraftRules, of, &kept)
	if err != nil || revision == 0 {
		return nil, err
	}
	return &DraftProfile{Revision: revision, Rules: kept.Rules, Sisters: kept.Sisters}, nil
}

// SaveRulesDraft keeps how somebody has changed a profile's rules until they keep
// them for everybody. Rules that make no sense yet are kept as well.
func (s *Store) SaveRulesDraft(ctx context.Context, person, of uuid.UUID, d DraftProfile) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := readProfile(ctx, tx, of); err != nil {
			return err
		}
		return saveDraft(ctx, tx, person, DraftRules, of, d.Revision, rulesDraft{d.Rules, d.Sisters})
	})
}

// ForgetRulesDraft lets a draft of rules go; there may be none.
func (s *Store) ForgetRulesDraft(ctx context.Context, person, of uuid.UUID) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		return forgetDraft(ctx, tx, person, DraftRules, of)
	})
}

// readDraft reads a draft into out and returns its revision, 0 where there is
// none.
func (s *Store) readDraft(ctx context.Context, person uuid.UUID, kind DraftKind, of uuid.UUID, out any) (revision int, err error) {
	var raw []byte
	err = s.pool.QueryRow(ctx, `
		select revision, content
		from drafts
		where person_id = $1 and kind = $2 and subject_id = $3`, person, kind, of).Scan(&revision, &raw)
	if isNone(err) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	if err := json.Unmarshal(raw, out); err != nil {
		return 0, fmt.Errorf("the draft of %s of %s: %w", kind, of, err)
	}
	return revision, nil
}

func saveDraft(ctx context.Context, tx pgx.Tx, person uuid.UUID, kind DraftKind, of uuid.UUID, revision int, content any) error {
	raw, err := json.Marshal(content)
	if err != nil {
		return err
	}
	tag, err := tx.Exec(ctx, `
		insert into drafts (person_id, kind, subject_id, revision, content)
		select $1, $2, $3, $4, $5
		where (select count(*) from drafts where person_id = $1 and (kind, subject_id) <> ($2, $3)) < $6
		on conflict (person_id, kind, subject_id)
		do update set revision = excluded.revision, content = excluded.content, changed_at = moment()`,
		person, kind, of, revision, raw, maxDrafts)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 {
		return ErrTooManyDrafts
	}
	return notify(ctx, tx, Event{Topic: DraftsChanged, ID: person.String()})
}

// forgetDraft is part of the transaction that makes a draft needless.
func forgetDraft(ctx context.Context, tx pgx.Tx, person uuid.UUID, kind DraftKind, of uuid.UUID) error {
	tag, err := tx.Exec(ctx, `
		delete from drafts where person_id = $1 and kind = $2 and subject_id = $3`, person, kind, of)
	if err != nil || tag.RowsAffected() == 0 {
		return err
	}
	return notify(ctx, tx, Event{Topic: DraftsChanged, ID: person.String()})
}
