package store

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"runtime"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"golang.org/x/sync/errgroup"

	"roster/core/evidence"
)

// figuresVersion counts up whenever the calculations change, so that figures
// that an older program stored are made anew.
const figuresVersion = 2

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

// placeOf is where the figures of a target are kept: under the first of its
// vantages.
func placeOf(target evidence.Firmware) (place, release string) {
	v := evidence.Vantages(target)[0]
	if v.Place == "" {
		v.Place = uuid.Nil.String()
	}
	return v.Place, v.Release
}

// figuresJoin joins the figures f of package p as the scope sees them, by the
// method in the argument of that name. What was made before the package's
// trials changed is not joined; see lacking.
func figuresJoin(sc Scope, args pgx.NamedArgs) string {
	at := everywhereID + ` and f.release = ''`
	if sc.Maker != nil {
		args["place"], args["release"] = placeOf(sc.Target)
		at = `@place::uuid and f.release = @release`
	}
	return `left join figures f on f.package_id = p.id and f.method = @method
			and f.place = ` + at + ` and f.stamp = p.trials_stamp`
}

// lacking is the condition, beside figuresJoin, that the figures of package p
// are to be made first: see readingFigures. Those of everywhere are made when a
// trial is accepted.
func lacking(sc Scope) string {
	if sc.Maker == nil {
		return `false`
	}
	return `(f.package_id is null and p.trials_stamp > 0
				and not exists (select from figures g
					where g.place = @place::uuid and g.release = @release and g.package_id = p.id
						and g.stamp = p.trials_stamp))`
}

// readingFigures reads something with the figures of a scope. Where read tells
// of packages whose figures are lacking there, they are made, and it reads
// again: what comes out rests on all trials there are.
func (s *Store) readingFigures(ctx context.Context, q querier, sc Scope, read func() (lacking []uuid.UUID, err error)) error {
	for range 5 {
		missing, err := read()
		if err != nil || len(missing) == 0 {
			return err
		}
		if err := makeFigures(ctx, q, s.keptOutside(ctx), figuresFrom{sc.Target, missing}); err != nil {
			return err
		}
	}
	return errors.New("trials are being accepted faster than their figures can be read; try again")
}

// figuresFrom are packages whose figures are wanted, as seen from a target.
type figuresFrom struct {
	target   evidence.Firmware
	packages []uuid.UUID
}

// makeFigures makes the figures of packages from targets, by every method. Two
// that make the same ones at once make the same. Trials that are kept are not
// read again; nil for none.
func makeFigures(ctx context.Context, q querier, kept *trialCache, wanted ...figuresFrom) error {
	begin, ok := q.(interface {
		Begin(context.Context) (pgx.Tx, error)
	})
	if !ok {
		return fmt.Errorf("figures can't be made through a %T", q)
	}
	return pgx.BeginFunc(ctx, begin, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, lockFiguresOfSome); err != nil {
			return err
		}
		y, _, err := yardstick(ctx, tx)
		if err != nil {
			return err
		}
		var packages []uuid.UUID
		for _, w := range wanted {
			packages = append(packages, w.packages...)
		}
		// Before the trials: if more are accepted in between, what is made has
		// an old stamp, and is made again.
		stamps, err := stampsOf(ctx, tx, packages)
		if err != nil {
			return err
		}
		trials, err := kept.trials(ctx, tx, stamps)
		if err != nil {
			return err
		}
		rows, err := computeFigures(trials, stamps, y, wanted...)
		if err != nil {
			return err
		}
		return storeFigures(ctx, tx, rows)
	})
}

// stampsOf are the stamps of those of packages that have trials.
func stampsOf(ctx context.Context, q querier, packages []uuid.UUID) (map[uuid.UUID]int64, error) {
	rows, err := q.Query(ctx, `select id, trials_stamp from packages where id = any($1) and trials_stamp > 0`, packages)
	if err != nil {
		return nil, err
	}
	stamps := make(map[uuid.UUID]int64, len(packages))
	var id uuid.UUID
	var stamp int64
	_, err = pgx.ForEachRow(rows, []any{&id, &stamp}, func() error { stamps[id] = stamp; return nil })
	return stamps, err
}

// recompute takes note that some trials of packages have come and gone, and writes
// their figures of everywhere anew; those of other places are made once they
// are asked for. What it returns is to be called once the transaction has ended well:
// then the trials are kept.
func recompute(ctx context.Context, tx pgx.Tx, kept *trialCache, packages []uuid.UUID, moved movedTrials) (keep func(), err error) {
	if len(packages) == 0 {
		return func() {}, nil
	}
	if _, err := tx.Exec(ctx, lockFiguresOfSome); err != nil {
		return nil, err
	}
	// Two changes that touch a package at once must not each miss the
	// other's trials.
	if _, err := tx.Exec(ctx, lockPackages, packages); err != nil {
		return nil, err
	}
	before, err := stampsOf(ctx, tx, packages)
	if err != nil {
		return nil, err
	}
	// One that has no trials left has a stamp below zero.
	_, err = tx.Exec(ctx, `
		update packages p
		set trials_stamp = (abs(trials_stamp) + 1)
			* case when exists (select from trials where package_id = p.id) then 1 else -1 end
		where id = any($1)`, packages)
	if err != nil {
		return nil, err
	}
	y, _, err := yardstick(ctx, tx)
	if err != nil {
		return nil, err
	}
	stamps, err := stampsOf(ctx, tx, packages)
	if err != nil {
		return nil, err
	}
	trials, err := kept.moved(ctx, tx, before, slices.Collect(maps.Keys(stamps)), moved)
	if err != nil {
		return nil, err
	}
	rows, err := computeFigures(trials, stamps, y, figuresFrom{packages: packages})
	if err != nil {
		return nil, err
	}
	return func() { kept.keep(trials, stamps) }, storeFigures(ctx, tx, rows)
}

// storedFigures is a row of the table.
type storedFigures struct {
	place, release string
	pkg            uuid.UUID
	method         evidence.Method
	stamp          int64
	evidence.Figures
	suggested evidence.Load
	strip     string
}

// computeFigures computes on all processors what the trials of packages come
// to, seen from targets. What has no trial by a method has no figures for it.
func computeFigures(trials map[uuid.UUID]*triedPackage, stamps map[uuid.UUID]int64, y evidence.Yardstick, wanted ...figuresFrom) ([]storedFigures, error) {
	targets := map[uuid.UUID][]evidence.Firmware{}
	for _, w := range wanted {
		for _, p := range w.packages {
			if _, tried := stamps[p]; tried {
				targets[p] = append(targets[p], w.target)
			}
		}
	}
	packages := slices.Collect(maps.Keys(targets))
	parts := make([][]storedFigures, min(runtime.GOMAXPROCS(0), len(packages)))
	var group errgroup.Group
	for part := range parts {
		group.Go(func() error {
			var limits evidence.Limits
			for i := part; i < len(packages); i += len(parts) {
				p := packages[i]
				for m, gathered := range trials[p].gathered() {
					method := evidence.Methods[m]
					if gathered.Empty() {
						continue
					}
					for n, f := range gathered.Summaries(targets[p], y, &limits) {
						target := targets[p][n]
						place, release := placeOf(target)
						parts[part] = append(parts[part], storedFigures{place, release, p, method, stamps[p], f,
							evidence.SuggestedLoad(f, y.Thresholds), gathered.Strip(target)})
					}
				}
			}
			return nil
		})
	}
	err := group.Wait()
	return slices.Concat(parts...), err
}

// storeFigures writes rows, always in the same order, so that two that do so at
// once wait for each other. What somebody stored of newer trials stays.
func storeFigures(ctx context.Context, tx pgx.Tx, rows []storedFigures) error {
	if len(rows) == 0 {
		return nil
	}
	slices.SortFunc(rows, func(a, b storedFigures) int {
		return cmp.Or(strings.Compare(a.place, b.place), strings.Compare(a.release, b.release),
			bytes.Compare(a.pkg[:], b.pkg[:]), strings.Compare(string(a.method), string(b.method)))
	})
	var c struct {
		places, releases, methods, standings, suggested, strips []string
		packages                                                []uuid.UUID
		stamps                                                  []int64
		ceilings, floors                                        []float64
		phones, people, harmed                                  []int
	}
	for _, r := range rows {
		c.places, c.releases, c.methods = append(c.places, r.place), append(c.releases, r.release), append(c.methods, string(r.method))
		c.packages, c.stamps = append(c.packages, r.pkg), append(c.stamps, r.stamp)
		c.ceilings, c.floors, c.standings = append(c.ceilings, r.Ceiling), append(c.floors, r.Floor), append(c.standings, string(r.Standing))
		c.phones, c.people, c.harmed = append(c.phones, r.Phones), append(c.people, r.People), append(c.harmed, r.HarmedPhones)
		c.suggested, c.strips = append(c.suggested, string(r.suggested)), append(c.strips, r.strip)
	}
	_, err := tx.Exec(ctx, `
		insert into figures as f (place, release, package_id, method, stamp, ceiling, floor, standing, phones, people,
			harmed_phones, suggested, strip)
		select * from unnest($1::uuid[], $2::text[], $3::uuid[], $4::text[], $5::bigint[], $6::float8[], $7::float8[],
			$8::text[], $9::int[], $10::int[], $11::int[], $12::text[], $13::text[])
		on conflict (place, release, package_id, method)
		do update set stamp = excluded.stamp, ceiling = excluded.ceiling, floor = excluded.floor,
			standing = excluded.standing, phones = excluded.phones, people = excluded.people,
			harmed_phones = excluded.harmed_phones, suggested = excluded.suggested, strip = excluded.strip
		where f.stamp <= excluded.stamp`,
		c.places, c.releases, c.packages, c.methods, c.stamps, c.ceilings, c.floors, c.standings, c.phones, c.people,
		c.harmed, c.suggested, c.strips)
	return err
}

// Which trials trialsOf loads, by ids: those of packages, or themselves.
const (
	triedOf = `package_id = any($1)`
	triedAs = `id = any($1)`
)

// trialsOf loads trials by package, as the calculations take them. There
// may be ten thousands: rows are read as they come, and what many share is
// kept once. Firmwares that are kept are not read again; nil for none.
func trialsOf(ctx context.Context, q querier, kept *keptFirmwares, which string, ids []uuid.UUID) (map[uuid.UUID]*triedPackage, error) {
	trials := map[uuid.UUID]*triedPackage{}
	if len(ids) == 0 {
		return trials, nil
	}
	rows, err := q.Query(ctx, `
		select package_id, id, build_id, person_id, phone, method, outcome, function, persistence like 'back-%',
			outside
		from trials
		where `+which, ids)
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
		if raw[9][0] == 1 {
			person = word(raw[4])
		}
		builds[ids[2]] = evidence.Firmware{}
		of, ok := trials[ids[0]]
		if !ok {
			of = &triedPackage{}
			trials[ids[0]] = of
		}
		of.list = append(of.list, evidence.Trial{ID: ids[1].String(), On: evidence.Firmware{Build: string(ids[2][:])}, Person: person, Phone: word(raw[4]),
			Method: evidence.Method(word(raw[5])), Outcome: evidence.Outcome(word(raw[6])), Function: word(raw[7]), CameBack: raw[8][0] == 1, Outside: raw[9][0] == 1})
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	for _, of := range trials {
		of.list = slices.Clone(of.list) // what is kept has no room for more
	}
	return trials, placeTrials(ctx, q, kept, trials, builds)
}

// keptFirmwares are builds with where they stand, which does not change.
type keptFirmwares = kept[uuid.UUID, evidence.Firmware]

// bytesOfFirmware is about what one of them takes.
const bytesOfFirmware = 250

// placeTrials puts in the place of each trial's build, so far its bare id, the
// firmware that it is.
func placeTrials(ctx context.Context, q querier, kept *keptFirmwares, trials map[uuid.UUID]*triedPackage, builds map[uuid.UUID]evidence.Firmware) error {
	ids := make([]uuid.UUID, 0, len(builds))
	for id := range builds {
		if kept != nil {
			if f, ok := kept.get(id); ok {
				builds[id] = f
				continue
			}
		}
		ids = append(ids, id)
	}
	if len(ids) > 0 {
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
		_, err = pgx.ForEachRow(rows, []any{&id, &f.Build, &f.Model, &f.Maker, &f.Release}, func() error {
			builds[id] = f
			if kept != nil {
				kept.put(id, f, bytesOfFirmware)
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	for _, of := range trials {
		for i := range of.list {
			of.list[i].On = builds[uuid.UUID([]byte(of.list[i].On.Build))]
		}
	}
	return nil
}
