package store

import (
	"context"
	"runtime"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"roster/core/evidence"
)

// figuresVersion counts up whenever the calculations change, so that figures
// that an older program stored are made anew.
const figuresVersion = 1

// A change of the yardstick, which touches all figures, waits for the changes
// of some, and the other way round.
const (
	lockFigures       = `select pg_advisory_xact_lock(421)`
	lockFiguresOfSome = `select pg_advisory_xact_lock_shared(421)`
)

// lockPackages makes transactions that touch the same packages wait for each
// other, always in the same order.
const lockPackages = `select from packages where id = any($1) order by id for no key update`

// planned is how a query over a model's packages is sent: it is planned for the
// scope that it asks about each time. The plan that serves any scope takes
// twice as long, which is more than planning costs.
const planned = pgx.QueryExecModeCacheDescribe

// figuresJoin joins the figures f of package p as the scope sees them, by the
// method in the argument of that name. See evidence.Vantages.
func figuresJoin(sc Scope, args pgx.NamedArgs) string {
	vantages := evidence.Vantages(sc.Target)
	// Where nobody has disabled a package, its figures for that are those of
	// removing it for the user, which are not stored twice.
	methods := []string{args["method"].(string)}
	if methods[0] == string(evidence.Disable) {
		methods = append(methods, string(evidence.RemoveForUser))
	}
	if len(vantages) == 1 && len(methods) == 1 {
		return `left
			join figures f on f.package_id = p.id and f.method = @method
				and f.place = ` + everywhereID + ` and f.release = ''`
	}
	places, releases := make([]string, len(vantages)), make([]string, len(vantages))
	for i, v := range vantages {
		places[i], releases[i] = v.Place, v.Release
		if v.Place == "" {
			places[i] = uuid.Nil.String()
		}
	}
	args["places"], args["releases"], args["methods"] = places, releases, methods
	return `left join lateral (
			select f.* from unnest(@places::uuid[], @releases::text[]) with ordinality v (place, release, nearness)
				join figures f on f.package_id = p.id and f.method = any(@methods::text[]) and f.place = v.place
					and f.release = v.release
			order by v.nearness, array_position(@methods::text[], f.method) limit 1) f on true`
}

// recompute writes the figures of packages anew, from all their trials.
func recompute(ctx context.Context, tx pgx.Tx, packages []uuid.UUID) error {
	if len(packages) == 0 {
		return nil
	}
	if _, err := tx.Exec(ctx, lockFiguresOfSome); err != nil {
		return err
	}
	y, _, err := yardstick(ctx, tx)
	if err != nil {
		return err
	}
	// Two changes that touch a package at once must not each miss the
	// other's trials.
	if _, err := tx.Exec(ctx, lockPackages, packages); err != nil {
		return err
	}
	trials, err := trialsOf(ctx, tx, packages)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from figures where package_id = any($1)`, packages); err != nil {
		return err
	}
	return writeFigures(ctx, tx, trials, y)
}

// recomputeAll writes the figures of every package anew, some thousand
// packages at a time.
func recomputeAll(ctx context.Context, tx pgx.Tx, y evidence.Yardstick) error {
	if _, err := tx.Exec(ctx, lockFigures); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from figures`); err != nil {
		return err
	}
	return eachTried(ctx, tx, func(trials map[uuid.UUID][]evidence.Trial) error {
		return writeFigures(ctx, tx, trials, y)
	})
}

// triedAtOnce is how many packages eachTried loads at a time.
const triedAtOnce = 4000

// eachTried hands over the trials of all packages, some thousand at a time.
func eachTried(ctx context.Context, q querier, do func(map[uuid.UUID][]evidence.Trial) error) error {
	after := uuid.Nil
	for {
		rows, err := q.Query(ctx, `
			select id
			from packages p
			where id > $1 and exists (select from trials where package_id = p.id)
			order by id
			limit $2`, after, triedAtOnce)
		if err != nil {
			return err
		}
		packages, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		if err != nil || len(packages) == 0 {
			return err
		}
		after = packages[len(packages)-1]
		trials, err := trialsOf(ctx, q, packages)
		if err != nil {
			return err
		}
		if err := do(trials); err != nil {
			return err
		}
	}
}

var figureColumns = []string{"package_id", "method", "place", "release", "ceiling", "floor", "standing", "phones", "people", "harmed_phones", "suggested", "strip"}

// writeFigures computes on all processors, then writes.
func writeFigures(ctx context.Context, tx pgx.Tx, trials map[uuid.UUID][]evidence.Trial, y evidence.Yardstick) error {
	packages := make([]uuid.UUID, 0, len(trials))
	for id := range trials {
		packages = append(packages, id)
	}
	parts := make([][][]any, min(runtime.GOMAXPROCS(0), len(packages)))
	var group errgroup.Group
	for part := range parts {
		group.Go(func() error {
			var limits evidence.Limits
			for i := part; i < len(packages); i += len(parts) {
				var err error
				if parts[part], err = appendFigures(parts[part], packages[i], trials[packages[i]], y, &limits); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := group.Wait(); err != nil {
		return err
	}
	for _, rows := range parts {
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"figures"}, figureColumns, pgx.CopyFromRows(rows)); err != nil {
			return err
		}
	}
	return nil
}

// appendFigures adds a package's figures from all of its viewpoints.
func appendFigures(rows [][]any, pkg uuid.UUID, trials []evidence.Trial, y evidence.Yardstick, limits *evidence.Limits) ([][]any, error) {
	points := evidence.Viewpoints(trials)
	places := make([]uuid.UUID, len(points))
	for i, p := range points {
		if p.Place != "" {
			var err error
			if places[i], err = uuid.Parse(p.Place); err != nil {
				return rows, err
			}
		}
	}
	for _, method := range evidence.Methods {
		gathered := evidence.Gather(trials, method)
		if gathered.Strip(evidence.Firmware{}) == "" || method == evidence.Disable && gathered.Same(evidence.Gather(trials, evidence.RemoveForUser)) {
			continue
		}
		for i, p := range points {
			f := gathered.Summary(p.Target, y, limits)
			rows = append(rows, []any{pkg, string(method), places[i], p.Release, f.Ceiling, f.Floor,
				string(f.Standing), f.Phones, f.People, f.HarmedPhones, string(evidence.SuggestedLoad(f, y.Thresholds)), gathered.Strip(p.Target)})
		}
	}
	return rows, nil
}

// trialsOf loads all trials of packages, as the calculations take them. There
// may be ten thousands: rows are read as they come, and what many share is
// kept once.
func trialsOf(ctx context.Context, q querier, packages []uuid.UUID) (map[uuid.UUID][]evidence.Trial, error) {
	trials := map[uuid.UUID][]evidence.Trial{}
	if len(packages) == 0 {
		return trials, nil
	}
	rows, err := q.Query(ctx, `
		select package_id, id, build_id, person_id, phone, method, outcome, function, persistence like 'back-%'
		from trials
		where package_id = any($1)`, packages)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	builds, people, words := map[uuid.UUID]evidence.Firmware{}, map[uuid.UUID]string{}, map[string]string{}
	word := func(raw []byte) string {
		w, ok := words[string(raw)]
		if !ok {
			w = string(raw)
			words[w] = w
		}
		return w
	}
	for rows.Next() {
		raw := rows.RawValues()
		var ids [4]uuid.UUID
		for i := range ids {
			if ids[i], err = uuid.FromBytes(raw[i]); err != nil {
				return nil, err
			}
		}
		person, ok := people[ids[3]]
		if !ok {
			person = ids[3].String()
			people[ids[3]] = person
		}
		builds[ids[2]] = evidence.Firmware{}
		trials[ids[0]] = append(trials[ids[0]], evidence.Trial{ID: ids[1].String(), On: evidence.Firmware{Build: string(ids[2][:])}, Person: person, Phone: word(raw[4]),
			Method: evidence.Method(word(raw[5])), Outcome: evidence.Outcome(word(raw[6])), Function: word(raw[7]), CameBack: raw[8][0] == 1})
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	return trials, placeTrials(ctx, q, trials, builds)
}

// placeTrials puts in the place of each trial's build, so far its bare id, the
// firmware that it is.
func placeTrials(ctx context.Context, q querier, trials map[uuid.UUID][]evidence.Trial, builds map[uuid.UUID]evidence.Firmware) error {
	ids := make([]uuid.UUID, 0, len(builds))
	for id := range builds {
		ids = append(ids, id)
	}
	rows, err := q.Query(ctx, `
		select b.id, b.id::text, d.id::text, d.maker_id::text, b.release
		from builds b
		join models d on d.id = b.model_id
		where b.id = any($1)`, ids)
	if err != nil {
		return err
	}
	var id uuid.UUID
	var f evidence.Firmware
	if _, err := pgx.ForEachRow(rows, []any{&id, &f.Build, &f.Model, &f.Maker, &f.Release}, func() error { builds[id] = f; return nil }); err != nil {
		return err
	}
	for _, list := range trials {
		for i := range list {
			list[i].On = builds[uuid.UUID([]byte(list[i].On.Build))]
		}
	}
	return nil
}
