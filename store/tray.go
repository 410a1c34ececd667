package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/change"
)

// NewEdit is an edit on its way into its author's tray.
type NewEdit struct {
	Package uuid.UUID
	Field   change.Field
	Scope   catalog.Scope
	Value   json.RawMessage
	Reason  string
	// Attachments are files that the value names.
	Attachments []uuid.UUID
}

// Edit is one edit with what a page needs to show it.
type Edit struct {
	ID          uuid.UUID       `db:"id" json:"id"`
	PackageID   uuid.UUID       `db:"package_id" json:"packageId"`
	Package     string          `db:"package" json:"package"`
	Label       string          `db:"label" json:"label"`
	Field       string          `db:"field" json:"field"`
	ScopeKind   string          `db:"scope_kind" json:"scopeKind"`
	ScopeID     uuid.UUID       `db:"scope_id" json:"scopeId"`
	ScopeName   string          `db:"scope_name" json:"scopeName"`
	Base        json.RawMessage `db:"base" json:"base"`
	Value       json.RawMessage `db:"value" json:"value"`
	Now         json.RawMessage `db:"now" json:"now"`
	Reason      string          `db:"reason" json:"reason"`
	State       string          `db:"state" json:"state"`
	Words       string          `db:"words" json:"words"`
	DecidedBy   string          `db:"decided_by" json:"decidedBy"`
	BuildName   string          `db:"build_name" json:"buildName"`
	CreatedAt   time.Time       `db:"created_at" json:"createdAt"`
	PhoneUnseen bool            `db:"phone_unseen" json:"phoneUnseen"`
}

// editColumns reads edits as e, with the present value of their field and, for
// a trial, the name of its build and whether that phone was ever captured.
var editColumns = `
	select e.id, e.package_id, p.name as package,
		` + bestLabel + ` as label,
		e.field, e.scope_kind, e.scope_id, ` + named(scopeName, "e") + ` as scope_name, e.base, e.value, c.value as now, e.reason, e.state, e.words,
		coalesce(r.name, '') as decided_by, e.created_at,
		coalesce((select d.name || ' ' || trim(b.carrier || ' ' || b.version) from builds b join models d on d.id = b.model_id
			where e.field = 'trial' and b.id = (e.value ->> 'build')::uuid), '') as build_name,
		e.field = 'trial' and not exists (select from captures k where k.phone = e.value ->> 'phone') as phone_unseen
	from edits e join packages p on p.id = e.package_id
		left join claims c on c.package_id = e.package_id and c.field = e.field and c.scope_kind = e.scope_kind and c.scope_id = e.scope_id
		left join people r on r.id = e.decided_by`

// named fills a fragment's table alias in.
func named(fragment, alias string) string { return fmt.Sprintf(fragment, alias) }

// maxTray bounds what one person's tray shows at once.
const maxTray = 5000

// Tray lists a person's unsent edits, oldest first.
func (s *Store) Tray(ctx context.Context, person uuid.UUID) ([]Edit, error) {
	rows, err := s.pool.Query(ctx, editColumns+` where e.author_id = $1 and e.change_id is null order by e.created_at, e.id limit $2`, person, maxTray)
	return all[Edit](rows, err)
}

// TrayCount counts a person's unsent edits.
func (s *Store) TrayCount(ctx context.Context, person uuid.UUID) (n int, err error) {
	err = s.pool.QueryRow(ctx, `select count(*)::int from edits where author_id = $1 and change_id is null`, person).Scan(&n)
	return n, err
}

// AddEdits puts edits into a person's tray. An edit of a field that the tray
// already has an edit of replaces it; trials and sources add up. Either all
// are put in or none.
func (s *Store) AddEdits(ctx context.Context, person uuid.UUID, edits []NewEdit) ([]uuid.UUID, error) {
	ids, scopes := make([]uuid.UUID, len(edits)), make([]uuid.UUID, len(edits))
	wanted := map[catalog.ScopeKind][]uuid.UUID{}
	var files []uuid.UUID
	for i, e := range edits {
		ids[i] = NewID()
		files = append(files, e.Attachments...)
		if e.Scope.ID == "" {
			continue
		}
		var err error
		if scopes[i], err = uuid.Parse(e.Scope.ID); err != nil {
			return nil, fmt.Errorf("scope %q: %w", e.Scope.ID, ErrNotFound)
		}
		wanted[e.Scope.Kind] = append(wanted[e.Scope.Kind], scopes[i])
	}
	return ids, s.inTx(ctx, func(tx pgx.Tx) error {
		for kind, list := range wanted {
			if err := scopesExist(ctx, tx, kind, list); err != nil {
				return err
			}
		}
		if err := useAttachments(ctx, tx, person, files); err != nil {
			return err
		}
		var batch pgx.Batch
		for i, e := range edits {
			if !e.Field.Adds() {
				batch.Queue(`delete from edits where author_id = $1 and change_id is null and package_id = $2 and field = $3 and scope_kind = $4 and scope_id = $5`,
					person, e.Package, e.Field, e.Scope.Kind, scopes[i])
			}
			batch.Queue(`
				insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, base)
				values ($1, $2, $3, $4, $5, $6, nullif($7::jsonb, 'null'), $8, 'in-tray',
					(select value from claims where package_id = $3 and field = $4 and scope_kind = $5 and scope_id = $6))`,
				ids[i], person, e.Package, e.Field, e.Scope.Kind, scopes[i], e.Value, e.Reason)
		}
		return tx.SendBatch(ctx, &batch).Close()
	})
}

// scopesExist makes sure that there is every maker, model or build that edits
// are about.
func scopesExist(ctx context.Context, tx pgx.Tx, kind catalog.ScopeKind, ids []uuid.UUID) error {
	table := map[catalog.ScopeKind]string{catalog.OfMaker: "makers", catalog.OfModel: "models", catalog.OfBuild: "builds"}[kind]
	var missing uuid.UUID
	err := tx.QueryRow(ctx, `select id from unnest($1::uuid[]) id where id not in (select id from `+pgx.Identifier{table}.Sanitize()+` where id = any($1)) limit 1`, ids).Scan(&missing)
	if isNone(err) {
		return nil
	}
	if err == nil {
		err = fmt.Errorf("%s %s: %w", kind, missing, ErrNotFound)
	}
	return err
}

// Known finds the ids of packages by name, and which of some builds there are:
// what edits refer to.
func (s *Store) Known(ctx context.Context, names []string, builds []uuid.UUID) (packages map[string]uuid.UUID, known map[uuid.UUID]bool, err error) {
	packages, known = map[string]uuid.UUID{}, map[uuid.UUID]bool{}
	rows, err := s.pool.Query(ctx, `select name, id from packages where name = any($1) union all select '', id from builds where id = any($2)`, names, builds)
	if err != nil {
		return nil, nil, err
	}
	var name string
	var id uuid.UUID
	_, err = pgx.ForEachRow(rows, []any{&name, &id}, func() error {
		if name == "" {
			known[id] = true
		} else {
			packages[name] = id
		}
		return nil
	})
	return packages, known, err
}

// RemoveEdit takes an edit out of its author's tray. Files that no other edit
// names go with it, a day later: see AddAttachment.
func (s *Store) RemoveEdit(ctx context.Context, person, edit uuid.UUID) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var value []byte
		err := tx.QueryRow(ctx, `delete from edits where id = $1 and author_id = $2 and change_id is null returning coalesce(value, 'null')`, edit, person).Scan(&value)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		return releaseAttachments(ctx, tx, person, value)
	})
}

// Reopen copies a returned edit back into its author's tray, based on what the
// catalogue says now.
func (s *Store) Reopen(ctx context.Context, person, edit uuid.UUID) error {
	tag, err := s.pool.Exec(ctx, `
		insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, words, base)
		select $3, e.author_id, e.package_id, e.field, e.scope_kind, e.scope_id, e.value, e.reason, 'in-tray', e.words, c.value
		from edits e left join claims c on c.package_id = e.package_id and c.field = e.field and c.scope_kind = e.scope_kind and c.scope_id = e.scope_id
		where e.id = $1 and e.author_id = $2 and e.state = 'returned'`, edit, person, NewID())
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}
