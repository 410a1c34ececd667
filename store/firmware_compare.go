package store

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"golang.org/x/sync/errgroup"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
)

// Side is one side of a comparison: a build, or what one phone had.
type Side struct {
	// Kind is build or capture.
	Kind string    `json:"kind" enum:"build,capture"`
	ID   uuid.UUID `json:"id"`
}

// ComparedSide is a side with its names.
type ComparedSide struct {
	Side
	BuildID       uuid.UUID  `json:"buildId"`
	Maker         string     `json:"maker"`
	MakerName     string     `json:"makerName"`
	Model         string     `json:"model"`
	ModelName     string     `json:"modelName"`
	Version       string     `json:"version"`
	Release       string     `json:"release"`
	Carrier       string     `json:"carrier"`
	Region        string     `json:"region"`
	SecurityPatch string     `json:"securityPatch"`
	Packages      int        `json:"packages"`
	TakenAt       *time.Time `json:"takenAt,omitempty" doc:"When the phone was captured"`
}

// ComparedPackage is a package that differs between two sides.
type ComparedPackage struct {
	// Lane is gone, changed, new or renamed.
	Lane string `json:"lane" enum:"gone,changed,new,renamed"`
	Name string `json:"name"`
	// Was is the name that it probably had; Sure is how sure that is, and Why
	// says by which signs.
	Was    string               `json:"was,omitempty"`
	Sure   float64              `json:"sure,omitempty"`
	Why    []string             `json:"why,omitempty"`
	Label  string               `json:"label"`
	Origin string               `json:"origin"`
	What   []catalog.Difference `json:"what" nullable:"false"`
	// Gained and Lost are links in which it is, but for those that say little.
	Gained []impact.Link `json:"gained" nullable:"false"`
	Lost   []impact.Link `json:"lost" nullable:"false"`
	// Then and Now are what is known of it on either side.
	Then *catalog.Judged `json:"then,omitempty"`
	Now  *catalog.Judged `json:"now,omitempty"`
	// Taken are the current releases of either model that take it off.
	Taken []profile.Ref     `json:"taken" nullable:"false"`
	Means []profile.Meaning `json:"means" nullable:"false"`
}

// Compared is what lies between two sides.
type Compared struct {
	From     ComparedSide      `json:"from"`
	To       ComparedSide      `json:"to"`
	Packages []ComparedPackage `json:"packages" nullable:"false" doc:"Gone, changed, new, renamed; each lane by name"`
	Roles    []impact.RoleMove `json:"roles" nullable:"false" doc:"Jobs that other packages can do"`
	// Same counts packages in which nothing differs.
	Same int `json:"same"`
}

// CompareSides compares two builds, or phones. It may lag: see MayLag.
func (s *Store) CompareSides(ctx context.Context, from, to Side) (out Compared, err error) {
	if from.Kind == "capture" || to.Kind == "capture" || len(s.replicas) > 0 {
		err = s.lagging(ctx, func(pool *pgxpool.Pool) error {
			out, err = s.compareSides(ctx, pool, from, to)
			return err
		})
		return out, err
	}
	s.lately.note(ctx, "compared "+from.ID.String()+to.ID.String(), func(ctx context.Context) error {
		_, err := s.CompareSides(ctx, from, to)
		return err
	})
	of, err := s.madeFrom(ctx, from.ID, to.ID)
	if err != nil {
		return Compared{}, err
	}
	return s.compared.read(ctx, s.pool, from.ID.String()+to.ID.String()+of, making[Compared]{
		anew: func() (Compared, basis, error) {
			c, err := s.compareSides(ctx, s.pool, from, to)
			if err != nil {
				return c, nil, err
			}
			of, err := s.basisOfCompared(ctx, c)
			return c, of, err
		},
		patch: func(before Compared, of basis, changed changes) (Compared, basis, error) {
			if len(changed.models)+len(changed.builds) > 0 {
				return before, nil, nil
			}
			c, err := s.patchCompared(ctx, before, changed.packages)
			return c, of, err // what differs is the same
		},
	})
}

// patchCompared reads again what is known of some packages that differ between two
// builds; what differs stays.
func (s *Store) patchCompared(ctx context.Context, c Compared, packages []uuid.UUID) (Compared, error) {
	w := comparer{store: s, pool: s.pool, list: c.Packages}
	for side, build := range map[*loadedSide]uuid.UUID{&w.before: c.From.ID, &w.after: c.To.ID} {
		var err error
		if side.scope, err = scopeOfBuild(ctx, s.pool, build); err != nil {
			return c, err
		}
		if side.net, err = s.net(ctx, s.pool, build); err != nil {
			return c, err
		}
		if err := s.readyFigures(ctx, side.scope.Target, packages); err != nil {
			return c, err
		}
	}
	rows, err := s.pool.Query(ctx, `select name from packages where id = any($1)`, packages)
	if err != nil {
		return c, err
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return c, err
	}
	return c, w.fill(ctx, func(p ComparedPackage) bool { return slices.Contains(names, p.Name) || slices.Contains(names, p.Was) })
}

// A comparison is kept as it goes to whoever asks: lists that are empty stay lists.
func encodeCompared(c Compared) ([]byte, error) { return json.Marshal(c) }

func decodeCompared(raw []byte) (c Compared, err error) {
	err = json.Unmarshal(raw, &c)
	return c, err
}

// keptCompared bounds what a process keeps of compared builds. One takes some
// 10 kB.
const keptCompared = 6_000_000

// basisOfCompared is what two builds are compared by, beside what their nets are made
// from: what they ship, and what is known of what differs. What doesn't is not told of.
func (s *Store) basisOfCompared(ctx context.Context, c Compared) (basis, error) {
	var names []string
	for _, p := range c.Packages {
		names = append(names, p.Name, p.Was)
	}
	differ, err := collectIDs(s.pool.Query(ctx, `select id from packages where name = any($1) order by 1`, names))
	if err != nil {
		return nil, err
	}
	builds := []uuid.UUID{c.From.ID, c.To.ID}
	models, err := collectIDs(s.pool.Query(ctx, `
		select distinct model_id from builds where id = any($1) order by 1`, builds))
	of := basisOf("makers", "models", "settings", "figures", "profiles", "profile_sisters", "releases", "release_packages")
	of.packages(differ, "packages", "stamps", "package_words", "claims", "trials")
	of["shipped_by"], of["builds"], of["presence"] = models, models, inOrder(builds)
	return of, err
}

func (s *Store) compareSides(ctx context.Context, q *pgxpool.Pool, from, to Side) (Compared, error) {
	out := Compared{Packages: []ComparedPackage{}}
	before, after, err := s.sides(ctx, q, from, to)
	if err != nil {
		return out, err
	}
	c, err := compareShipped(ctx, q, before.shipped, after.shipped)
	if err != nil {
		return out, err
	}
	w := comparer{store: s, pool: q, before: before, after: after, differences: impact.Compare(before.net, after.net)}
	out.From, out.To, out.Roles = before.info, after.info, w.differences.Roles
	out.Same = len(after.shipped) - len(c.Changed) - len(c.New) - len(c.Renamed)
	for _, name := range c.Gone {
		w.add(ComparedPackage{Lane: "gone", Name: name})
	}
	for _, one := range c.Changed {
		w.add(ComparedPackage{Lane: "changed", Name: one.Name, What: one.What})
	}
	for _, name := range c.New {
		w.add(ComparedPackage{Lane: "new", Name: name})
	}
	for _, r := range c.Renamed {
		w.add(ComparedPackage{Lane: "renamed", Name: r.To, Was: r.From, Sure: r.Sure, Why: r.Why, What: r.What})
	}
	w.linked(c)
	out.Same -= w.linkedAlone
	if err := w.fill(ctx, func(ComparedPackage) bool { return true }); err != nil {
		return out, err
	}
	out.Packages = w.list
	return out, nil
}

// loadedSide is a side with everything that is compared.
type loadedSide struct {
	info    ComparedSide
	scope   Scope
	shipped []catalog.Shipped
	net     *impact.Net
}

// sides reads both sides of a comparison at the same time.
func (s *Store) sides(ctx context.Context, q *pgxpool.Pool, from, to Side) (before, after loadedSide, err error) {
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() (err error) { before, err = s.side(ctx, q, from); return err })
	work.Go(func() (err error) { after, err = s.side(ctx, q, to); return err })
	return before, after, work.Wait()
}

func (s *Store) side(ctx context.Context, q *pgxpool.Pool, of Side) (loadedSide, error) {
	l := loadedSide{info: ComparedSide{Side: of, BuildID: of.ID}}
	if of.Kind == "capture" {
		err := q.QueryRow(ctx, `
			select build_id, taken_at from captures where id = $1`, of.ID).Scan(&l.info.BuildID, &l.info.TakenAt)
		if isNone(err) {
			err = ErrNotFound
		}
		if err != nil {
			return l, err
		}
	}
	var err error
	if l.scope, err = scopeOfBuild(ctx, q, l.info.BuildID); err != nil {
		return l, err
	}
	b := l.scope.Build
	l.info.Maker, l.info.MakerName, l.info.Model, l.info.ModelName = l.scope.Maker.Slug, l.scope.Maker.Name, l.scope.Model.Slug, l.scope.Model.Name
	l.info.Version, l.info.Release, l.info.Carrier, l.info.Region, l.info.SecurityPatch = b.Version, b.Release, b.Carrier, b.Region, b.SecurityPatch
	if of.Kind == "capture" {
		if l.shipped, err = shippedIn(ctx, q, of.ID, thereNow); err != nil {
			return l, err
		}
		subject, _, _, err := s.subject(ctx, q, of.ID)
		if err != nil {
			return l, err
		}
		l.net = subject.Net
	} else {
		if l.shipped, err = shippedBy(ctx, q, of.ID); err != nil {
			return l, err
		}
		if l.net, err = s.net(ctx, q, of.ID); err != nil {
			return l, err
		}
	}
	l.info.Packages = len(l.shipped)
	return l, nil
}

// scopeOfBuild is the scope of one build.
func scopeOfBuild(ctx context.Context, q querier, build uuid.UUID) (Scope, error) {
	var maker, model string
	err := q.QueryRow(ctx, `
		select m.slug, d.slug
		from builds b
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		where b.id = $1`, build).Scan(&maker, &model)
	if isNone(err) {
		err = ErrNotFound
	}
	if err != nil {
		return Scope{}, err
	}
	return findScope(ctx, q, maker, model, build.String())
}

// comparer puts together what differs.
type comparer struct {
	store         *Store
	pool          *pgxpool.Pool
	before, after loadedSide
	differences   impact.Differences
	list          []ComparedPackage
	// linkedAlone counts packages of which nothing differs but a link.
	linkedAlone int
}

func (w *comparer) add(p ComparedPackage) {
	p.Gained, p.Lost, p.Taken, p.Means = []impact.Link{}, []impact.Link{}, []profile.Ref{}, []profile.Meaning{}
	if p.What == nil {
		p.What = []catalog.Difference{}
	}
	w.list = append(w.list, p)
}

// linked gives each package the links that it gained and lost. One that both
// sides have, and in which nothing else differs, counts as changed, too.
func (w *comparer) linked(c catalog.Comparison) {
	at := map[android.PackageName]int{}
	for i, p := range w.list {
		at[android.PackageName(p.Name)] = i
		if p.Was != "" {
			at[android.PackageName(p.Was)] = i
		}
	}
	for _, side := range []struct {
		links []impact.Link
		into  func(*ComparedPackage) *[]impact.Link
	}{
		{w.differences.Gained, func(p *ComparedPackage) *[]impact.Link { return &p.Gained }},
		{w.differences.Lost, func(p *ComparedPackage) *[]impact.Link { return &p.Lost }},
	} {
		for _, l := range side.links {
			if !l.Serves() {
				continue
			}
			for _, name := range []android.PackageName{l.On, l.From} {
				i, ok := at[name]
				if !ok {
					i = len(w.list)
					at[name] = i
					w.linkedAlone++
					w.add(ComparedPackage{Lane: "changed", Name: string(name)})
				}
				list := side.into(&w.list[i])
				*list = append(*list, l)
			}
		}
	}
	lanes := []string{"gone", "changed", "new", "renamed"}
	slices.SortStableFunc(w.list, func(a, b ComparedPackage) int {
		return cmp.Or(cmp.Compare(slices.Index(lanes, a.Lane), slices.Index(lanes, b.Lane)), cmp.Compare(a.Name, b.Name))
	})
}

// fill adds to those that are told of names, what is known on either side, which
// releases take a package off, and what all of it means.
func (w *comparer) fill(ctx context.Context, told func(ComparedPackage) bool) error {
	var all, names []string
	for _, p := range w.list {
		both := []string{p.Name}
		if p.Was != "" {
			both = append(both, p.Was)
		}
		all = append(all, both...)
		if told(p) {
			names = append(names, both...)
		}
	}
	then, now, err := w.store.judgedOnBoth(ctx, w.pool, w.before, w.after, names)
	if err != nil {
		return err
	}
	var taken map[string][]profile.Ref
	var named map[string]namedPackage
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() (err error) {
		taken, err = takenBy(ctx, w.pool, []uuid.UUID{w.before.scope.Model.ID, w.after.scope.Model.ID}, all)
		return err
	})
	work.Go(func() (err error) { named, err = namedPackages(ctx, w.pool, names); return err })
	if err := work.Wait(); err != nil {
		return err
	}
	for i := range w.list {
		p := &w.list[i]
		if !told(*p) {
			continue
		}
		was := cmp.Or(p.Was, p.Name)
		p.Label, p.Origin, p.Then, p.Now = named[p.Name].label, named[p.Name].origin, nil, nil
		if j, ok := then[was]; ok && p.Lane != "new" {
			p.Then = &j
		}
		if j, ok := now[p.Name]; ok && p.Lane != "gone" {
			p.Now = &j
		}
		p.Taken = append([]profile.Ref{}, taken[was]...)
		p.Means = profile.Difference{Lane: p.Lane, Was: p.Was, Then: p.Then, Now: p.Now, Taken: p.Taken, Rests: w.rests(p, taken)}.Means()
	}
	return nil
}

// rests are packages that cannot do without one now and could before, as far as
// the releases that take it off leave them.
func (w *comparer) rests(p *ComparedPackage, taken map[string][]profile.Ref) (list []android.PackageName) {
	for _, l := range p.Gained {
		if string(l.On) != p.Name || l.Strength != impact.Hard || l.Kind == impact.Overlay {
			continue
		}
		if slices.ContainsFunc(p.Taken, func(r profile.Ref) bool { return !slices.Contains(taken[string(l.From)], r) }) || len(p.Taken) == 0 {
			list = append(list, l.From)
		}
	}
	return list
}

// judgedOn is what is known of some packages as seen from one build that ships
// them, by name.
func (s *Store) judgedOn(ctx context.Context, q *pgxpool.Pool, sc Scope, net *impact.Net, names []string) (map[string]catalog.Judged, error) {
	args := scopeArgs(sc)
	args["method"], args["names"] = string(evidence.RemoveForUser), names
	out := map[string]catalog.Judged{}
	err := s.readingFigures(ctx, s.pool, sc, func() (missing []uuid.UUID, err error) {
		rows, err := q.Query(ctx, `
			select p.id, p.name, coalesce(g.value ->> 'load', ''), coalesce(g.scope_kind, ''),
				coalesce(f.suggested, 'unproven'), coalesce(f.ceiling, 1), coalesce(f.floor, 0),
				coalesce(f.standing, 'untried'), coalesce(f.phones, 0), coalesce(f.people, 0), `+lacking(sc)+`
			from `+held(sc)+`
			`+figuresJoin(sc, args)+`
			`+claimJoin(sc, "load", "g")+`
			where p.name = any(@names)`, planned, args)
		if err != nil {
			return nil, err
		}
		var id uuid.UUID
		var name string
		var j catalog.Judged
		var without bool
		_, err = pgx.ForEachRow(rows, []any{
			&id, &name, &j.Load, &j.Scope, &j.Suggested, &j.Ceiling, &j.Floor, &j.Standing, &j.Phones, &j.People, &without,
		}, func() error {
			if without {
				missing = append(missing, id)
			}
			one := j
			one.Suggested = evidence.Joined(j.Suggested, net.Structure(android.PackageName(name)).Called())
			out[name] = one
			return nil
		})
		if err == nil && len(missing) > 0 && q != s.pool {
			err = errLacking
		}
		return missing, err
	})
	return out, err
}

// judgedOnBoth is what is known on either side, read at the same time.
func (s *Store) judgedOnBoth(ctx context.Context, q *pgxpool.Pool, before, after loadedSide, names []string) (then, now map[string]catalog.Judged, err error) {
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() (err error) { then, err = s.judgedOn(ctx, q, before.scope, before.net, names); return err })
	work.Go(func() (err error) { now, err = s.judgedOn(ctx, q, after.scope, after.net, names); return err })
	return then, now, work.Wait()
}

// takenBy are the current releases of models that take packages off, by
// package, in the order of their names.
func takenBy(ctx context.Context, q querier, models []uuid.UUID, names []string) (map[string][]profile.Ref, error) {
	// Row by row from the few releases: the planner would go through all packages.
	rows, err := q.Query(ctx, `
		with theirs as materialized (
			select r.id, p.name, r.number
			from releases r
			join profiles p on p.id = r.profile_id
			where r.state = 'current' and (p.model_id = any($1)
				or exists (select from profile_sisters y where y.profile_id = p.id and y.model_id = any($1))))
		select k.name, t.name, t.number
		from theirs t
		join release_packages x on x.release_id = t.id and x.method is distinct from 'quieten'
		cross join lateral (select k.name from packages k where k.id = x.package_id offset 0) k
		where k.name = any($2)
		order by t.name, t.number`, models, names)
	if err != nil {
		return nil, err
	}
	out := map[string][]profile.Ref{}
	var name string
	var ref profile.Ref
	_, err = pgx.ForEachRow(rows, []any{&name, &ref.Edition, &ref.Number}, func() error { out[name] = append(out[name], ref); return nil })
	return out, err
}

type namedPackage struct{ label, origin string }

// namedPackages are what packages are called and who put them there.
func namedPackages(ctx context.Context, q querier, names []string) (map[string]namedPackage, error) {
	rows, err := q.Query(ctx, `
		select p.name, `+bestLabel+`,
			coalesce((select value #>> '{}'
				from claims
				where package_id = p.id and field = 'origin' and scope_kind = 'everywhere'),
				p.origin)
		from packages p where p.name = any($1)`, names)
	if err != nil {
		return nil, err
	}
	out := map[string]namedPackage{}
	var name string
	var n namedPackage
	_, err = pgx.ForEachRow(rows, []any{&name, &n.label, &n.origin}, func() error { out[name] = n; return nil })
	return out, err
}
