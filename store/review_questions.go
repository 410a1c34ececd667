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

// CheckedEdit is an edit about which a reviewer would ask something.
type CheckedEdit struct {
	Edit      uuid.UUID         `json:"edit"`
	Questions []change.Question `json:"questions" nullable:"false"`
	Needs     int               `json:"needs"`
	Why       []string          `json:"why" nullable:"false"`
}

// CheckSending says what a reviewer would ask about unsent edits.
func (s *Store) CheckSending(ctx context.Context, person uuid.UUID, edits []Edit) (Checked, error) {
	out := Checked{Edits: []CheckedEdit{}}
	if len(edits) == 0 {
		return out, nil
	}
	rules, _, err := s.ReviewRules(ctx)
	if err != nil {
		return out, err
	}
	var changes int
	if err := s.pool.QueryRow(ctx, `
		select changes_accepted from people where id = $1`, person).Scan(&changes); err != nil {
		return out, err
	}
	now, err := s.EvidenceSnapshot(ctx, edits)
	if err != nil {
		return out, err
	}
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
		if len(one.Questions) > 0 || one.Needs > 1 {
			out.Edits = append(out.Edits, one)
		}
	}
	return out, nil
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
