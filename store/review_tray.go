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
	ID        uuid.UUID       `db:"id" json:"id"`
	PackageID uuid.UUID       `db:"package_id" json:"packageId"`
	Package   string          `db:"package" json:"package"`
	Label     string          `db:"label" json:"label"`
	Field     string          `db:"field" json:"field"`
	ScopeKind string          `db:"scope_kind" json:"scopeKind"`
	ScopeID   uuid.UUID       `db:"scope_id" json:"scopeId"`
	ScopeName string          `db:"scope_name" json:"scopeName"`
	Base      json.RawMessage `db:"base" json:"base"`
	Value     json.RawMessage `db:"value" json:"value"`
	Now       json.RawMessage `db:"now" json:"now"`
	Reason    string          `db:"reason" json:"reason"`
	State     change.State    `db:"state" json:"state" enum:"in-tray,open,accepted,returned,turned-down,taken-back,replaced"`
	Words     string          `db:"words" json:"words"`
	DecidedBy string          `db:"decided_by" json:"decidedBy"`
	BuildName string          `db:"build_name" json:"buildName"`
	CreatedAt time.Time       `db:"created_at" json:"createdAt"`
	// DecidedAt is when it was accepted, returned or turned down.
	DecidedAt   *time.Time `db:"decided_at" json:"decidedAt"`
	PhoneUnseen bool       `db:"phone_unseen" json:"phoneUnseen"`
	// PhoneRun is, of a trial, the number of the newest run on its phone; 0 for none.
	PhoneRun int64 `db:"phone_run" json:"phoneRun"`
	// Thread is the same for an edit and its revisions; Round is that of the
	// change in which it came.
	Thread uuid.UUID `db:"thread" json:"thread"`
	Round  int       `db:"round" json:"round"`
	// Revises and Reverts are, in a tray, the number of the change that the
	// edit revises or takes back; 0 for none.
	Revises int64 `db:"revises" json:"revises"`
	Reverts int64 `db:"reverts" json:"reverts"`
	// Takes is the trial or source that the edit takes out again, and Gone
	// whether that is out already.
	Takes *uuid.UUID `db:"takes" json:"takes,omitempty"`
	Gone  bool       `db:"gone" json:"gone"`
	// Settled is what a reviewer wrote in place of the value.
	Settled   json.RawMessage `db:"settled" json:"settled"`
	SettledBy string          `db:"settled_by" json:"settledBy"`
	// Approved names who has accepted it while it needs more than one.
	Approved []string `db:"approved" json:"approved" nullable:"false"`
	// NowRevision counts how often the field was set; NowBy, NowAt and
	// NowChange say by whom, when and in which change it was the last time.
	NowRevision int        `db:"now_revision" json:"nowRevision"`
	NowBy       string     `db:"now_by" json:"nowBy"`
	NowAt       *time.Time `db:"now_at" json:"nowAt"`
	NowChange   int64      `db:"now_change" json:"nowChange"`
	// Unreadable says why the value can't be read, "" where it can: an older
	// program has stored what this one would refuse. It can be turned down or
	// taken out, and nothing else.
	Unreadable string `db:"-" json:"unreadable,omitempty"`
}

// readEdits reads the rows of editColumns, and says of each whether its value
// can be read.
func readEdits(rows pgx.Rows, err error) ([]Edit, error) {
	edits, err := collectRows[Edit](rows, err)
	for i := range edits {
		edits[i].judge()
	}
	return edits, err
}

func (e *Edit) judge() {
	if e.Takes != nil {
		return // it has no value of its own
	}
	if err := change.Check(change.Field(e.Field), scopeOf(e.ScopeKind, e.ScopeID), e.Value); err != nil {
		e.Unreadable = err.Error()
	}
}

// editColumns reads edits as e, with the present value of their field and, for
// a trial, the name of its build and whether that phone was ever captured.
var editColumns = `
	select e.id, e.package_id, p.name as package,
		` + bestLabel + ` as label,
		e.field, e.scope_kind, e.scope_id, ` + named(scopeName, "e") + ` as scope_name,
		e.base, e.value, c.value as now, e.reason, e.state, e.words,
		coalesce(r.name, '') as decided_by, e.created_at, e.decided_at, e.thread, e.round,
		coalesce((select number from changes where id = e.revises), 0) as revises,
			coalesce((select number from changes where id = e.reverts), 0) as reverts,
		e.takes, e.takes is not null and not exists (select from trials where id = e.takes)
			and not exists (select from sources where id = e.takes) as gone,
		e.settled, coalesce(w.name, '') as settled_by, coalesce(c.revision, 0) as now_revision,
		coalesce((select name from people where id = c.set_by), '') as now_by, c.set_at as now_at,
			coalesce((select number from changes where id = c.change_id), 0) as now_change,
		array(select y.name
			from approvals a
			join people y on y.id = a.person_id
			where a.edit_id = e.id
			order by a.at) as approved,
		coalesce((select d.name || ' ' || trim(b.carrier || ' ' || b.version)
			from builds b
			join models d on d.id = b.model_id
			where e.field = 'trial' and b.id = uuid_or_null(coalesce(e.value, e.base) ->> 'build')), '') as build_name,
		e.field = 'trial' and e.takes is null
			and not exists (select from captures k where k.phone = e.value ->> 'phone') as phone_unseen,
		case when e.field = 'trial' and e.takes is null then
			coalesce((select max(number) from runs where runs.phone = e.value ->> 'phone'), 0) else 0 end as phone_run
	from edits e join packages p on p.id = e.package_id
		left
		join claims c on c.package_id = e.package_id and c.field = e.field and c.scope_kind = e.scope_kind
			and c.scope_id = e.scope_id
		left join people r on r.id = e.decided_by left join people w on w.id = e.settled_by`

// named fills a fragment's table alias in.
func named(fragment, alias string) string { return fmt.Sprintf(fragment, alias) }

// maxTray bounds what one person's tray shows at once.
const maxTray = 5000

// Tray lists a person's unsent edits, oldest first.
func (s *Store) Tray(ctx context.Context, person uuid.UUID) ([]Edit, error) {
	rows, err := s.pool.Query(ctx, editColumns+`
		where e.author_id = $1 and e.change_id is null
		order by e.created_at, e.id limit $2`,
		person, maxTray)
	return readEdits(rows, err)
}

// TrayCount counts a person's unsent edits.
func (s *Store) TrayCount(ctx context.Context, person uuid.UUID) (n int, err error) {
	err = s.pool.QueryRow(ctx, `
		select count(*)::int from edits where author_id = $1 and change_id is null`, person).Scan(&n)
	return n, err
}

// Displaced is an edit that another of the same field took the place of in a
// tray: all that is needed to put it back.
type Displaced struct {
	Package string          `db:"package" json:"package"`
	Field   string          `db:"field" json:"field"`
	Scope   catalog.Scope   `db:"scope" json:"scope"`
	Value   json.RawMessage `db:"value" json:"value"`
	Reason  string          `db:"reason" json:"reason"`
}

// AddEdits puts edits into a person's tray. An edit of a field that the tray
// already has an edit of takes its place; trials and sources add up. Either
// all are put in or none. It returns the ids, in the order of the edits, and
// what lost its place.
func (s *Store) AddEdits(ctx context.Context, person uuid.UUID, edits []NewEdit) (ids []uuid.UUID, displaced []Displaced, err error) {
	err = s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		ids, displaced, err = addEdits(ctx, tx, person, edits)
		return err
	})
	return ids, displaced, err
}

// columns are edits as arrays, one a column: what unnest takes.
type columns struct {
	ids, packages, scopes       []uuid.UUID
	fields, kinds, values, whys []string
	files                       []uuid.UUID
}

// EditError says which of several edits is no good, counted from 1, and why.
type EditError struct {
	Number int
	Why    error
}

func (e *EditError) Error() string { return fmt.Sprintf("edit %d: %s", e.Number, e.Why) }

// columnsOf lays edits out as they are kept: whatever wrote them, their values
// are checked and in their canonical form. Of two edits of one field the last
// stands. The second result has each edit's id.
func columnsOf(edits []NewEdit) (c columns, ids []uuid.UUID, err error) {
	type key struct {
		pkg   uuid.UUID
		field change.Field
		scope catalog.Scope
	}
	at := map[key]int{}
	ids = make([]uuid.UUID, len(edits))
	for i, e := range edits {
		c.files = append(c.files, e.Attachments...)
		if e.Scope, e.Value, err = change.Canonical(e.Field, e.Scope, e.Value); err != nil {
			return c, nil, &EditError{i + 1, err}
		}
		var scope uuid.UUID
		if e.Scope.ID != "" {
			scope = uuid.MustParse(e.Scope.ID)
		}
		value := string(e.Value)
		if value == "" {
			value = "null"
		}
		k := key{e.Package, e.Field, e.Scope}
		if n, again := at[k]; again && !e.Field.Adds() {
			c.values[n], c.whys[n], ids[i] = value, e.Reason, c.ids[n]
			continue
		}
		at[k] = len(c.ids)
		ids[i] = NewID()
		c.ids, c.packages, c.scopes = append(c.ids, ids[i]), append(c.packages, e.Package), append(c.scopes, scope)
		c.fields, c.kinds, c.values, c.whys = append(c.fields, string(e.Field)), append(c.kinds, string(e.Scope.Kind)), append(c.values, value), append(c.whys, e.Reason)
	}
	return c, ids, nil
}

// exist makes sure that every maker, model and build is there.
func (c columns) exist(ctx context.Context, tx pgx.Tx) error {
	wanted := map[string][]uuid.UUID{}
	for i, kind := range c.kinds {
		if c.scopes[i] != uuid.Nil {
			wanted[kind] = append(wanted[kind], c.scopes[i])
		}
	}
	for kind, list := range wanted {
		if err := scopesExist(ctx, tx, catalog.ScopeKind(kind), list); err != nil {
			return err
		}
	}
	return nil
}

func addEdits(ctx context.Context, tx pgx.Tx, person uuid.UUID, edits []NewEdit) ([]uuid.UUID, []Displaced, error) {
	c, ids, err := columnsOf(edits)
	if err != nil {
		return nil, nil, err
	}
	if err := c.exist(ctx, tx); err != nil {
		return nil, nil, err
	}
	if err := useAttachments(ctx, tx, person, c.files); err != nil {
		return nil, nil, err
	}
	// Of two who add for one person at once, the second sees what the first added.
	if _, err := tx.Exec(ctx, `select from people where id = $1 for no key update`, person); err != nil {
		return nil, nil, err
	}
	// A revision that is edited once more stays one.
	rows, err := tx.Query(ctx, `
		with gone as (
			delete
			from edits e using unnest($2::uuid[], $3::text[], $4::text[], $5::uuid[]) k (package, field, kind, scope)
			where e.author_id = $1 and e.change_id is null and e.takes is null and e.field not in ('trial', 'source')
				and (e.package_id, e.field, e.scope_kind, e.scope_id) = (k.package, k.field, k.kind, k.scope)
			returning e.*),
		added as (
			insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, base,
				thread, revises)
			select k.id, $1, k.package, k.field, k.kind, k.scope, nullif(k.value::jsonb, 'null'), k.reason, 'in-tray',
				(select c.value
					from claims c
					where (c.package_id, c.field, c.scope_kind, c.scope_id) = (k.package, k.field, k.kind, k.scope)),
				coalesce(g.thread, k.id), g.revises
			from unnest($2::uuid[], $3::text[], $4::text[], $5::uuid[], $6::uuid[], $7::text[],
				$8::text[]) k (package, field, kind, scope, id, value, reason)
				left
				join gone g on (g.package_id, g.field, g.scope_kind, g.scope_id) = (k.package, k.field, k.kind,
					k.scope))
		select p.name as package, g.field,
			jsonb_strip_nulls(jsonb_build_object('kind', g.scope_kind, 'id',
				nullif(g.scope_id, `+everywhereID+`::uuid))) as scope,
			g.value, g.reason
		from gone g join packages p on p.id = g.package_id order by g.id`,
		person, c.packages, c.fields, c.kinds, c.scopes, c.ids, c.values, c.whys)
	displaced, err := collectRows[Displaced](rows, err)
	if err != nil {
		return nil, nil, err
	}
	return ids, displaced, notify(ctx, tx, Event{Topic: TrayChanged, ID: person.String()})
}

// scopesExist makes sure that there is every maker, model or build that edits
// are about.
func scopesExist(ctx context.Context, tx pgx.Tx, kind catalog.ScopeKind, ids []uuid.UUID) error {
	table := map[catalog.ScopeKind]string{catalog.OfMaker: "makers", catalog.OfModel: "models", catalog.OfBuild: "builds"}[kind]
	var missing uuid.UUID
	err := tx.QueryRow(ctx, `
		select id
		from unnest($1::uuid[]) id
		where id not in (select id from `+pgx.Identifier{table}.Sanitize()+` where id = any($1)) limit 1`,
		ids).Scan(&missing)
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
	rows, err := s.pool.Query(ctx, `
		select name, id
		from packages
		where name = any($1)
		union all select '', id
		from builds
		where id = any($2)`, names, builds)
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
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		var value []byte
		err := tx.QueryRow(ctx, `
			delete
			from edits
			where id = $1 and author_id = $2 and change_id is null
			returning coalesce(value, 'null')`, edit, person).Scan(&value)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		return releaseAttachments(ctx, tx, person, value)
	})
}

// Reopen copies an edit that came back, or that still waits, into its author's
// tray, based on what the catalogue says now. Sending it revises its change.
func (s *Store) Reopen(ctx context.Context, person, edit uuid.UUID) error {
	tag, err := s.pool.Exec(ctx, `
		insert into edits (id, author_id, package_id, field, scope_kind, scope_id, value, reason, state, words, base,
			thread, revises, takes)
		select $3, e.author_id, e.package_id, e.field, e.scope_kind, e.scope_id, e.value, e.reason, 'in-tray',
			e.words, case
			when e.takes is null then c.value else e.base end, e.thread, e.change_id, e.takes
		from edits e
		left join claims c on c.package_id = e.package_id and c.field = e.field and c.scope_kind = e.scope_kind
			and c.scope_id = e.scope_id
		where e.id = $1 and e.author_id = $2 and e.state in ('returned', 'open')
			and not exists (select from edits t
				where t.thread = e.thread and t.change_id is null)`, edit, person, NewID())
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// SetReason changes why an edit of one's tray is made.
func (s *Store) SetReason(ctx context.Context, person, edit uuid.UUID, reason string) error {
	tag, err := s.pool.Exec(ctx, `
		update edits set reason = $3 where id = $1 and author_id = $2 and change_id is null`, edit, person, reason)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}
