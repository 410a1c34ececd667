package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/desk"
	"roster/core/profile"
	"roster/core/wording"
)

// ranIt counts the phones that ran any release of profile p, and known those
// that were captured with build b.
const (
	ranIt = `(select count(distinct x.phone)
			from runs x
			where x.profile_id = p.id and x.release_id is not null and x.state <> 'going')::int`
	known = `(select count(distinct c.phone) from captures c where c.build_id = b.id and c.phone <> '')::int`
)

// reach says whom a release's trouble on a build harms.
func reach(ran, known int, build string) (int, string) {
	var parts []string
	if ran > 0 {
		parts = append(parts, wording.Count(ran, "phone")+" ran it")
	}
	if known > 0 {
		parts = append(parts, wording.Count(known, "phone")+" known with "+build)
	}
	return ran + known, strings.Join(parts, ", ")
}

// heldLine is a release on a build, as the Desk tells of it.
type heldLine struct {
	Release   uuid.UUID         `db:"release"`
	Edition   string            `db:"edition"`
	Number    int               `db:"number"`
	Build     uuid.UUID         `db:"build"`
	Version   string            `db:"version"`
	Carrier   string            `db:"carrier"`
	Region    string            `db:"region"`
	Maker     string            `db:"maker"`
	Model     string            `db:"model"`
	ModelName string            `db:"model_name"`
	Claimed   bool              `db:"claimed"`
	Ships     int               `db:"ships"`
	Findings  []profile.Finding `db:"findings"`
	Since     time.Time         `db:"since"`
	Ran       int               `db:"ran"`
	Known     int               `db:"known"`
}

const heldColumns = `r.id as release, p.name as edition, r.number, b.id as build, b.version, b.carrier, b.region,
			m.slug as maker, d.slug as model, d.name as model_name, h.claimed, h.ships, h.findings,
			` + ranIt + ` as ran, ` + known + ` as known`

// currentHolds are how current releases stand on builds, with all that
// heldColumns names.
const currentHolds = `from holds h
		join releases r on r.id = h.release_id and r.state = 'current'
		join profiles p on p.id = r.profile_id
		join builds b on b.id = h.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id`

func (h heldLine) build() string { return buildName(h.Carrier, h.Region, h.Version) }

func (h heldLine) line(kind desk.Kind, text string) desk.Line {
	n, whom := reach(h.Ran, h.Known, h.build())
	return desk.Line{Key: lineKey(kind, h.Release, h.Build), Kind: kind, Text: text, Affected: n, Whom: whom, Since: h.Since,
		To: address(fmt.Sprintf("/builds/releases/%s/%s", h.Release, h.Build), h.Maker, h.Model, "")}
}

// stoppingReleases are current releases that would stop something on a build,
// until a person lifts that or a newer release is out.
func stoppingReleases(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.publishes(), desk.ReleaseStops) {
		return nil, nil
	}
	rows, err := q.Query(ctx, `
		select `+heldColumns+`, h.stopped_at as since
		`+currentHolds+`
		where h.stops <> ''
			and not exists (select from lifts l
				where l.release_id = h.release_id and l.build_id = h.build_id and l.stops = h.stops)
			and ($1 or r.id = any($2))
			order by h.stopped_at desc
			limit $3`, d.publishes(), d.ids(desk.ReleaseStops), maxDeskLines)
	list, err := collectRows[heldLine](rows, err)
	lines := make([]desk.Line, len(list))
	for i, h := range list {
		text := fmt.Sprintf("%s no. %d would stop something on %s %s.", h.Edition, h.Number, h.ModelName, h.build())
		if len(h.Findings) > 0 {
			text += " " + sentence(h.Findings[0])
		}
		lines[i] = h.line(desk.ReleaseStops, text)
	}
	return lines, err
}

// sentence says a finding as a sentence.
func sentence(f profile.Finding) string {
	names := make([]string, 0, len(f.Packages))
	for _, n := range f.Packages {
		names = append(names, string(n))
	}
	return wording.Sentence(shortList(names, len(names)) + ": " + f.Why)
}

// releasesBehind are current releases that are not for the newest build of an
// edition of their models, unless the profile says that it is not for it.
func releasesBehind(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.publishes(), desk.ReleaseBehind) {
		return nil, nil
	}
	rows, err := q.Query(ctx, `
		select `+heldColumns+`, a.at as since
		`+currentHolds+`
		join arrivals a on a.build_id = b.id
		where not h.claimed and h.stops = '' and ($1 or r.id = any($2))
			and not coalesce(p.rules -> 'notFor', '[]') ? b.fingerprint
			and not exists (select from builds n
				where n.model_id = b.model_id and (n.carrier, n.region) = (b.carrier, b.region)
					and (n.security_patch, n.version) > (b.security_patch, b.version)
				and exists (select from captures c where c.build_id = n.id))
		order by a.at desc limit $3`, d.publishes(), d.ids(desk.ReleaseBehind), maxDeskLines)
	list, err := collectRows[heldLine](rows, err)
	lines := make([]desk.Line, len(list))
	for i, h := range list {
		hold := profile.Hold{Claimed: h.Claimed, Ships: h.Ships, Findings: h.Findings}
		text := fmt.Sprintf("%s no. %d does not cover %s %s", h.Edition, h.Number, h.ModelName, h.build())
		if len(h.Findings) > 0 {
			text += ": " + hold.Words()
		}
		lines[i] = h.line(desk.ReleaseBehind, text+".")
	}
	return lines, err
}

const (
	// arrivedFor is for how long an arrival waits on the Desk of somebody who
	// has such phones; a maintainer's waits until it is covered, or for newsFor
	// where nothing was published for its model.
	arrivedFor = `interval '21 days'`
	newsFor    = `interval '60 days'`
)

// arrivedBuilds are firmwares that were captured for the first time.
func arrivedBuilds(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	type arrived struct {
		Build     uuid.UUID       `db:"build"`
		Since     *uuid.UUID      `db:"since"`
		At        time.Time       `db:"at"`
		Summary   catalog.Arrival `db:"summary"`
		Back      int             `db:"back"`
		Version   string          `db:"version"`
		Carrier   string          `db:"carrier"`
		Region    string          `db:"region"`
		Maker     string          `db:"maker"`
		Model     string          `db:"model"`
		ModelName string          `db:"model_name"`
		Known     int             `db:"known"`
		Phones    int             `db:"phones"`
		Behind    []string        `db:"behind"`
		Stops     []string        `db:"stops"`
	}
	// The newest first, and only then what is told of each.
	rows, err := q.Query(ctx, `
		with told as (
			(select a.build_id
				from arrivals a
				where $2 and a.at > now() - `+newsFor+` and not exists (select from holds h
					join releases r on r.id = h.release_id
					where h.build_id = a.build_id and r.state = 'current' and h.claimed)
				order by a.at desc
				limit `+deskLimit+`)
			union (select a.build_id
				from arrivals a
				join builds b on b.id = a.build_id
				where not $2 and a.at > now() - `+arrivedFor+` and exists (select from captures c
					join builds y on y.id = c.build_id
					where y.model_id = b.model_id and c.person_id = $1)
				order by a.at desc
				limit `+deskLimit+`)
			union select unnest($3::uuid[]))
		select b.id as build, a.since_id as since, a.at, a.summary,
			(select count(distinct k.package_id) from came_back k where k.build_id = b.id)::int as back, b.version,
			b.carrier, b.region,
			m.slug as maker, d.slug as model,
				d.name as model_name, `+known+` as known,
				(select count(distinct c.phone)
					from captures c
					join builds y on y.id = c.build_id
					where y.model_id = d.id and c.phone <> '')::int as phones,
			array(select p.name || ' no. ' || r.number
				from holds h
				join releases r on r.id = h.release_id and r.state = 'current'
				join profiles p on p.id = r.profile_id
				where h.build_id = b.id and not h.claimed and h.stops = ''
					and not coalesce(p.rules -> 'notFor', '[]') ? b.fingerprint
				order by 1) as behind,
			array(select p.name || ' no. ' || r.number
				from holds h
				join releases r on r.id = h.release_id and r.state = 'current'
				join profiles p on p.id = r.profile_id
				where h.build_id = b.id and h.stops <> ''
					and not exists (select from lifts l
						where l.release_id = h.release_id and l.build_id = h.build_id and l.stops = h.stops)
				order by 1) as stops
		from told
		join arrivals a on a.build_id = told.build_id
		join builds b on b.id = a.build_id
		join models d on d.id = b.model_id
		join makers m on m.id = d.maker_id
		order by a.at desc limit `+deskLimit, d.ID, d.reviews(), d.ids(desk.Arrived))
	list, err := collectRows[arrived](rows, err)
	lines := make([]desk.Line, len(list))
	for i, a := range list {
		name := buildName(a.Carrier, a.Region, a.Version)
		l := desk.Line{
			Key:      lineKey(desk.Arrived, a.Build),
			Kind:     desk.Arrived,
			Since:    a.At,
			Affected: a.Phones,
			Whom:     wording.Count(a.Phones, "phone") + " of the model known",
		}
		if a.Since == nil {
			l.Text = fmt.Sprintf("%s %s was captured for the first time, and no older firmware of this edition is known.", a.ModelName, name)
			l.To = address("/builds", a.Maker, a.Model, a.Build.String())
		} else {
			l.Text = fmt.Sprintf("Firmware %s of %s arrived: %s.", name, a.ModelName, a.Summary.Words(a.Back))
			l.To = address("/builds/compare", a.Maker, a.Model, "", "from", "build:"+a.Since.String(), "to", "build:"+a.Build.String())
		}
		if len(a.Stops) > 0 {
			l.Text += " " + andList(a.Stops) + " would stop something."
			l.Weighs = 1.5
		}
		if len(a.Behind) > 0 {
			l.Text += " " + andList(a.Behind) + verb(len(a.Behind), " no longer covers it.", " no longer cover it.")
		}
		lines[i] = l
	}
	return lines, err
}

func verb(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}

// andList joins names as people do.
func andList(names []string) string {
	if len(names) < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

// shortList names the first few of so many.
func shortList(names []string, of int) string {
	const most = 3
	if of <= most || len(names) < most {
		return andList(names[:min(len(names), most)])
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:most], ", "), of-most)
}

// retiredKeys tells of current releases that are signed with a key that is no
// longer used.
func retiredKeys(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.publishes(), desk.KeyRetired) {
		return nil, nil
	}
	rows, err := q.Query(ctx, `
		select k.id, k.retired_at, count(*)::int, (array_agg(d.name || ': ' || p.name order by d.name, p.name))[1:4],
			(select count(distinct x.phone) from runs x where x.release_id = any(array_agg(r.id)))::int
		from releases r
		join signing_keys k on k.id = r.key_id
		join profiles p on p.id = r.profile_id
		join models d on d.id = p.model_id
		where r.state = 'current' and k.retired_at is not null
		group by k.id
		order by k.retired_at desc
		limit $1`, maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var id string
		var n, ran int
		var names []string
		if err = row.Scan(&id, &l.Since, &n, &names, &ran); err != nil {
			return l, err
		}
		l.Key, l.Kind, l.To, l.Affected, l.Whom = string(desk.KeyRetired)+":"+id, desk.KeyRetired, "/releases", ran, wording.Count(ran, "phone")+" ran them"
		l.Text = fmt.Sprintf(
			"%s signed with a key that is retired: %s. Publish anew to sign with the one in use.",
			wording.Count(n, "current release")+verb(n, " is", " are"),
			shortList(names, n),
		)
		return l, nil
	})
}

// many is on how many builds a package ships for nobody's having graded it to
// be told of: it is wide then, see migration 046.
const many = 5

// ungraded says that package p is on many builds, and that nobody has graded
// it.
const ungraded = `p.wide
		and not exists (select from claims k where k.package_id = p.id and k.field = 'load' and k.value is not null)`

// ungradedPackages tells of packages on many builds that have no grade, a line
// a maker.
func ungradedPackages(ctx context.Context, q querier, d *deskOf) ([]desk.Line, error) {
	if !d.wants(d.reviews(), desk.Ungraded) {
		return nil, nil
	}
	return d.store.ungraded.read(ctx, q, "", making[[]desk.Line]{size: bytesOfLines, anew: func() ([]desk.Line, basis, error) {
		lines, err := countUngraded(ctx, q)
		return lines, basisOf(ungradedOf...), err
	}})
}

// ungradedOf are what ungraded packages are counted in: loads are claims, too, and
// spread is of packages what makes them wide.
var ungradedOf = []string{"spread", "loads", "makers"}

// bytesOfLines is about what lines take.
func bytesOfLines(lines []desk.Line) int { return 1000 * len(lines) }

// countUngraded counts them by maker, and names those that have waited longest.
func countUngraded(ctx context.Context, q querier) ([]desk.Line, error) {
	rows, err := q.Query(ctx, `
		with counted as (select p.maker_id, count(*)::int as n, min(p.first_seen) as since
			from packages p
			where `+ungraded+` group by 1 order by 2 desc limit $1)
		select coalesce(m.id, `+everywhereID+`), coalesce(m.slug, ''), coalesce(m.name, ''),
			c.n, array(select p.name from packages p
				where p.maker_id = m.id and `+ungraded+` order by p.first_seen, p.name limit 4), c.since
		from counted c
		join makers m on m.id = c.maker_id
		union all
		select `+everywhereID+`, '', '', c.n, array(select p.name from packages p
				where p.maker_id is null and `+ungraded+` order by p.first_seen, p.name limit 4), c.since
		from counted c where c.maker_id is null`, maxDeskLines)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l desk.Line, err error) {
		var id uuid.UUID
		var slug, maker string
		var n int
		var names []string
		if err = row.Scan(&id, &slug, &maker, &n, &names, &l.Since); err != nil {
			return l, err
		}
		whose := "of several makers"
		if maker != "" {
			whose = "of " + maker + " alone"
		}
		l.Key, l.Kind = lineKey(desk.Ungraded, id), desk.Ungraded
		l.Text = fmt.Sprintf("Nobody has graded %s %s that %d firmwares or more ship: %s.", wording.Count(n, "package"), whose, many, shortList(names, n))
		l.To = address("/ledger", slug, "", "", "q", fmt.Sprintf("graded:no builds>=%d", many), "sort", "builds")
		return l, nil
	})
}
