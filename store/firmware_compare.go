package store

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
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

// CompareSides compares two builds, or phones.
func (s *Store) CompareSides(ctx context.Context, from, to Side) (Compared, error) {
	if from.Kind == "capture" || to.Kind == "capture" {
		return s.compareSides(ctx, from, to)
	}
	of, err := s.madeFrom(ctx, from.ID, to.ID)
	if err != nil {
		return Compared{}, err
	}
	return s.compared.read(ctx, s.pool, from.ID.String()+to.ID.String()+of, comparedOf, func() (Compared, error) {
		return s.compareSides(ctx, from, to)
	})
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

// comparedOf are the tables that two builds are compared by, beside what their
// nets are made from: what they ship and what is known of it.
var comparedOf = []string{
	"makers", "models", "builds", "presence", "shipped_by", "packages", "package_words", "claims", "trials", "settings", "figures",
	"profiles", "releases", "release_packages",
}

func (s *Store) compareSides(ctx context.Context, from, to Side) (Compared, error) {
	out := Compared{Packages: []ComparedPackage{}}
	before, after, err := s.sides(ctx, from, to)
	if err != nil {
		return out, err
	}
	c, err := compareShipped(ctx, s.pool, before.shipped, after.shipped)
	if err != nil {
		return out, err
	}
	w := comparer{store: s, before: before, after: after, differences: impact.Compare(before.net, after.net)}
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
	if err := w.fill(ctx); err != nil {
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
func (s *Store) sides(ctx context.Context, from, to Side) (before, after loadedSide, err error) {
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() (err error) { before, err = s.side(ctx, from); return err })
	work.Go(func() (err error) { after, err = s.side(ctx, to); return err })
	return before, after, work.Wait()
}

func (s *Store) side(ctx context.Context, of Side) (loadedSide, error) {
	l := loadedSide{info: ComparedSide{Side: of, BuildID: of.ID}}
	if of.Kind == "capture" {
		err := s.pool.QueryRow(ctx, `
			select build_id, taken_at from captures where id = $1`, of.ID).Scan(&l.info.BuildID, &l.info.TakenAt)
		if isNone(err) {
			err = ErrNotFound
		}
		if err != nil {
			return l, err
		}
	}
	var err error
	if l.scope, err = scopeOfBuild(ctx, s.pool, l.info.BuildID); err != nil {
		return l, err
	}
	b := l.scope.Build
	l.info.Maker, l.info.MakerName, l.info.Model, l.info.ModelName = l.scope.Maker.Slug, l.scope.Maker.Name, l.scope.Model.Slug, l.scope.Model.Name
	l.info.Version, l.info.Release, l.info.Carrier, l.info.Region, l.info.SecurityPatch = b.Version, b.Release, b.Carrier, b.Region, b.SecurityPatch
	if of.Kind == "capture" {
		if l.shipped, err = shippedIn(ctx, s.pool, of.ID, thereNow); err != nil {
			return l, err
		}
		subject, _, _, err := s.Subject(ctx, of.ID)
		if err != nil {
			return l, err
		}
		l.net = subject.Net
	} else {
		if l.shipped, err = shippedBy(ctx, s.pool, of.ID); err != nil {
			return l, err
		}
		if l.net, err = s.Net(ctx, of.ID); err != nil {
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

// fill adds names, what is known on either side, which releases take a package
// off, and what all of it means.
func (w *comparer) fill(ctx context.Context) error {
	var names []string
	for _, p := range w.list {
		names = append(names, p.Name)
		if p.Was != "" {
			names = append(names, p.Was)
		}
	}
	then, now, err := w.store.judgedOnBoth(ctx, w.before, w.after, names)
	if err != nil {
		return err
	}
	var taken map[string][]profile.Ref
	var named map[string]namedPackage
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() (err error) {
		taken, err = takenBy(ctx, w.store.pool, []uuid.UUID{w.before.scope.Model.ID, w.after.scope.Model.ID}, names)
		return err
	})
	work.Go(func() (err error) { named, err = namedPackages(ctx, w.store.pool, names); return err })
	if err := work.Wait(); err != nil {
		return err
	}
	for i := range w.list {
		p := &w.list[i]
		was := cmp.Or(p.Was, p.Name)
		p.Label, p.Origin = named[p.Name].label, named[p.Name].origin
		if j, ok := then[was]; ok && p.Lane != "new" {
			p.Then = &j
		}
		if j, ok := now[p.Name]; ok && p.Lane != "gone" {
			p.Now = &j
		}
		p.Taken = append(p.Taken, taken[was]...)
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
func (s *Store) judgedOn(ctx context.Context, sc Scope, net *impact.Net, names []string) (map[string]catalog.Judged, error) {
	args := scopeArgs(sc)
	args["method"], args["names"] = string(evidence.RemoveForUser), names
	out := map[string]catalog.Judged{}
	err := s.readingFigures(ctx, s.pool, sc, func() (missing []uuid.UUID, err error) {
		rows, err := s.pool.Query(ctx, `
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
		return missing, err
	})
	return out, err
}

// judgedOnBoth is what is known on either side, read at the same time.
func (s *Store) judgedOnBoth(ctx context.Context, before, after loadedSide, names []string) (then, now map[string]catalog.Judged, err error) {
	work, ctx := errgroup.WithContext(ctx)
	work.Go(func() (err error) { then, err = s.judgedOn(ctx, before.scope, before.net, names); return err })
	work.Go(func() (err error) { now, err = s.judgedOn(ctx, after.scope, after.net, names); return err })
	return then, now, work.Wait()
}

// takenBy are the current releases of models that take packages off, by
// package, in the order of their names.
func takenBy(ctx context.Context, q querier, models []uuid.UUID, names []string) (map[string][]profile.Ref, error) {
	rows, err := q.Query(ctx, `
		select k.name, p.name, r.number
		from releases r
		join profiles p on p.id = r.profile_id
		join release_packages x on x.release_id = r.id
		join packages k on k.id = x.package_id
		where r.state = 'current' and k.name = any($2) and x.method is distinct from 'quieten'
			and (p.model_id = any($1)
				or exists (select from profile_sisters y where y.profile_id = p.id and y.model_id = any($1)))
		order by p.name, r.number`, models, names)
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

// CarriedOver is what becomes of what is known of a package on another build.
type CarriedOver struct {
	Name   string         `json:"name"`
	Label  string         `json:"label"`
	Origin string         `json:"origin"`
	Then   catalog.Judged `json:"then"`
	Now    catalog.Judged `json:"now"`
	catalog.Carry
	Taken []profile.Ref `json:"taken" nullable:"false"`
}

// leastRise is by how much a ceiling must be higher to be told of: a point.
const leastRise = 0.01

// CarriedOver lists the packages that two builds have in common and of which
// something is worse on the second: a ceiling that rose, or a load that no
// longer stands.
func (s *Store) CarriedOver(ctx context.Context, from, to uuid.UUID) ([]CarriedOver, error) {
	before, after, err := s.sides(ctx, Side{"build", from}, Side{"build", to})
	if err != nil {
		return nil, err
	}
	both := []string{}
	was := map[string]bool{}
	for _, p := range before.shipped {
		was[p.Name] = true
	}
	for _, p := range after.shipped {
		if was[p.Name] {
			both = append(both, p.Name)
		}
	}
	then, now, err := s.judgedOnBoth(ctx, before, after, both)
	if err != nil {
		return nil, err
	}
	list, names := []CarriedOver{}, []string{}
	for name, j := range now {
		was, ok := then[name]
		if !ok {
			continue
		}
		if c := catalog.CarryOver(was, j); !c.Stands || c.Rose >= leastRise {
			list, names = append(list, CarriedOver{Name: name, Then: was, Now: j, Carry: c, Taken: []profile.Ref{}}), append(names, name)
		}
	}
	taken, err := takenBy(ctx, s.pool, []uuid.UUID{after.scope.Model.ID}, names)
	if err != nil {
		return nil, err
	}
	named, err := namedPackages(ctx, s.pool, names)
	if err != nil {
		return nil, err
	}
	for i := range list {
		p := &list[i]
		p.Label, p.Origin = named[p.Name].label, named[p.Name].origin
		p.Taken = append(p.Taken, taken[p.Name]...)
	}
	slices.SortFunc(list, func(a, b CarriedOver) int {
		if a.Stands != b.Stands {
			if !a.Stands {
				return -1
			}
			return 1
		}
		return cmp.Or(cmp.Compare(b.Rose, a.Rose), cmp.Compare(a.Name, b.Name))
	})
	return list, nil
}
