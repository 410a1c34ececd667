package store

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"

	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/filter"
)

// LedgerQuery says which rows of the Ledger to read.
type LedgerQuery struct {
	Scope  Scope
	Method string
	// Filter is what rows must fit; nil for all.
	Filter filter.Node
	// Sort orders the rows of a group, Group heads them: see Sorts and Groups, and
	// Arranged for what "" stands for.
	Sort, Group string
	// After is the last row of the page before, nil for the first page.
	After *LedgerCursor
	Limit int
	// Columns are the builds that the rows' presence has letters for.
	Columns []Build
	// everyWay has rows come with what they would be ordered and grouped by in every
	// way: see arrange.
	everyWay bool
}

// ByFit is the sort that puts first what fits the filter's words best.
const ByFit = "fit"

// Arranged is how the rows of a query are ordered and grouped: what somebody
// looks for by name stands first, whoever put it there; all else is by origin
// and name.
func (q LedgerQuery) Arranged() (sort, group string) {
	if filter.Phrase(q.Filter) == "" {
		return cmp.Or(q.Sort, "name"), cmp.Or(q.Group, "origin")
	}
	return cmp.Or(q.Sort, ByFit), cmp.Or(q.Group, "none")
}

// LedgerCursor is the place of a row in the Ledger's order.
type LedgerCursor struct {
	Group string  `json:"g"`
	Order float64 `json:"o"`
	Name  string  `json:"n"`
}

// LedgerRow is one package in the Ledger.
type LedgerRow struct {
	ID     uuid.UUID `db:"id" json:"id"`
	Name   string    `db:"name" json:"name"`
	Label  string    `db:"label" json:"label"`
	Origin string    `db:"origin" json:"origin"`
	// Group is what the row is put under: the value that the Ledger is grouped
	// by, after two digits and a colon that give the place of the group.
	Group string  `db:"grp" json:"group"`
	Order float64 `db:"ord" json:"-"`
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
	// Hard and Soft count the packages that rest on it, on the newest build of
	// the model in scope where most do.
	Hard int `db:"hard" json:"hard"`
	Soft int `db:"soft" json:"soft"`
	// Icon is "yes" where it has an icon on the home screen or in the list of apps,
	// on some firmware of the scope; "" where no capture told.
	Icon string `db:"icon" json:"icon" enum:"yes,no,"`
	// Measured counts the phones whose measurements tell of it, on the model of the
	// scope where it takes most; Memory and Wakeups in an hour are the median of
	// them, and Starts is true where it runs by itself.
	Measured int     `db:"measured" json:"measured"`
	Memory   float64 `db:"memory" json:"memory"`
	Wakeups  float64 `db:"wakeups" json:"wakeups"`
	Starts   bool    `db:"starts" json:"starts"`
	// Waiting counts edits of it that wait for a reviewer.
	Waiting int `db:"waiting" json:"waiting"`
	// Presence has a letter for each column: F ships it, H ships it switched
	// off, E does not.
	Presence string `db:"-" json:"presence"`
}

// heaviestFirst is the order of loads in lists: what must stay on top, and what
// nobody has rated last.
var heaviestFirst = []evidence.Load{
	evidence.LoadBearing, evidence.TiedIn, evidence.LeanedOn, evidence.Loose, evidence.Unproven,
}

// position is where a column's value stands in a vocabulary, as SQL.
func position[T ~string](values []T, column string) string {
	list := make([]string, len(values))
	for i, v := range values {
		list[i] = "'" + string(v) + "'"
	}
	return "array_position(array[" + strings.Join(list, ",") + "], " + column + ")"
}

// placed is a group of the Ledger that sorts as a vocabulary does.
func placed[T ~string](values []T, column string) string {
	return "to_char(" + position(values, column) + ", 'FM00') || ':' || " + column
}

// Groups are what the Ledger can be grouped by, each as an expression over
// ledgerRows that sorts as the groups do.
var Groups = map[string]string{
	"origin":    placed(catalog.Origins, "origin"),
	"namespace": `'00:' || split_part(name, '.', 1) || case when position('.' in name) > 0 then '.' || split_part(name, '.', 2) else '' end`,
	"load":      placed(heaviestFirst, "load"),
	"function": `coalesce((select '00:' || (k.value ->> 0)
			from claims k
			where k.package_id = seen.id and k.field = 'functions' and jsonb_array_length(k.value) > 0
			limit 1),
			'01:')`,
	"maker": `(select case when k.makers = 0 then '02:' when k.makers > 1 then '01:' else '00:' || m.name end
		from packages k left join makers m on m.id = k.maker_id where k.id = seen.id)`,
	"icon": `case icon when 'yes' then '00:yes' when 'no' then '01:no' else '02:' end`,
	"none": `'00:'`,
}

// Sorts are what the rows of a group can be ordered by, each as a number that
// grows from first to last; names decide between equals.
var Sorts = map[string]string{
	"name":     `0`,
	"load":     position(heaviestFirst, "load"),
	"ceiling":  `case when phones = 0 then 2 else ceiling end`,
	"standing": `-` + position(evidence.Standings, "standing"),
	"trials":   `-phones`,
	"builds":   `-(select k.builds from packages k where k.id = seen.id)`,
	"resting":  `-coalesce((select max(x.hard * 100000 + x.soft) from shipped_by x where x.package_id = seen.id), 0)`,
	"memory": `-coalesce((select max(u.memory)
				from package_uses u
				where u.package_id = seen.id and ` + usedInScope + `),
			0)`,
	"newest": `-(select coalesce(extract(epoch from k.newest_build), 0) from packages k where k.id = seen.id)`,
}

// claimJoin joins, as an alias, the claim of a field of package p that applies
// in the scope: the narrowest.
func claimJoin(sc Scope, field, as string) string {
	if sc.Maker == nil {
		return `left join claims ` + as + ` on ` + as + `.package_id = p.id and ` + as + `.field = '` + field + `'
			and ` + as + `.scope_kind = 'everywhere' and ` + as + `.value is not null`
	}
	return `left join lateral (select c.value, c.scope_kind from claims c
			where c.package_id = p.id and c.field = '` + field + `' and c.value is not null
			and c.scope_id in (` + everywhereID + `, @maker, @model, @build)
			order by ` + position(catalog.ScopeKinds, "c.scope_kind") + ` desc
			limit 1) ` + as + ` on true`
}

// scopeArgs are the named arguments that claimJoin and inScope use.
func scopeArgs(sc Scope) pgx.NamedArgs {
	args := pgx.NamedArgs{"maker": uuid.Nil, "model": uuid.Nil, "build": uuid.Nil}
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

// shippedInScope are the rows x of shipped_by of models in the scope.
const shippedInScope = `(@maker = ` + everywhereID + `::uuid or x.model_id = @model
	or @model = ` + everywhereID + `::uuid
		and x.model_id in (select id from models where maker_id = @maker))`

// held are the packages p of the scope, each with the load that structure calls
// for there and, but for everywhere, with how many packages rest on it on the
// newest build of the model in scope where most do.
func held(sc Scope) string {
	const columns = `k.id, k.name, k.origin, k.trials_stamp`
	switch {
	case sc.Build != nil:
		return `(select ` + columns + `, y.called, y.hard, y.soft, x.icon
			from presence x
			join packages k on k.id = x.package_id
			join shipped_by y on y.model_id = @model and y.package_id = x.package_id
			where x.build_id = @build) p`
	case sc.Model != nil:
		return `(select ` + columns + `, y.called, y.hard, y.soft, y.icon
			from shipped_by y
			join packages k on k.id = y.package_id
			where y.model_id = @model) p`
	case sc.Maker != nil:
		return `(select ` + columns + `, (` + calledOrder + `)[y.heaviest] as called,
				y.most[1] as hard, y.most[2] as soft, y.icon
			from (select x.package_id, min(array_position(` + calledOrder + `, x.called)) as heaviest,
				max(array[x.hard, x.soft]) as most, bool_or(x.icon) as icon
				from shipped_by x
				join models d on d.id = x.model_id
				where d.maker_id = @maker
				group by 1) y
			join packages k on k.id = y.package_id) p`
	}
	return `packages p`
}

// ledgerColumns are those of ledgerRows that a page has.
const ledgerColumns = `p.id, p.name, p.origin, p.load, p.by_suggestion, p.suggested, p.load_scope, p.strip, p.ceiling,
				p.floor, p.standing, p.phones, p.people, p.harmed_phones, p.icon`

// ledgerRows are the packages in scope with their marks: what filters, groups
// and orders are written over. With words they have what search looks into.
func ledgerRows(sc Scope, args pgx.NamedArgs, words bool) string {
	columns, join := "", ""
	if sc.Maker != nil {
		columns = ", p.hard, p.soft"
	}
	if words {
		columns += ", w.names, w.said"
		join = "join package_words w on w.package_id = p.id"
	}
	return `
		select p.id, p.name, coalesce(oc.value #>> '{}', p.origin) as origin,
			coalesce(g.value ->> 'load', suggested_load(f.suggested, p.called)) as load,
			g.value is null as by_suggestion, suggested_load(f.suggested, p.called) as suggested,
			coalesce(g.scope_kind, '') as load_scope,
			coalesce(f.strip, '') as strip, coalesce(f.ceiling, 1) as ceiling, coalesce(f.floor, 0) as floor,
			coalesce(f.standing, 'untried') as standing, coalesce(f.phones, 0) as phones,
			coalesce(f.people, 0) as people, coalesce(f.harmed_phones, 0) as harmed_phones,
			case p.icon when true then 'yes' when false then 'no' else '' end as icon,
			` + lacking(sc) + ` as lacking` + columns + `
		from ` + held(sc) + `
		` + join + `
		left join claims oc on oc.package_id = p.id and oc.field = 'origin' and oc.scope_kind = 'everywhere'
		` + figuresJoin(sc, args) + `
		` + claimJoin(sc, "load", "g") + `
		where true`
}

// ledgerStatement is what a page of the Ledger is asked for with.
type ledgerStatement struct {
	page, counts string
	args         pgx.NamedArgs
	// forScope says that it is sent as planned is.
	forScope bool
	// byWords says that neither what is found nor in which order rests on anything
	// but words.
	byWords bool
	// once says that it is not asked again.
	once bool
	// reads and forgives are those of the filter's conditions.
	reads    []string
	forgives bool
}

// sent are the arguments with which it is sent.
func (st ledgerStatement) sent() []any {
	if st.forScope {
		return []any{planned, st.args}
	}
	return []any{st.args}
}

// statement writes the statement of a page: the rows in scope (seen), those of
// them that fit (fitting), and the page of these. Of a model it may be asked for
// some packages only, nil for all.
func (q LedgerQuery) statement(only []uuid.UUID) (ledgerStatement, error) {
	sortName, groupName := q.Arranged()
	group, sort := Groups[groupName], Sorts[sortName]
	st := ledgerStatement{args: scopeArgs(q.Scope)}
	st.args["method"], st.args["limit"] = q.Method, q.Limit
	c := &conditions{args: st.args, ofModel: q.Scope.Model != nil}
	resting := `p.hard, p.soft`
	switch {
	case q.Scope.Maker == nil:
		resting = `coalesce((select array[x.hard, x.soft]
				from shipped_by x
				where x.package_id = p.id
				order by x.hard desc, x.soft desc
				limit 1), '{0,0}') as most`
	default:
		st.forScope = true
	}
	sort = q.sorting(sortName, sort, c)
	if group == "" || sort == "" {
		return st, fmt.Errorf("the Ledger has no group %q or no sort %q", groupName, sortName)
	}
	fits, words := "true", sortName == ByFit || q.everyWay && filter.Phrase(q.Filter) != ""
	if q.Filter != nil {
		fits, words = c.where(q.Filter), words || c.words
	}
	seen, rows := ledgerRows(q.Scope, st.args, words), "page p"
	if only != nil {
		seen += " and p.id = any(@only)"
		st.args["only"], st.forScope = only, false
	}
	total := `(select count(*) from seen)::int`
	switch {
	case q.Scope.Maker != nil || q.Filter == nil:
	case byWordsAlone(q.Filter) && (sortName == ByFit || sortName == "name") && groupName == "none":
		// Only the page's rows need marks.
		st.byWords = true
		seen, fits = c.foundAlone("package_id as id, name, names, false as lacking", q.Filter), "true"
		st.forScope = c.short
		rows = `(select r.*, g.grp, g.ord
				from page g
				join (` + ledgerRows(q.Scope, st.args, false) + `
					and p.id = any(array(select id from page))) r on r.id = g.id) p`
		total = `(select packages from catalogue_size)::int`
	default:
		if among := c.narrowing(q.Filter); among != "" {
			seen += " and " + among
			total = `(select packages from catalogue_size)::int`
		}
	}
	st.reads, st.forgives, st.once = c.reads, c.forgives, c.since
	ways, way := "", ""
	if q.everyWay {
		ways, way = q.ways(c), ", p.groups, p.orders"
	}
	after := ""
	if q.After != nil {
		after = `
				where (grp collate "C", ord, name collate "C")
					> (@group collate "C", @order::float8, @name collate "C")`
		st.args["group"], st.args["order"], st.args["name"] = q.After.Group, q.After.Order, q.After.Name
	}
	counts := `array(select id from seen where lacking) as missing, ` + total + ` as total`
	with := `
			with seen as materialized (` + seen + `)`
	st.counts = with + ` select ` + counts
	st.page = with + `,
			fitting as materialized (
				select seen.*, ` + group + ` as grp, (` + sort + `)::float8 as ord` + ways + `
				from seen
				where ` + fits + `),
			page as (select * from fitting` + after + ` order by grp collate "C", ord, name collate "C" limit @limit)
			select ` + ledgerColumns + `, p.grp, p.ord` + way + `, ` + bestLabel + ` as label, ` + resting + `,
				coalesce(u.phones, 0) as measured, coalesce(u.memory, 0) as memory, coalesce(u.wakeups, 0) as wakeups,
				coalesce(u.processes > 0, false) as starts,
				(select count(*) from edits o where o.package_id = p.id and o.state = 'open')::int as waiting,
				(select count(*) from fitting)::int as found, ` + counts + `
			from ` + rows + `
			left join lateral (select u.phones, u.memory, u.wakeups, u.processes
				from package_uses u
				where u.package_id = p.id and ` + usedInScope + `
				order by u.memory desc
				limit 1) u on true
			order by p.grp collate "C", p.ord, p.name collate "C"`
	return st, nil
}

// ledgerPage is one page of the Ledger.
type ledgerPage struct {
	rows []LedgerRow
	// ways are those of the rows, where they come in every way.
	ways []rowWays
	// found and total count rows in scope, with and without the filter.
	found, total int
	// lacking are packages whose figures are to be made first.
	lacking []uuid.UUID
}

// errLacking says that a replica lacks figures, which are made elsewhere.
var errLacking = errors.New("figures are lacking on the replica")

// Ledger reads one page of the Ledger, in the order of group, sort and name,
// and how many rows there are in scope, with and without the filter.
func (s *Store) Ledger(ctx context.Context, q LedgerQuery) (rows []LedgerRow, found, total int, err error) {
	st, err := q.statement(nil)
	if err != nil {
		return nil, 0, 0, err
	}
	read := s.ledgerOnce
	if !q.keeps() || st.once || len(s.replicas) > 0 || ctx.Value(transactionKey{}) != nil {
		read = s.pageOf
	}
	page, err := read(ctx, q, st)
	return page.rows, page.found, page.total, err
}

// pageOf reads a page with the figures of its scope.
func (s *Store) pageOf(ctx context.Context, q LedgerQuery, st ledgerStatement) (page ledgerPage, err error) {
	err = s.readingFigures(ctx, s.pool, q.Scope, func() ([]uuid.UUID, error) {
		err := s.lagging(ctx, func(pool *pgxpool.Pool) (err error) {
			page, err = readLedger(ctx, pool, st)
			if err == nil && len(page.lacking) > 0 && pool != s.pool {
				err = errLacking
			}
			return err
		})
		return page.lacking, err
	})
	if err == nil && len(q.Columns) > 0 {
		err = s.fillPresence(ctx, page.rows, q.Columns)
	}
	return page, err
}

func readLedger(ctx context.Context, q querier, st ledgerStatement) (page ledgerPage, err error) {
	type counted struct {
		LedgerRow
		rowWays
		Found   int         `db:"found"`
		Total   int         `db:"total"`
		Missing []uuid.UUID `db:"missing"`
		// Most is, everywhere, Hard and Soft of the model where most do.
		Most []int `db:"most"`
	}
	r, err := q.Query(ctx, st.page, st.sent()...)
	if err != nil {
		return page, err
	}
	list, err := pgx.CollectRows(r, pgx.RowToStructByNameLax[counted])
	if err != nil {
		return page, err
	}
	page.rows = make([]LedgerRow, len(list))
	for i, c := range list {
		page.rows[i], page.found, page.total, page.lacking = c.LedgerRow, c.Found, c.Total, c.Missing
		if c.Orders != nil {
			page.ways = append(page.ways, c.rowWays)
		}
		if len(c.Most) == 2 {
			page.rows[i].Hard, page.rows[i].Soft = c.Most[0], c.Most[1]
		}
	}
	if len(list) == 0 {
		// Nothing on this page tells how many there are in scope.
		err = q.QueryRow(ctx, st.counts, st.sent()...).Scan(&page.lacking, &page.total)
	}
	return page, err
}

// fillPresence writes the presence letters of rows for the columns' builds.
func (s *Store) fillPresence(ctx context.Context, rows []LedgerRow, columns []Build) error {
	packages, builds := make([]uuid.UUID, len(rows)), make([]uuid.UUID, len(columns))
	row := make(map[uuid.UUID]int, len(rows))
	for i, r := range rows {
		packages[i], row[r.ID] = r.ID, i
		rows[i].Presence = strings.Repeat("E", len(columns))
	}
	for i, b := range columns {
		builds[i] = b.ID
	}
	r, err := s.pool.Query(ctx, `
		select package_id, array_agg(array_position($2::uuid[], build_id)),
			string_agg(case when switched_off then 'H' else 'F' end, '')
		from presence
		where package_id = any($1) and build_id = any($2)
		group by 1`, planned, packages, builds)
	if err != nil {
		return err
	}
	var pkg uuid.UUID
	var at []int
	var letters string
	_, err = pgx.ForEachRow(r, []any{&pkg, &at, &letters}, func() error {
		cells := []byte(rows[row[pkg]].Presence)
		for i, column := range at {
			cells[column-1] = letters[i]
		}
		rows[row[pkg]].Presence = string(cells)
		return nil
	})
	return err
}
