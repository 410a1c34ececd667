package store

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
)

// Checked is what a reviewer would ask, by edit, and which edits the rules
// want more than one reviewer for.
type Checked struct {
	Edits []CheckedEdit `json:"edits" nullable:"false"`
	// Revises is the number of the change that all of the edits revise.
	Revises int64 `json:"revises"`
}

// CheckedEdit is an edit about which a reviewer would ask something, or that sets
// a load.
type CheckedEdit struct {
	Edit      uuid.UUID         `json:"edit"`
	Questions []change.Question `json:"questions" nullable:"false"`
	Needs     int               `json:"needs"`
	Why       []string          `json:"why" nullable:"false"`
	// InForce is the load that holds at its scope without it; left out of edits
	// of all else.
	InForce *LoadInForce `json:"inForce,omitempty"`
}

// CheckSending says what a reviewer would ask about unsent edits.
func (s *Store) CheckSending(ctx context.Context, person uuid.UUID, edits []Edit) (Checked, error) {
	out := Checked{Edits: []CheckedEdit{}}
	if len(edits) == 0 {
		return out, nil
	}
	rules, changes, err := s.rulesFor(ctx, person)
	if err != nil {
		return out, err
	}
	now, err := s.EvidenceSnapshot(ctx, edits)
	if err != nil {
		return out, err
	}
	return s.checkBy(ctx, person, edits, now, rules, changes)
}

// checkBy is CheckSending by what edits are judged by: the evidence, the rules
// and how many changes of the author were accepted.
func (s *Store) checkBy(ctx context.Context, person uuid.UUID, edits []Edit, now *EvidenceSnapshot, rules change.ReviewRules, changes int) (Checked, error) {
	out := Checked{Edits: []CheckedEdit{}}
	then := now.With(person, trialsAmong(edits))
	around, err := s.around(ctx, person, edits)
	if err != nil {
		return out, err
	}
	revises := edits[0].Revises
	for _, e := range edits {
		if e.Revises != revises {
			revises = 0
		}
		if e.Takes != nil {
			continue
		}
		around.count(e)
	}
	out.Revises = revises
	for _, e := range edits {
		from, method := now.Target(e)
		f := then.Figures(e.PackageID, method, from)
		sending := change.Sending{Field: change.Field(e.Field), Scope: e.Scope(), Value: e.Value, Now: e.Now, Reason: e.Reason, Figures: f,
			Suggested: then.Suggested(e.PackageID, method, from), Near: near(then.Trials(e.PackageID), e.Scope()),
			Sources: around.sources[e.PackageID], Costs: around.costs[e.PackageID], Open: around.open[e.ID], KnownTrial: around.known[e.ID]}
		c := now.Circumstance(e, then)
		c.AuthorChanges = changes
		one := CheckedEdit{Edit: e.ID, Questions: []change.Question{}, Why: []string{}}
		if e.Takes == nil {
			one.Questions = append(one.Questions, change.Questions(sending)...)
		}
		var why []string
		one.Needs, why = rules.Needs(c)
		one.Why = append(one.Why, why...)
		if e.Field == string(change.Load) {
			inForce := now.InForce(e.PackageID, e.Scope())
			one.InForce = &inForce
		}
		if len(one.Questions) > 0 || one.Needs > 1 || one.InForce != nil {
			out.Edits = append(out.Edits, one)
		}
	}
	return out, nil
}

// rulesFor are the rules of review, and how many changes of a person of which
// something was accepted they are applied with.
func (s *Store) rulesFor(ctx context.Context, person uuid.UUID) (rules change.ReviewRules, changes int, err error) {
	if rules, _, err = s.ReviewRules(ctx); err != nil {
		return rules, 0, err
	}
	err = s.pool.QueryRow(ctx, `select changes_accepted from people where id = $1`, person).Scan(&changes)
	return rules, changes, err
}

// LoadInForce is a load that holds somewhere: one that somebody set there or
// wider, or else the suggested one.
type LoadInForce struct {
	Load         evidence.Load `json:"load"`
	BySuggestion bool          `json:"bySuggestion"`
}

// InForce is the load of a package that holds at a scope.
func (j *EvidenceSnapshot) InForce(pkg uuid.UUID, at catalog.Scope) LoadInForce {
	v, bySuggestion := j.Applying(pkg, at)
	return LoadInForce{v.Load, bySuggestion}
}

// ForeseenLoad is what setting a load of one package would mean.
type ForeseenLoad struct {
	Package string      `json:"package"`
	Before  LoadInForce `json:"before"`
	// Suggested is what the evidence suggests there, Called what the packages
	// that rest on it call for, "" for nothing.
	Suggested evidence.Load `json:"suggested"`
	Called    evidence.Load `json:"called"`
	// Questions are what a reviewer would ask; Needs and Why as in CheckedEdit.
	Questions []change.Question `json:"questions" nullable:"false"`
	Needs     int               `json:"needs"`
	Why       []string          `json:"why" nullable:"false"`
}

// ForeseeLoad tells, by package, what setting a load at a scope would mean, before
// it goes into a person's tray. The error is ErrNotFound where a package is not
// known.
func (s *Store) ForeseeLoad(ctx context.Context, person uuid.UUID, packages []string, at catalog.Scope, value change.LoadValue) ([]ForeseenLoad, error) {
	edits, err := s.loadEdits(ctx, packages, at, value)
	if err != nil {
		return nil, err
	}
	rules, changes, err := s.rulesFor(ctx, person)
	if err != nil {
		return nil, err
	}
	now, err := s.EvidenceSnapshot(ctx, edits)
	if err != nil {
		return nil, err
	}
	checked, err := s.checkBy(ctx, person, edits, now, rules, changes)
	if err != nil {
		return nil, err
	}
	asked := make(map[uuid.UUID]CheckedEdit, len(checked.Edits))
	for _, c := range checked.Edits {
		asked[c.Edit] = c
	}
	out := make([]ForeseenLoad, len(edits))
	for i, e := range edits {
		from, method := now.Target(e)
		out[i] = ForeseenLoad{Package: e.Package, Before: now.InForce(e.PackageID, at), Suggested: now.Suggested(e.PackageID, method, from),
			Called: now.calledFor(e.PackageID, from), Questions: []change.Question{}, Needs: 1, Why: []string{}}
		if c, ok := asked[e.ID]; ok {
			out[i].Questions, out[i].Needs, out[i].Why = c.Questions, c.Needs, c.Why
		}
	}
	return out, nil
}

// loadEdits are the edits that set a load of packages, as they would stand in a
// tray.
func (s *Store) loadEdits(ctx context.Context, packages []string, at catalog.Scope, value change.LoadValue) ([]Edit, error) {
	raw, err := json.Marshal(value)
	if err != nil {
		return nil, err
	}
	scope := uuid.Nil
	if at.ID != "" {
		if scope, err = uuid.Parse(at.ID); err != nil {
			return nil, err
		}
	}
	rows, err := s.pool.Query(ctx, `
		select p.id as package_id, p.name as package, c.value as now
		from packages p
		left join claims c on c.package_id = p.id and c.field = 'load' and c.scope_kind = $2 and c.scope_id = $3
		where p.name = any($1)
		order by array_position($1, p.name)`, packages, string(at.Kind), scope)
	if err != nil {
		return nil, err
	}
	edits, err := pgx.CollectRows(rows, pgx.RowToStructByNameLax[Edit])
	if err == nil && len(edits) < len(packages) {
		err = ErrNotFound
	}
	for i := range edits {
		e := &edits[i]
		e.ID, e.Field, e.ScopeKind, e.ScopeID, e.Value, e.Reason = NewID(), string(change.Load), string(at.Kind), scope, raw, "to come"
	}
	return edits, err
}

func trialsAmong(edits []Edit) (list []Edit) {
	for _, e := range edits {
		if e.Field == string(change.Trial) {
			list = append(list, e)
		}
	}
	return list
}

// near counts the phones whose firmware is as near as a scope is narrow.
func near(trials []evidence.Trial, at catalog.Scope) int {
	phones := map[string]bool{}
	for _, t := range trials {
		if at.Covers(t.On) {
			phones[t.Phone] = true
		}
	}
	return len(phones)
}

// surroundings are what lies around unsent edits, by package and by edit.
type surroundings struct {
	sources, costs map[uuid.UUID]int
	open           map[uuid.UUID][]change.OpenEdit
	known          map[uuid.UUID]bool
}

// count adds what the sending itself brings.
func (a surroundings) count(e Edit) {
	switch change.Field(e.Field) {
	case change.Source:
		a.sources[e.PackageID]++
	case change.Functions, change.Substitutes:
		var list []json.RawMessage
		if json.Unmarshal(e.Value, &list) == nil {
			a.costs[e.PackageID] += len(list)
		}
	}
}

func (s *Store) around(ctx context.Context, person uuid.UUID, edits []Edit) (a surroundings, err error) {
	a = surroundings{map[uuid.UUID]int{}, map[uuid.UUID]int{}, map[uuid.UUID][]change.OpenEdit{}, map[uuid.UUID]bool{}}
	ids, packages := make([]uuid.UUID, len(edits)), map[uuid.UUID]bool{}
	for i, e := range edits {
		ids[i], packages[e.PackageID] = e.ID, true
	}
	rows, err := s.pool.Query(ctx, `
		select p.id, (select count(*) from sources where package_id = p.id)::int,
			(select coalesce(sum(jsonb_array_length(value)), 0)
				from claims
				where package_id = p.id and field in ('functions', 'substitutes')
					and jsonb_typeof(value) = 'array')::int
		from unnest($1::uuid[]) p (id)`, sortedIDs(packages))
	if err != nil {
		return a, err
	}
	var id uuid.UUID
	var sources, costs int
	if _, err = pgx.ForEachRow(rows, []any{&id, &sources, &costs}, func() error { a.sources[id], a.costs[id] = sources, costs; return nil }); err != nil {
		return a, err
	}
	// Somebody's open edits of the same field, not those that this one revises.
	rows, err = s.pool.Query(ctx, `
		select t.id, c.number, case when c.author_id = $2 then 'you' else w.name end, o.value
		from edits t
		join edits o on o.package_id = t.package_id and o.field = t.field and o.state = 'open'
			and o.scope_kind = t.scope_kind and o.scope_id = t.scope_id and o.thread <> t.thread
			join changes c on c.id = o.change_id join people w on w.id = c.author_id
		where t.id = any($1) and (t.field not in ('trial', 'source') or o.value = t.value)
		order by c.number
		limit 5000`, ids, person)
	if err != nil {
		return a, err
	}
	var o change.OpenEdit
	if _, err = pgx.ForEachRow(rows, []any{&id, &o.Change, &o.Author, &o.Value}, func() error { a.open[id] = append(a.open[id], o); return nil }); err != nil {
		return a, err
	}
	rows, err = s.pool.Query(ctx, `
		select distinct e.id
		from edits e
		join trials t on t.package_id = e.package_id and t.phone = e.value ->> 'phone'
			and t.build_id::text = e.value ->> 'build' and t.method = e.value ->> 'method'
		where e.id = any($1) and e.field = 'trial' and e.takes is null`, ids)
	if err != nil {
		return a, err
	}
	_, err = pgx.ForEachRow(rows, []any{&id}, func() error { a.known[id] = true; return nil })
	return a, err
}
