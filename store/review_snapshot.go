package store

import (
	"context"
	"encoding/json"
	"slices"
	"sync"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
)

// EvidenceSnapshot is what edits are judged by: the trials and loads of their packages,
// as they are, and where the builds, models and makers that they are about
// stand.
type EvidenceSnapshot struct {
	Yardstick evidence.Yardstick
	trials    map[uuid.UUID][]evidence.Trial
	// tried are packages whose trials are as they are kept.
	tried     map[uuid.UUID]*triedPackage
	loads     map[uuid.UUID][]loadClaim
	firmwares map[string]evidence.Firmware
	called    map[uuid.UUID][]calledFor
	// without is what this one was made of, and changed the packages whose
	// trials are others than there: of all else the figures are the same.
	without *EvidenceSnapshot
	changed map[uuid.UUID]bool
	// more are trials beside those of the same package in the one that this was made
	// of, which stand in trials as they stand there.
	more map[uuid.UUID][]evidence.Trial
	// working guards what follows: what was worked out already.
	working  sync.Mutex
	gathered map[gatherKey]evidence.Gathered
	figures  map[figureKey]evidence.Figures
	// seen are the figures in views that were worked out together, in their order.
	seen   map[gatherKey][]evidence.Figures
	views  map[view]int
	limits evidence.Limits
}

// calledFor is the load that what rests on a package calls for on some models of
// a maker.
type calledFor struct {
	models []uuid.UUID
	maker  string
	load   evidence.Load
}

// loadClaim is a grade and where it holds.
type loadClaim struct {
	scope catalog.Scope
	value change.LoadValue
}

// EvidenceSnapshot loads what edits are judged by.
func (s *Store) EvidenceSnapshot(ctx context.Context, edits []Edit) (*EvidenceSnapshot, error) {
	packages, places := map[uuid.UUID]bool{}, map[uuid.UUID]bool{}
	for _, e := range edits {
		if !e.Judged() {
			continue
		}
		packages[e.PackageID] = true
		places[e.ScopeID] = true
		if t, ok := e.trial(); ok {
			if build, err := uuid.Parse(t.Build); err == nil {
				places[build] = true
			}
		}
	}
	trials, err := s.trialsNow(ctx, sortedIDs(packages))
	if err != nil {
		return nil, err
	}
	return readSnapshot(ctx, s.pool, trials, sortedIDs(packages), sortedIDs(places))
}

// readSnapshot reads what is known of packages besides their trials.
func readSnapshot(ctx context.Context, q querier, trials map[uuid.UUID]*triedPackage, packages, places []uuid.UUID) (*EvidenceSnapshot, error) {
	j := &EvidenceSnapshot{tried: trials, trials: make(map[uuid.UUID][]evidence.Trial, len(trials)), loads: map[uuid.UUID][]loadClaim{}}
	for pkg, of := range trials {
		j.trials[pkg] = of.list
	}
	var err error
	if j.Yardstick, _, err = yardstick(ctx, q); err != nil {
		return nil, err
	}
	if j.firmwares, err = firmwares(ctx, q, places); err != nil {
		return nil, err
	}
	rows, err := q.Query(ctx, `
		select package_id, scope_kind, scope_id, value
		from claims
		where package_id = any($1) and field = 'load' and value is not null`, packages)
	if err != nil {
		return nil, err
	}
	var pkg, scope uuid.UUID
	var kind string
	var value json.RawMessage
	_, err = pgx.ForEachRow(rows, []any{&pkg, &kind, &scope, &value}, func() error {
		claim := loadClaim{scope: scopeOf(kind, scope)}
		j.loads[pkg] = append(j.loads[pkg], claim)
		return json.Unmarshal(value, &j.loads[pkg][len(j.loads[pkg])-1].value)
	})
	if err != nil {
		return nil, err
	}
	j.called = map[uuid.UUID][]calledFor{}
	rows, err = q.Query(ctx, `
		select x.package_id, d.maker_id::text, x.called, array_agg(d.id)
		from shipped_by x
		join models d on d.id = x.model_id
		where x.package_id = any($1) and x.called <> ''
		group by 1, 2, 3`, packages)
	if err != nil {
		return nil, err
	}
	var c calledFor
	_, err = pgx.ForEachRow(rows, []any{&pkg, &c.maker, &c.load, &c.models}, func() error {
		j.called[pkg] = append(j.called[pkg], c)
		c.models = nil
		return nil
	})
	return j, err
}

func scopeOf(kind string, id uuid.UUID) catalog.Scope {
	if id == uuid.Nil {
		return catalog.Scope{Kind: catalog.ScopeKind(kind)}
	}
	return catalog.Scope{Kind: catalog.ScopeKind(kind), ID: id.String()}
}

// Scope is where the edit's value holds.
func (e Edit) Scope() catalog.Scope { return scopeOf(e.ScopeKind, e.ScopeID) }

// Judged reports whether evidence says something for or against the edit.
func (e Edit) Judged() bool {
	return e.Field == string(change.Load) || e.Field == string(change.Trial)
}

// trial is the value of an edit that adds a trial.
func (e Edit) trial() (v change.TrialValue, ok bool) {
	if e.Field != string(change.Trial) {
		return v, false
	}
	value := e.Value
	if e.Takes != nil {
		value = e.Base
	}
	return v, json.Unmarshal(value, &v) == nil
}

// Target is the firmware and method that an edit is judged from: of a trial
// its own, of all else its scope's.
func (j *EvidenceSnapshot) Target(e Edit) (evidence.Firmware, evidence.Method) {
	if t, ok := e.trial(); ok {
		return j.firmwares[t.Build], t.Method
	}
	return j.firmwares[e.ScopeID.String()], evidence.RemoveForUser
}

// Trials are those of a package as they are.
func (j *EvidenceSnapshot) Trials(pkg uuid.UUID) []evidence.Trial {
	if len(j.more[pkg]) == 0 {
		return j.trials[pkg]
	}
	return slices.Concat(j.trials[pkg], j.more[pkg])
}

// With is the evidence as it would be with the trials of edits by an author.
func (j *EvidenceSnapshot) With(author uuid.UUID, edits []Edit) *EvidenceSnapshot {
	out := &EvidenceSnapshot{
		Yardstick: j.Yardstick,
		firmwares: j.firmwares,
		trials:    map[uuid.UUID][]evidence.Trial{},
		called:    j.called,
		loads:     map[uuid.UUID][]loadClaim{},
		without:   j,
		changed:   map[uuid.UUID]bool{},
		more:      map[uuid.UUID][]evidence.Trial{},
	}
	fewer := map[uuid.UUID]bool{}
	for pkg := range j.trials {
		out.trials[pkg] = j.Trials(pkg)
	}
	for pkg, list := range j.loads {
		out.loads[pkg] = list[:len(list):len(list)]
	}
	for _, e := range edits {
		switch {
		case e.Takes != nil:
			out.changed[e.PackageID], fewer[e.PackageID] = true, true
			out.trials[e.PackageID] = withoutTrial(out.trials[e.PackageID], e.Takes.String())
			out.more[e.PackageID] = withoutTrial(out.more[e.PackageID], e.Takes.String())
		case e.Field == string(change.Trial):
			v, ok := e.trial()
			if ok {
				out.changed[e.PackageID] = true
				person := author.String()
				if v.Report != "" {
					person = v.Phone
				}
				out.more[e.PackageID] = append(
					out.more[e.PackageID],
					evidence.Trial{ID: e.ID.String(), Phone: v.Phone, Person: person, Outside: v.Report != "", On: j.firmwares[v.Build], Method: v.Method, Outcome: v.Outcome,
						Function: v.Function, CameBack: v.Persistence == "back-after-restart" || v.Persistence == "back-after-update"},
				)
			}
		case e.Field == string(change.Load):
			out.setLoad(e)
		}
	}
	for pkg, more := range out.more {
		switch {
		case fewer[pkg]:
			out.trials[pkg] = out.Trials(pkg)
			delete(out.more, pkg)
		case out.trials[pkg] == nil && len(more) > 0:
			out.trials[pkg] = []evidence.Trial{} // so that it is among them
		}
	}
	return out
}

// WithOnly is what is known of an edit's package, with the edit's trial and
// nothing else of its author's.
func (j *EvidenceSnapshot) WithOnly(author uuid.UUID, e Edit) *EvidenceSnapshot {
	return j.of(e.PackageID).With(author, []Edit{e})
}

// of is what is known of one package.
func (j *EvidenceSnapshot) of(pkg uuid.UUID) *EvidenceSnapshot {
	return &EvidenceSnapshot{Yardstick: j.Yardstick, firmwares: j.firmwares, called: j.called, without: j,
		trials: map[uuid.UUID][]evidence.Trial{pkg: j.Trials(pkg)}, loads: map[uuid.UUID][]loadClaim{pkg: j.loads[pkg]}}
}

func withoutTrial(list []evidence.Trial, id string) []evidence.Trial {
	kept := make([]evidence.Trial, 0, len(list))
	for _, t := range list {
		if t.ID != id {
			kept = append(kept, t)
		}
	}
	return kept
}

// setLoad puts an edit's load in the place of the one at its scope.
func (j *EvidenceSnapshot) setLoad(e Edit) {
	kept := make([]loadClaim, 0, len(j.loads[e.PackageID])+1)
	for _, c := range j.loads[e.PackageID] {
		if c.scope != e.Scope() {
			kept = append(kept, c)
		}
	}
	value := e.Value
	if e.Settled != nil {
		value = e.Settled
	}
	var v change.LoadValue
	if value != nil && json.Unmarshal(value, &v) == nil && v.Load != "" {
		kept = append(kept, loadClaim{e.Scope(), v})
	}
	j.loads[e.PackageID] = kept
}

// Suggested is the load that the trials of a package by a method, seen from a
// firmware, and what rests on the package there suggest.
func (j *EvidenceSnapshot) Suggested(pkg uuid.UUID, method evidence.Method, from evidence.Firmware) evidence.Load {
	return evidence.Joined(evidence.SuggestedLoad(j.Figures(pkg, method, from), j.Yardstick.Thresholds), j.calledFor(pkg, from))
}

// calledFor is the load that what rests on a package calls for, seen from a
// firmware: the heaviest on any model that it stands for; "" for none.
func (j *EvidenceSnapshot) calledFor(pkg uuid.UUID, from evidence.Firmware) (called evidence.Load) {
	model, err := uuid.Parse(from.Model)
	anyModel := err != nil
	for _, c := range j.called[pkg] {
		if (from.Maker == "" || from.Maker == c.maker) && (called == "" || c.load.Rank() > called.Rank()) &&
			(anyModel || slices.Contains(c.models, model)) {
			called = c.load
		}
	}
	return called
}

// Applying is the load that holds at a scope: the narrowest that somebody set
// there or wider, or else the suggested one.
func (j *EvidenceSnapshot) Applying(pkg uuid.UUID, at catalog.Scope) (value change.LoadValue, bySuggestion bool) {
	if value, ok := j.claimed(pkg, at); ok {
		return value, false
	}
	return change.LoadValue{Load: j.Suggested(pkg, evidence.RemoveForUser, j.firmwares[at.ID])}, true
}

// claimed is the narrowest load that somebody set at a scope or wider.
func (j *EvidenceSnapshot) claimed(pkg uuid.UUID, at catalog.Scope) (value change.LoadValue, ok bool) {
	var scopes []catalog.Scope
	var values []change.LoadValue
	for _, c := range j.loads[pkg] {
		if !c.scope.Narrower(at) {
			scopes, values = append(scopes, c.scope), append(values, c.value)
		}
	}
	if i, _ := catalog.Applying(scopes, j.firmwares[at.ID]); i >= 0 {
		return values[i], true
	}
	return value, false
}

// Circumstance is what the rules of review judge an edit by; then is the
// evidence as it would be with what goes before it.
func (j *EvidenceSnapshot) Circumstance(e Edit, then *EvidenceSnapshot) change.Circumstance {
	c := change.Circumstance{Field: change.Field(e.Field), Written: e.Settled != nil}
	if c.Field != change.Load {
		return c
	}
	before, _ := j.Applying(e.PackageID, e.Scope())
	with := then.of(e.PackageID).With(uuid.Nil, []Edit{e})
	after, bySuggestion := with.Applying(e.PackageID, e.Scope())
	c.Before, c.After, c.Suggested = before.Load, after.Load, then.Suggested(e.PackageID, evidence.RemoveForUser, then.firmwares[e.Scope().ID])
	if bySuggestion {
		c.Suggested = c.After
	}
	return c
}

// firmwares finds what ids of builds, models and makers stand for as targets,
// by id; a model stands for its newest build.
func firmwares(ctx context.Context, q querier, ids []uuid.UUID) (map[string]evidence.Firmware, error) {
	rows, err := q.Query(ctx, `
		select b.id::text, b.id::text, b.model_id::text, d.maker_id::text, b.release
		from builds b
		join models d on d.id = b.model_id
		where b.id = any($1)
		union all
		select d.id::text, n.id::text, d.id::text, d.maker_id::text, n.release from models d
			cross
			join lateral (select b.id,
				b.release
					from builds b
					where b.model_id = d.id
					order by `+newestBuild+` limit 1) n where d.id = any($1)
		union all
		select m.id::text, '', '', m.id::text, '' from makers m where m.id = any($1)`, ids)
	if err != nil {
		return nil, err
	}
	out := map[string]evidence.Firmware{}
	var id string
	var f evidence.Firmware
	_, err = pgx.ForEachRow(rows, []any{&id, &f.Build, &f.Model, &f.Maker, &f.Release}, func() error { out[id] = f; return nil })
	return out, err
}
