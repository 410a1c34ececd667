package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// LedgerQuery says which rows of the Ledger to read.
type LedgerQuery struct {
	Scope  Scope
	Method string
	// Text holds words that a package's name, labels or aliases must have.
	Text string
	// After is the last row of the page before, nil for the first page.
	After *LedgerCursor
	Limit int
}

// LedgerCursor is the place of a row in the Ledger's order.
type LedgerCursor struct {
	Group int    `json:"g"`
	Name  string `json:"n"`
}

// LedgerRow is one package in the Ledger.
type LedgerRow struct {
	ID     uuid.UUID `db:"id" json:"id"`
	Name   string    `db:"name" json:"name"`
	Label  string    `db:"label" json:"label"`
	Origin string    `db:"origin" json:"origin"`
	// Group is the place of the origin in the Ledger's order.
	Group int `db:"grp" json:"-"`
	// Load is what a person set, or else what the evidence suggests.
	Load         string `db:"load" json:"load" enum:"loose,leaned-on,tied-in,load-bearing,unproven"`
	BySuggestion bool   `db:"by_suggestion" json:"bySuggestion"`
	Suggested    string `db:"suggested" json:"suggested"`
	// LoadScope is how wide the set load reaches, "" where none is set.
	LoadScope string `db:"load_scope" json:"loadScope"`
	// Strip is the trial strip as core/evidence.Strip writes it.
	Strip    string  `db:"strip" json:"strip"`
	Ceiling  float64 `db:"ceiling" json:"ceiling"`
	Floor    float64 `db:"floor" json:"floor"`
	Standing string  `db:"standing" json:"standing"`
	Phones   int     `db:"phones" json:"phones"`
	People   int     `db:"people" json:"people"`
	Harmed   int     `db:"harmed_phones" json:"harmedPhones"`
	// Presence has a letter for each column: F ships it, H ships it switched
	// off, E does not.
	Presence string `db:"-" json:"presence"`
}

// originRank is the order of core/catalog.Origins.
const originRank = `array_position(array['maker','partner','carrier','silicon','region','platform','owner','unknown'], o.origin)`

// claimAt picks, of a package's claims of a field, the narrowest in scope.
func claimAt(field string) string {
	return `(select c.value, c.scope_kind from claims c
		where c.package_id = p.id and c.field = '` + field + `' and c.value is not null
		and c.scope_id in ('00000000-0000-0000-0000-000000000000', @maker, @model, @build)
		order by array_position(array['build','model','maker','everywhere'], c.scope_kind) limit 1)`
}

// scopeArgs are the named arguments that claimAt and inScope use.
func scopeArgs(sc Scope) pgx.NamedArgs {
	args := pgx.NamedArgs{"maker": uuid.Nil, "model": uuid.Nil, "build": uuid.Nil, "target": sc.TargetID}
	if sc.Maker != nil {
		args["maker"] = sc.Maker.ID
	}
	if sc.Model != nil {
		args["model"] = sc.Model.ID
	}
	if sc.Build != nil {
		args["build"] = sc.Build.ID
	}
	return args
}

// inScope is the condition that a build of the scope ships package p.
func inScope(sc Scope) string {
	switch {
	case sc.Build != nil:
		return `exists (select from presence x where x.package_id = p.id and x.build_id = @build)`
	case sc.Model != nil:
		return `p.id in (select x.package_id from presence x join builds b on b.id = x.build_id where b.model_id = @model)`
	case sc.Maker != nil:
		return `p.id in (select x.package_id from presence x join builds b on b.id = x.build_id join models d on d.id = b.model_id where d.maker_id = @maker)`
	}
	return `true`
}

// matching adds the conditions that every word of text is in a name or label.
func matching(text string, args pgx.NamedArgs) string {
	var b strings.Builder
	for i, word := range strings.Fields(text) {
		if i == 8 {
			break
		}
		key := fmt.Sprintf("word%d", i)
		args[key] = "%" + escapeLike(word) + "%"
		fmt.Fprintf(&b, ` and (p.name ilike @%[1]s or exists (select from labels l where l.package_id = p.id and l.label ilike @%[1]s))`, key)
	}
	return b.String()
}

// Ledger reads one page of the Ledger, in the order of origin and name, and
// how many rows there are in scope, with and without the text.
func (s *Store) Ledger(ctx context.Context, q LedgerQuery) (rows []LedgerRow, found, total int, err error) {
	args := scopeArgs(q.Scope)
	args["method"], args["limit"] = q.Method, q.Limit
	scope := inScope(q.Scope)
	match := matching(q.Text, args)
	err = s.pool.QueryRow(ctx, `select count(*) filter (where true `+match+`)::int, count(*)::int from packages p where `+scope, args).Scan(&found, &total)
	if err != nil {
		return nil, 0, 0, err
	}
	after := ""
	if q.After != nil {
		after = ` where (grp, name) > (@group, @name)`
		args["group"], args["name"] = q.After.Group, q.After.Name
	}
	r, err := s.pool.Query(ctx, `
		with picked as (
			select p.id, p.name, o.origin, `+originRank+` as grp
			from packages p
			left join claims oc on oc.package_id = p.id and oc.field = 'origin' and oc.scope_kind = 'everywhere'
			cross join lateral (select coalesce(oc.value #>> '{}', p.origin) as origin) o
			where `+scope+match+`
		), page as (select * from picked`+after+` order by grp, name limit @limit)
		select p.id, p.name, p.origin, p.grp,
			`+bestLabel+` as label,
			coalesce(g.value ->> 'load', f.suggested, 'unproven') as load, g.value is null as by_suggestion,
			coalesce(f.suggested, 'unproven') as suggested, coalesce(g.scope_kind, '') as load_scope,
			coalesce(f.strip, '') as strip, coalesce(f.ceiling, 1) as ceiling, coalesce(f.floor, 0) as floor,
			coalesce(f.standing, 'untried') as standing, coalesce(f.phones, 0) as phones, coalesce(f.people, 0) as people, coalesce(f.harmed_phones, 0) as harmed_phones
		from page p
		left join figures f on f.package_id = p.id and f.target = @target and f.method = @method
		left join lateral `+claimAt("load")+` g on true
		order by p.grp, p.name`, args)
	if err != nil {
		return nil, 0, 0, err
	}
	rows, err = pgx.CollectRows(r, pgx.RowToStructByNameLax[LedgerRow])
	return rows, found, total, err
}

// FillPresence writes the presence letters of rows for the columns' builds.
func (s *Store) FillPresence(ctx context.Context, rows []LedgerRow, columns []Build) error {
	packages, builds := make([]uuid.UUID, len(rows)), make([]uuid.UUID, len(columns))
	row, column := make(map[uuid.UUID]int, len(rows)), make(map[uuid.UUID]int, len(columns))
	cells := make([][]byte, len(rows))
	for i, r := range rows {
		packages[i], row[r.ID] = r.ID, i
		cells[i] = []byte(strings.Repeat("E", len(columns)))
	}
	for i, b := range columns {
		builds[i], column[b.ID] = b.ID, i
	}
	r, err := s.pool.Query(ctx, `select package_id, build_id, switched_off from presence where package_id = any($1) and build_id = any($2)`, packages, builds)
	if err != nil {
		return err
	}
	var pkg, build uuid.UUID
	var off bool
	_, err = pgx.ForEachRow(r, []any{&pkg, &build, &off}, func() error {
		cell := &cells[row[pkg]][column[build]]
		*cell = 'F'
		if off {
			*cell = 'H'
		}
		return nil
	})
	for i := range rows {
		rows[i].Presence = string(cells[i])
	}
	return err
}
