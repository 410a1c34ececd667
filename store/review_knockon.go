package store

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"runtime"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
)

// KnockOn is what edits do to everything that rests on the catalogue.
type KnockOn struct {
	// Profiles are those that change, published ones first.
	Profiles []ProfileEffect `json:"profiles" nullable:"false"`
	// Untouched counts profiles of models that ship one of the packages and
	// that stay as they are.
	Untouched int `json:"untouched"`
	// Releases counts current releases that would want a new number.
	Releases int `json:"releases"`
	// Moves are the packages' figures and loads, seen from where each edit is
	// about.
	Moves []PlacedMove `json:"moves" nullable:"false"`
}

// ProfileEffect is what edits do to one profile.
type ProfileEffect struct {
	ID        uuid.UUID `json:"id"`
	Name      string    `json:"name"`
	MakerName string    `json:"makerName"`
	ModelName string    `json:"modelName"`
	// Release is the number of its current release, 0 without one; Next is
	// the number that the next one gets.
	Release int `json:"release"`
	Next    int `json:"next"`
	change.Effect
}

// PlacedMove is a move and from where it is seen.
type PlacedMove struct {
	Place  string          `json:"place"`
	Method evidence.Method `json:"method"`
	change.Move
}

// profileRow is a profile with what its knock-on is computed from.
type profileRow struct {
	ID        uuid.UUID       `db:"id"`
	Name      string          `db:"name"`
	MakerName string          `db:"maker_name"`
	ModelName string          `db:"model_name"`
	ModelID   uuid.UUID       `db:"model_id"`
	Rules     json.RawMessage `db:"rules"`
	Release   *uuid.UUID      `db:"release"`
	Number    int             `db:"number"`
	Newest    int             `db:"newest"`
	// Facts are what the newest capture of the model said of its phone.
	Facts []byte `db:"facts"`
}

// KnockOn computes what edits by an author would do, with and without them. No
// profile is composed anew as a whole: see change.KnockOn.
func (s *Store) KnockOn(ctx context.Context, author uuid.UUID, edits []Edit) (KnockOn, error) {
	out := KnockOn{Profiles: []ProfileEffect{}, Moves: []PlacedMove{}}
	if len(edits) == 0 {
		return out, nil
	}
	touched := map[uuid.UUID]Edit{}
	ids := map[uuid.UUID]bool{}
	for _, e := range edits {
		if e.Judged() {
			touched[e.PackageID], ids[e.PackageID] = e, true
		}
	}
	packages := sortedIDs(ids)
	var j *EvidenceSnapshot
	var profiles []profileRow
	reading, within := errgroup.WithContext(ctx)
	reading.Go(func() (err error) { j, err = s.EvidenceSnapshot(within, edits); return err })
	reading.Go(func() (err error) { profiles, err = s.profilesShipping(within, packages); return err })
	err := reading.Wait()
	if err != nil {
		return out, err
	}
	then := j.With(author, edits)
	var ships map[[2]uuid.UUID]bool
	var removes map[uuid.UUID]map[android.PackageName]bool
	reading, within = errgroup.WithContext(ctx)
	reading.Go(func() (err error) { ships, removes, err = s.shipsAndRemoves(within, profiles, packages); return err })
	reading.Go(func() error { return s.weighFor(within, j, then, packages, profiles) })
	if err := reading.Wait(); err != nil {
		return out, err
	}
	out.Moves = moves(j, then, edits)
	if len(profiles) == 0 {
		return out, nil
	}
	k := knocker{now: j, then: then, lost: [2]map[uuid.UUID][]string{lostFunctions(j), lostFunctions(then)}}
	effects := make([]change.Effect, len(profiles))
	var working errgroup.Group
	for part := range runtime.GOMAXPROCS(0) {
		working.Go(func() (err error) {
			var room [2][]profile.Candidate
			for i := part; i < len(profiles) && err == nil; i += runtime.GOMAXPROCS(0) {
				effects[i], err = k.effectOn(profiles[i], packages, touched, ships, removes, &room)
			}
			return err
		})
	}
	if err := working.Wait(); err != nil {
		return out, err
	}
	var moved []uuid.UUID
	for i, p := range profiles {
		if len(effects[i].Gains)+len(effects[i].Loses) > 0 {
			moved = append(moved, p.ModelID)
		}
	}
	if k.leaning, err = s.leaningOn(ctx, moved); err != nil {
		return out, err
	}
	for i, p := range profiles {
		effect := effects[i]
		if err := s.recompose(ctx, &k, p, &effect, packages, touched); err != nil {
			return out, err
		}
		if effect.Nothing() {
			out.Untouched++
			continue
		}
		if effect.WantsNumber {
			out.Releases++
		}
		out.Profiles = append(out.Profiles, ProfileEffect{p.ID, p.Name, p.MakerName, p.ModelName, p.Number, p.Newest + 1, effect})
	}
	slices.SortStableFunc(out.Profiles, func(a, b ProfileEffect) int { return cmp.Compare(min(b.Release, 1), min(a.Release, 1)) })
	return out, nil
}

// weighFor works out the figures of packages as the profiles' models see them,
// without the edits and with them.
func (s *Store) weighFor(ctx context.Context, now, then *EvidenceSnapshot, packages []uuid.UUID, profiles []profileRow) error {
	models, methods := make([]uuid.UUID, len(profiles)), make([]evidence.Method, len(profiles))
	for i, p := range profiles {
		models[i] = p.ModelID
		var rules profile.Rules
		if err := json.Unmarshal(p.Rules, &rules); err != nil {
			return err
		}
		methods[i] = rules.Method
	}
	stand, err := firmwares(ctx, s.pool, models)
	if err != nil {
		return err
	}
	maps.Copy(now.firmwares, stand)
	views := make([]view, 0, len(profiles))
	for i, model := range models {
		if f, ok := stand[model.String()]; ok {
			views = append(views, view{methods[i], f})
		}
	}
	if err := now.workOut(packages, views); err != nil {
		return err
	}
	return then.workOut(packages, views)
}

// moves are the figures that change, from where the edits are about.
func moves(now, then *EvidenceSnapshot, edits []Edit) []PlacedMove {
	list := []PlacedMove{}
	seen := map[[3]string]bool{}
	for _, e := range edits {
		if !e.Judged() {
			continue
		}
		from, method := now.Target(e)
		place := e.ScopeName
		if e.BuildName != "" {
			place = e.BuildName
		}
		key := [3]string{e.Package, place, string(method)}
		if seen[key] {
			continue
		}
		seen[key] = true
		before, after := now.Figures(e.PackageID, method, from), then.Figures(e.PackageID, method, from)
		at := e.Scope()
		if e.Field == string(change.Trial) {
			at = catalog.Scope{Kind: catalog.OfBuild, ID: from.Build}
		}
		was, _ := now.Applying(e.PackageID, at)
		will, _ := then.Applying(e.PackageID, at)
		m := change.Move{Package: android.PackageName(e.Package), Label: e.Label, CeilingBefore: before.Ceiling, CeilingAfter: after.Ceiling, StandingBefore: before.Standing, StandingAfter: after.Standing,
			LoadBefore: was.Load, LoadAfter: will.Load, ConditionsMoved: !slices.Equal(was.Conditions, will.Conditions)}
		if !m.Nothing() {
			list = append(list, PlacedMove{place, method, m})
		}
	}
	return list
}

// knocker makes candidates of packages, without the edits (side 0) and with
// them (side 1).
type knocker struct {
	now, then *EvidenceSnapshot
	lost      [2]map[uuid.UUID][]string
	// leaning are, by model, the packages on which side something hangs.
	leaning map[uuid.UUID]map[android.PackageName]bool
}

// recompose composes a profile as a whole, without the edits and with them,
// where packages change sides on which something leans.
func (s *Store) recompose(ctx context.Context, k *knocker, p profileRow, effect *change.Effect, packages []uuid.UUID, touched map[uuid.UUID]Edit) error {
	leans := func(m change.Pick) bool { return k.leaning[p.ModelID][m.Package] }
	if !slices.ContainsFunc(effect.Gains, leans) && !slices.ContainsFunc(effect.Loses, leans) {
		return nil
	}
	full, err := s.Profile(ctx, p.ID)
	if err != nil {
		return err
	}
	rules, err := profile.ParseRules(p.Rules)
	if err != nil {
		return err
	}
	basis, err := s.Basis(ctx, full, rules)
	if err != nil {
		return err
	}
	with := basis
	with.Candidates = slices.Clone(basis.Candidates)
	for _, pkg := range packages {
		c := k.candidate(1, touched[pkg], p, rules.Method)
		if i := slices.IndexFunc(with.Candidates, func(x profile.Candidate) bool { return x.Package == c.Package }); i >= 0 {
			old := with.Candidates[i]
			old.Load, old.BySuggestion, old.Conditions, old.Lost = c.Load, c.BySuggestion, c.Conditions, c.Lost
			c.Strip, c.ComesBack, c.Refused = old.Strip, old.ComesBack, old.Refused
			old.Figures = c.Figures
			with.Candidates[i] = old
		}
	}
	removes, err := s.removesAll(ctx, p.Release)
	if err != nil {
		return err
	}
	effect.Recompose(profile.Compose(basis, rules), profile.Compose(with, rules), removes)
	return nil
}

// removesAll are all packages that a release takes off, nil for none.
func (s *Store) removesAll(ctx context.Context, release *uuid.UUID) (map[android.PackageName]bool, error) {
	if release == nil {
		return nil, nil
	}
	rows, err := s.pool.Query(ctx, `
		select p.name
		from release_packages x
		join packages p on p.id = x.package_id
		where x.release_id = $1`, *release)
	if err != nil {
		return nil, err
	}
	out := map[android.PackageName]bool{}
	var name android.PackageName
	_, err = pgx.ForEachRow(rows, []any{&name}, func() error { out[name] = true; return nil })
	return out, err
}

// effectOn is what the edits do to one profile, worked out in room that it leaves for
// the next one.
func (k *knocker) effectOn(p profileRow, packages []uuid.UUID, touched map[uuid.UUID]Edit, ships map[[2]uuid.UUID]bool, removes map[uuid.UUID]map[android.PackageName]bool, room *[2][]profile.Candidate) (change.Effect, error) {
	input := change.Profile{Roles: rolesOf(p.Facts)}
	if err := json.Unmarshal(p.Rules, &input.Rules); err != nil {
		return change.Effect{}, err
	}
	if p.Release != nil {
		input.Removes = removes[*p.Release]
		if input.Removes == nil {
			input.Removes = map[android.PackageName]bool{}
		}
	}
	input.Before, input.After = room[0][:0], room[1][:0]
	for _, pkg := range packages {
		if ships[[2]uuid.UUID{p.ModelID, pkg}] {
			e := touched[pkg]
			input.Before = append(input.Before, k.candidate(0, e, p, input.Rules.Method))
			input.After = append(input.After, k.candidate(1, e, p, input.Rules.Method))
		}
	}
	*room = [2][]profile.Candidate{input.Before, input.After}
	return change.KnockOn(input), nil
}

func (k *knocker) candidate(side int, e Edit, p profileRow, method evidence.Method) profile.Candidate {
	j := k.now
	if side == 1 {
		j = k.then
	}
	from := j.firmwares[p.ModelID.String()]
	f := j.Figures(e.PackageID, method, from)
	c := profile.Candidate{Package: android.PackageName(e.Package), Label: e.Label, Lost: k.lost[side][e.PackageID],
		Figures: profile.Figures{Ceiling: f.Ceiling, Floor: f.Floor, Standing: f.Standing, Phones: f.Phones, People: f.People, Harmed: f.HarmedPhones}}
	// What nobody set is suggested by what the profile's own method showed.
	value, ok := j.claimed(e.PackageID, scopeOf("model", p.ModelID))
	c.Load, c.Conditions, c.BySuggestion = value.Load, value.Conditions, !ok
	if !ok {
		c.Load = j.Suggested(e.PackageID, method, from)
	}
	return c
}

func lostFunctions(j *EvidenceSnapshot) map[uuid.UUID][]string {
	out := map[uuid.UUID][]string{}
	for pkg := range j.trials {
		for _, trials := range [2][]evidence.Trial{j.trials[pkg], j.more[pkg]} {
			for i := range trials {
				t := &trials[i]
				if t.Outcome == evidence.FunctionLost && t.Function != "" && !slices.Contains(out[pkg], t.Function) {
					out[pkg] = append(out[pkg], t.Function)
				}
			}
		}
		slices.Sort(out[pkg])
	}
	return out
}

// profilesShipping are the profiles of models that ship one of the packages.
func (s *Store) profilesShipping(ctx context.Context, packages []uuid.UUID) ([]profileRow, error) {
	rows, err := s.pool.Query(ctx, `
		select p.id, p.name, m.name as maker_name, d.name as model_name, d.id as model_id, p.rules, r.id as release,
			coalesce(r.number, 0) as number,
			coalesce((select max(number) from releases where profile_id = p.id), 0) as newest,
			(select c.phone_facts
				from captures c
				join builds b on b.id = c.build_id
				where b.model_id = d.id and c.phone_facts ? 'roles'
				order by c.taken_at desc
				limit 1) as facts
		from profiles p
		join models d on d.id = p.model_id
		join makers m on m.id = d.maker_id
		left join releases r on r.profile_id = p.id and r.state = 'current'
		where exists (select from shipped_by x where x.model_id = d.id and x.package_id = any($1) offset 0)
		order by m.name, d.name, p.name limit 2000`, packages)
	return collectRows[profileRow](rows, err)
}

// shipsAndRemoves are which of the models ship which of the packages, and what
// the current releases take off: of the packages and of those that hold roles.
func (s *Store) shipsAndRemoves(ctx context.Context, profiles []profileRow, packages []uuid.UUID) (map[[2]uuid.UUID]bool, map[uuid.UUID]map[android.PackageName]bool, error) {
	var models, releases []uuid.UUID
	holders := map[string]bool{}
	for _, p := range profiles {
		models = append(models, p.ModelID)
		if p.Release != nil {
			releases = append(releases, *p.Release)
		}
		for _, r := range rolesOf(p.Facts) {
			for _, name := range r.Holders {
				holders[string(name)] = true
			}
		}
	}
	names := make([]string, 0, len(holders))
	for name := range holders {
		names = append(names, name)
	}
	ships := map[[2]uuid.UUID]bool{}
	rows, err := s.pool.Query(ctx, `
		select model_id, package_id
		from shipped_by
		where model_id = any($1) and package_id = any($2)`, models, packages)
	if err != nil {
		return nil, nil, err
	}
	var a, b uuid.UUID
	if _, err := pgx.ForEachRow(rows, []any{&a, &b}, func() error { ships[[2]uuid.UUID{a, b}] = true; return nil }); err != nil {
		return nil, nil, err
	}
	removes := map[uuid.UUID]map[android.PackageName]bool{}
	rows, err = s.pool.Query(ctx, `
		select x.release_id, p.name from release_packages x join packages p on p.id = x.package_id
		where x.release_id = any($1)
			and x.package_id = any(array(select id
				from packages
				where name = any($3)) || $2)`, releases, packages, names)
	if err != nil {
		return nil, nil, err
	}
	var name android.PackageName
	_, err = pgx.ForEachRow(rows, []any{&a, &name}, func() error {
		if removes[a] == nil {
			removes[a] = map[android.PackageName]bool{}
		}
		removes[a][name] = true
		return nil
	})
	return ships, removes, err
}

// rolesOf are who can do which job, as a capture's phone said.
func rolesOf(facts []byte) (list []change.RoleHolders) {
	var f android.PhoneFacts
	if len(facts) == 0 || json.Unmarshal(facts, &f) != nil {
		return nil
	}
	able := impact.Able(f)
	for _, role := range slices.Sorted(maps.Keys(able)) {
		list = append(list, change.RoleHolders{Role: role, Holders: able[role]})
	}
	return list
}
