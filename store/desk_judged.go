package store

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/desk"
	"roster/core/wording"
)

// newestOf is the captured build that stands for model d, with its release.
const newestOf = `(select b.id, b.release, b.carrier, b.region, b.version
		from builds b
		where b.model_id = d.id and exists (select from captures c where c.build_id = b.id)
		order by ` + newestBuild + ` limit 1)`

// takenOff are the packages that current releases take off and their models
// ship, each with the newest build of the model, and with the standing for
// removal for the user as seen from there. What a model ships is looked up row by
// row: the planner thinks that there are few.
const takenOff = `
		published as materialized (
			select r.id, p.model_id, n.id as build
			from releases r
			join profiles p on p.id = r.profile_id
			join models d on d.id = p.model_id
			cross join lateral ` + newestOf + ` n
			where r.state = 'current'),
		taken as materialized (
			select r.id, r.build, k.id as package_id, coalesce(f.standing, 'untried') as standing,
				f.standing is null and k.trials_stamp > 0
				and not exists (select from figures g
					where g.place = r.build and g.release = '' and g.package_id = k.id
						and g.stamp = k.trials_stamp) as lacking
			from published r
			join release_packages x on x.release_id = r.id and x.method is distinct from 'quieten'
			cross join lateral (select from shipped_by y
				where y.model_id = r.model_id and y.package_id = x.package_id offset 0) y
			join packages k on k.id = x.package_id
			left join figures f on f.place = r.build and f.release = '' and f.package_id = k.id
				and f.method = 'remove-for-user' and f.stamp = k.trials_stamp)`

// lackingTaken are the packages of taken whose figures are to be made first, by
// the build that they are seen from.
const lackingTaken = `coalesce((select jsonb_object_agg(l.build, l.packages)
				from (select t.build, jsonb_agg(distinct t.package_id) as packages
					from taken t
					where t.lacking
					group by 1) l), '{}') as lacking`

// makeTakenOff makes the figures that lackingTaken tells of.
func makeTakenOff(ctx context.Context, q querier, kept *trialCache, lacking map[uuid.UUID][]uuid.UUID) error {
	from, err := firmwares(ctx, q, slices.Collect(maps.Keys(lacking)))
	if err != nil {
		return err
	}
	var wanted []figuresFrom
	for build, packages := range lacking {
		wanted = append(wanted, figuresFrom{from[build.String()], packages})
	}
	return makeFigures(ctx, q, kept, wanted...)
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
	// Lacking are packages whose figures are to be made first, by build.
	Lacking map[uuid.UUID][]uuid.UUID `db:"lacking"`
}

// judgedReleases are current releases that take off packages of which trials
// contradict each other, or that few have tried: a line for each, as seen from
// the newest build. Trials contradict each other since the day of the newest:
// whoever dates one names a day, and that may still go on.
func judgedReleases(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.reviews(), desk.Contested) && !d.wants(d.publishes(), desk.ThinRelease) {
		return nil, nil
	}
	// The day is that of Since.
	key := fmt.Sprint(d.reviews(), d.publishes(), d.ids(desk.Contested), d.ids(desk.ThinRelease), time.Now().Format(time.DateOnly))
	list, err := d.store.judged.read(ctx, q, key, making[[]judgedRelease]{size: bytesOfJudged, anew: func() ([]judgedRelease, basis, error) {
		of, err := basisOfJudged(ctx, q)
		if err != nil {
			return nil, nil, err
		}
		list, err := readJudged(ctx, q, d)
		return list, of, err
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

// basisOfJudged is what judged releases are made of, but for who ran them: runs are
// written to all the time. Of packages it is those that current releases take off.
func basisOfJudged(ctx context.Context, q querier) (basis, error) {
	taken, err := collectIDs(q.Query(ctx, `
		select distinct x.package_id
		from releases r
		join release_packages x on x.release_id = r.id
		where r.state = 'current'
		order by 1`))
	of := basisOf("releases", "release_packages", "profiles", "models", "makers", "builds", "presence", "shipped_by", "figures")
	of.packages(taken, "packages", "stamps", "trials")
	return of, err
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

// readJudged reads judged releases, as far as the person's role has them or they
// were handed over.
func readJudged(ctx context.Context, q querier, d *deskOf) ([]judgedRelease, error) {
	judged := func() (list []judgedRelease, err error) {
		rows, err := q.Query(ctx, `
		with `+takenOff+`,
		found as (
			select j.id, j.standing = 'contested' as contested, count(*)::int as n,
				array_agg(j.package_id order by j.package_id) as which
			from taken j
			where j.standing = 'contested' and ($1 or j.id = any($2)) or j.standing in ('thin', 'untried')
				and ($3 or j.id = any($4))
			group by 1, 2)
		select f.id, f.contested, f.n,
			array(select k.name from packages k where k.id = any(f.which[1:4]) order by 1) as names,
			left(md5(f.which::text), 12) as which, p.slug, p.name as edition, r.number, m.slug as maker,
			d.slug as model, d.name as model_name,
			case
				when f.contested then greatest(r.published_at,
					(select least(date_trunc('day', max(l.at)), date_trunc('day', now()))
						from unnest(f.which) w (id)
						cross
							join lateral (select t.at
								from trials t
								where t.package_id = w.id
								order by t.at desc
								limit 1) l))
				else r.published_at end as since, p.id as profile,
			`+lackingTaken+`
		from found f
		join releases r on r.id = f.id
		join profiles p on p.id = r.profile_id
		join models d on d.id = p.model_id
		join makers m on m.id = d.maker_id
		order by f.contested desc, r.published_at desc
		limit $5`, d.reviews(), d.ids(desk.Contested), d.publishes(), d.ids(desk.ThinRelease), 2*maxDeskLines)
		return collectRows[judgedRelease](rows, err)
	}
	list, err := judged()
	if err != nil {
		return nil, err
	}
	var lacking map[uuid.UUID][]uuid.UUID
	if len(list) > 0 {
		lacking = list[0].Lacking
	} else if err := q.QueryRow(ctx, `with `+takenOff+` select `+lackingTaken).Scan(&lacking); err != nil {
		return nil, err
	}
	if len(lacking) > 0 {
		if err := makeTakenOff(ctx, q, &d.store.tried, lacking); err != nil {
			return nil, err
		}
		if list, err = judged(); err != nil {
			return nil, err
		}
	}
	return list, nil
}
