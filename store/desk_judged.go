package store

import (
	"cmp"
	"context"
	"crypto/md5"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/desk"
	"roster/core/evidence"
	"roster/core/wording"
)

// newestOf is the captured build that stands for model d, with its release.
const newestOf = `(select b.id, b.release, b.carrier, b.region, b.version
		from builds b
		where b.model_id = d.id and exists (select from captures c where c.build_id = b.id)
		order by ` + newestBuild + ` limit 1)`

// taken is a package that a current release takes off and its model ships, seen from
// the newest build of the model.
type taken struct {
	Release  uuid.UUID         `db:"release"`
	Model    uuid.UUID         `db:"model"`
	Build    uuid.UUID         `db:"build"`
	Package  uuid.UUID         `db:"package"`
	Standing evidence.Standing `db:"standing"`
	// Lacking says that its figures are to be made first.
	Lacking bool `db:"lacking"`
}

// bytesOfTaken is about what one takes.
const bytesOfTaken = 96

// readTaken are all of them, or those of some packages and models; nil for all. What
// a model ships is looked up row by row: the planner thinks that there are few.
func readTaken(ctx context.Context, q querier, packages, models []uuid.UUID) ([]taken, error) {
	rows, err := q.Query(ctx, `
		with published as materialized (
			select r.id, p.model_id, n.id as build
			from releases r
			join profiles p on p.id = r.profile_id
			join models d on d.id = p.model_id
			cross join lateral `+newestOf+` n
			where r.state = 'current' and ($2::uuid[] is null or p.model_id = any($2)))
		select r.id as release, r.model_id as model, r.build, k.id as package,
			coalesce(f.standing, 'untried') as standing,
			f.standing is null and k.trials_stamp > 0
			and not exists (select from figures g
				where g.place = r.build and g.release = '' and g.package_id = k.id
					and g.stamp = k.trials_stamp) as lacking
		from published r
		join release_packages x on x.release_id = r.id and x.method is distinct from 'quieten'
			and ($1::uuid[] is null or x.package_id = any($1))
		cross join lateral (select from shipped_by y
			where y.model_id = r.model_id and y.package_id = x.package_id offset 0) y
		join packages k on k.id = x.package_id
		left join figures f on f.place = r.build and f.release = '' and f.package_id = k.id
			and f.method = 'remove-for-user' and f.stamp = k.trials_stamp`, packages, models)
	return collectRows[taken](rows, err)
}

// someTaken is readTaken with all figures.
func (s *Store) someTaken(ctx context.Context, q querier, packages, models []uuid.UUID) ([]taken, error) {
	for range 5 {
		list, err := readTaken(ctx, q, packages, models)
		if err != nil {
			return nil, err
		}
		lacking := map[uuid.UUID][]uuid.UUID{}
		for i := range list {
			// One value for all of a kind: there may be ten thousands.
			list[i].Standing = evidence.Standings[max(0, slices.Index(evidence.Standings, list[i].Standing))]
			if t := list[i]; t.Lacking && !slices.Contains(lacking[t.Build], t.Package) {
				lacking[t.Build] = append(lacking[t.Build], t.Package)
			}
		}
		if len(lacking) == 0 {
			return list, nil
		}
		from, err := firmwares(ctx, q, slices.Collect(maps.Keys(lacking)))
		if err != nil {
			return nil, err
		}
		var wanted []figuresFrom
		for build, packages := range lacking {
			wanted = append(wanted, figuresFrom{from[build.String()], packages})
		}
		if err := makeFigures(ctx, q, &s.tried, wanted...); err != nil {
			return nil, err
		}
	}
	return nil, errors.New("trials are being accepted faster than their figures can be read; try again")
}

// takenOff is readTaken of all, kept: what was tried, and models with new firmware,
// are read again by themselves.
func (s *Store) takenOff(ctx context.Context, q querier) ([]taken, error) {
	return s.takenNow.read(ctx, q, "", making[[]taken]{
		size: func(list []taken) int { return bytesOfTaken * len(list) },
		anew: func() ([]taken, basis, error) {
			list, err := s.someTaken(ctx, q, nil, nil)
			if err != nil {
				return nil, nil, err
			}
			of, err := basisOfTaken(ctx, q, list)
			return list, of, err
		},
		patch: func(before []taken, of basis, c changes) ([]taken, basis, error) {
			list := slices.DeleteFunc(slices.Clone(before), func(t taken) bool {
				return slices.Contains(c.packages, t.Package) || slices.Contains(c.models, t.Model)
			})
			for _, some := range [][2][]uuid.UUID{{c.packages, nil}, {nil, c.models}} {
				if len(some[0])+len(some[1]) == 0 {
					continue
				}
				more, err := s.someTaken(ctx, q, some[0], some[1])
				if err != nil {
					return nil, nil, err
				}
				for _, t := range more {
					// A package of a model that is read again comes twice.
					if some[1] != nil || !slices.Contains(c.models, t.Model) {
						list = append(list, t)
					}
				}
			}
			if len(c.models) > 0 {
				var err error
				if of, err = basisOfTaken(ctx, q, list); err != nil {
					return nil, nil, err
				}
			}
			return list, of, nil
		},
	})
}

// basisOfTaken is what they are made of: of models those that have current releases.
func basisOfTaken(ctx context.Context, q querier, list []taken) (basis, error) {
	packages := map[uuid.UUID]bool{}
	for _, t := range list {
		packages[t.Package] = true
	}
	models, err := collectIDs(q.Query(ctx, `
		select distinct p.model_id
		from releases r
		join profiles p on p.id = r.profile_id
		where r.state = 'current'
		order by 1`))
	of := basisOf("releases", "release_packages", "profiles", "figures")
	of.packages(append(rowIDs{}, sortedIDs(packages)...), "stamps")
	of["shipped_by"], of["builds"] = models, models
	return of, err
}

type judgedRelease struct {
	ID        uuid.UUID `db:"id"`
	Slug      string    `db:"slug"`
	Edition   string    `db:"edition"`
	Number    int       `db:"number"`
	Maker     string    `db:"maker"`
	Model     string    `db:"model"`
	ModelName string    `db:"model_name"`
	Contested bool      `db:"contested"`
	N         int       `db:"n"`
	Names     []string  `db:"names"`
	// Which is a digest of the packages.
	Which   string    `db:"which"`
	Since   time.Time `db:"since"`
	Profile uuid.UUID `db:"profile"`
}

// judgedReleases are current releases that take off packages of which trials
// contradict each other, or that few have tried: a line for each, as seen from
// the newest build. Trials contradict each other since the day of the newest:
// whoever dates one names a day, and that may still go on.
func judgedReleases(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.reviews(), desk.Contested) && !d.wants(d.publishes(), desk.ThinRelease) {
		return nil, nil
	}
	takenOff, err := d.store.takenOff(ctx, q)
	if err != nil {
		return nil, err
	}
	judged := d.judge(takenOff)
	key := time.Now().Format(time.DateOnly) // the day is that of Since
	for _, j := range judged {
		key += j.release.String() + j.digest()
	}
	list, err := d.store.judged.read(ctx, q, key, making[[]judgedRelease]{size: bytesOfJudged, anew: func() ([]judgedRelease, basis, error) {
		return readJudged(ctx, q, judged)
	}})
	if err != nil {
		return nil, err
	}
	ran, err := ranProfiles(ctx, q, list)
	if err != nil {
		return nil, err
	}
	lines := make([]desk.Line, len(list))
	for i, r := range list {
		n := ran[r.Profile]
		l := desk.Line{Kind: desk.ThinRelease, Affected: n, Whom: wording.Count(n, "phone") + " ran it", Since: r.Since}
		packages, names, standing := wording.Count(r.N, "package"), shortList(r.Names, r.N), "standing<contested"
		l.Text = fmt.Sprintf("%s no. %d of %s takes off %s that few have tried: %s.", r.Edition, r.Number, r.ModelName, packages, names)
		if r.Contested {
			l.Kind, standing = desk.Contested, "standing:contested"
			l.Text = fmt.Sprintf("Trials contradict each other about %s that %s no. %d of %s takes off: %s.", packages, r.Edition, r.Number, r.ModelName, names)
		}
		l.Key, l.To = lineKey(l.Kind, r.ID), address("/ledger", r.Maker, r.Model, "", "q", "in:"+r.Slug+" "+standing)
		if r.Contested {
			l.Key += ":" + r.Which // who is done with one is not done with the next
		}
		lines[i] = l
	}
	return lines, nil
}

// judged are packages that a release takes off: those of which trials contradict each
// other, or those that few have tried.
type judged struct {
	release   uuid.UUID
	contested bool
	packages  []uuid.UUID // in order
}

// digest tells them from others.
func (j judged) digest() string {
	var list strings.Builder
	for i, p := range j.packages {
		if i > 0 {
			list.WriteByte(',')
		}
		list.WriteString(p.String())
	}
	return fmt.Sprintf("%x", md5.Sum([]byte("{"+list.String()+"}")))[:12]
}

// judge picks what the person's role has them told of, or was handed to them.
func (d *deskOf) judge(list []taken) (out []judged) {
	contested, thin := d.ids(desk.Contested), d.ids(desk.ThinRelease)
	type key struct {
		release   uuid.UUID
		contested bool
	}
	at := map[key]int{}
	for _, t := range list {
		k := key{t.Release, t.Standing == evidence.Contested}
		told := d.publishes() || slices.Contains(thin, t.Release)
		if k.contested {
			told = d.reviews() || slices.Contains(contested, t.Release)
		}
		if !told || !k.contested && t.Standing != evidence.Thin && t.Standing != evidence.Untried {
			continue
		}
		i, seen := at[k]
		if !seen {
			i = len(out)
			at[k], out = i, append(out, judged{release: k.release, contested: k.contested})
		}
		out[i].packages = append(out[i].packages, t.Package)
	}
	for _, j := range out {
		slices.SortFunc(j.packages, compareIDs)
	}
	slices.SortFunc(out, func(a, b judged) int {
		return cmp.Or(contestedFirst(a.contested, b.contested), compareIDs(a.release, b.release))
	})
	return out
}

func contestedFirst(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return -1
	}
	return 1
}

// bytesOfJudged is about what judged releases take.
func bytesOfJudged(list []judgedRelease) int { return 1000 * len(list) }

// ranProfiles counts the phones that ran the profiles of judged releases.
func ranProfiles(ctx context.Context, q querier, list []judgedRelease) (map[uuid.UUID]int, error) {
	if len(list) == 0 {
		return nil, nil
	}
	var profiles []uuid.UUID
	for _, r := range list {
		profiles = append(profiles, r.Profile)
	}
	rows, err := q.Query(ctx, `select p.id, `+ranIt+` from profiles p where p.id = any($1)`, profiles)
	if err != nil {
		return nil, err
	}
	ran := map[uuid.UUID]int{}
	var id uuid.UUID
	var n int
	_, err = pgx.ForEachRow(rows, []any{&id, &n}, func() error { ran[id] = n; return nil })
	return ran, err
}

// readJudged reads what is told of judged releases, the latest first.
func readJudged(ctx context.Context, q querier, list []judged) ([]judgedRelease, basis, error) {
	var releases, first, contested []uuid.UUID
	for _, j := range list {
		releases = append(releases, j.release)
		first = append(first, j.packages[:min(4, len(j.packages))]...)
		if j.contested {
			contested = append(contested, j.packages...)
		}
	}
	rows, err := q.Query(ctx, `
		select r.id, p.slug, p.name as edition, r.number, m.slug as maker, d.slug as model, d.name as model_name,
			r.published_at as since, p.id as profile, false as contested, 0 as n, '{}'::text[] as names, '' as which
		from releases r
		join profiles p on p.id = r.profile_id
		join models d on d.id = p.model_id
		join makers m on m.id = d.maker_id
		where r.id = any($1)`, releases)
	found, err := collectRows[judgedRelease](rows, err)
	if err != nil {
		return nil, nil, err
	}
	of := basisOf("releases", "profiles", "models", "makers")
	of["trials"] = inOrder(contested)
	rows, err = q.Query(ctx, `
		select k.id, k.name,
			least((select date_trunc('day', t.at)
				from trials t
				where t.package_id = k.id and k.id = any($2)
				order by t.at desc
				limit 1), date_trunc('day', now()))
		from packages k
		where k.id = any($1) or k.id = any($2)`, first, contested)
	if err != nil {
		return nil, nil, err
	}
	names, tried := map[uuid.UUID]string{}, map[uuid.UUID]time.Time{}
	var id uuid.UUID
	var name string
	var at time.Time
	_, err = pgx.ForEachRow(rows, []any{&id, &name, &at}, func() error { names[id], tried[id] = name, at; return nil })
	if err != nil {
		return nil, nil, err
	}
	out := make([]judgedRelease, 0, len(list))
	for _, j := range list {
		i := slices.IndexFunc(found, func(r judgedRelease) bool { return r.ID == j.release })
		if i < 0 {
			continue // withdrawn meanwhile
		}
		r := found[i]
		r.Contested, r.N, r.Which, r.Names = j.contested, len(j.packages), j.digest(), nil
		for _, p := range j.packages[:min(4, len(j.packages))] {
			r.Names = append(r.Names, names[p])
		}
		slices.Sort(r.Names)
		for _, p := range j.packages {
			if j.contested && tried[p].After(r.Since) {
				r.Since = tried[p]
			}
		}
		out = append(out, r)
	}
	slices.SortStableFunc(out, func(a, b judgedRelease) int {
		return cmp.Or(contestedFirst(a.Contested, b.Contested), b.Since.Compare(a.Since))
	})
	return out[:min(len(out), 2*maxDeskLines)], of, nil
}
