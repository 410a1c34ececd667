package store

import (
	"context"
	"encoding/json"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/evidence"
)

// withTrials picks the packages that trials exist of, among those given and
// all that a build of the same model ships: a new build may now stand for the
// model.
func withTrials(ctx context.Context, tx pgx.Tx, build uuid.UUID, packages []uuid.UUID) ([]uuid.UUID, error) {
	rows, err := tx.Query(ctx, `
		select distinct package_id from trials where package_id = any($2) or package_id in (
			select x.package_id from presence x join builds b on b.id = x.build_id
			where b.model_id = (select model_id from builds where id = $1))`, build, packages)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
}

// target is a firmware that figures are seen from.
type target struct {
	id       uuid.UUID
	firmware evidence.Firmware
}

// recompute writes the figures of packages anew, from all their trials and
// for every target: each build that ships the package, the newest build of
// each such model, each maker, and everywhere.
func recompute(ctx context.Context, tx pgx.Tx, packages []uuid.UUID) error {
	if len(packages) == 0 {
		return nil
	}
	table, err := transfer(ctx, tx)
	if err != nil {
		return err
	}
	// Two changes that touch a package at once must not each miss the
	// other's trials.
	if _, err := tx.Exec(ctx, `select from packages where id = any($1) order by id for no key update`, packages); err != nil {
		return err
	}
	trials, err := trialsOf(ctx, tx, packages)
	if err != nil {
		return err
	}
	targets, err := targetsOf(ctx, tx, packages)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from figures where package_id = any($1)`, packages); err != nil {
		return err
	}
	var out [][]any
	for _, pkg := range packages {
		for _, t := range targets[pkg] {
			for _, method := range evidence.Methods {
				strip := evidence.Strip(trials[pkg], method, t.firmware)
				if strip == "" {
					continue
				}
				f := evidence.Weigh(trials[pkg], method, t.firmware, table)
				suggestion := evidence.Suggest(f, evidence.Structure{})
				reasons, err := json.Marshal(suggestion.Reasons)
				if err != nil {
					return err
				}
				out = append(out, []any{pkg, t.id, string(method), f.Weight, f.Harmed, f.Ceiling, f.Floor, f.SevereCeiling, f.SevereFloor,
					string(f.Standing), f.Phones, f.People, f.HarmedPhones, string(suggestion.Load), reasons, strip})
			}
		}
	}
	_, err = tx.CopyFrom(ctx, pgx.Identifier{"figures"}, []string{"package_id", "target", "method", "weight", "harmed_weight", "ceiling", "floor",
		"severe_ceiling", "severe_floor", "standing", "phones", "people", "harmed_phones", "suggested", "reasons", "strip"}, pgx.CopyFromRows(out))
	return err
}

// trialsOf loads all trials of packages, as the calculations take them.
func trialsOf(ctx context.Context, q querier, packages []uuid.UUID) (map[uuid.UUID][]evidence.Trial, error) {
	rows, err := q.Query(ctx, `
		select t.package_id, t.id::text, t.phone, t.person_id::text, b.id::text, d.id::text, d.maker_id::text, b.release, t.method, t.outcome, t.function, t.persistence like 'back-%'
		from trials t join builds b on b.id = t.build_id join models d on d.id = b.model_id
		where t.package_id = any($1)`, packages)
	if err != nil {
		return nil, err
	}
	trials := map[uuid.UUID][]evidence.Trial{}
	var pkg uuid.UUID
	var t evidence.Trial
	_, err = pgx.ForEachRow(rows, []any{&pkg, &t.ID, &t.Phone, &t.Person, &t.On.Build, &t.On.Model, &t.On.Maker, &t.On.Release, &t.Method, &t.Outcome, &t.Function, &t.CameBack},
		func() error { trials[pkg] = append(trials[pkg], t); return nil })
	return trials, err
}

func targetsOf(ctx context.Context, q querier, packages []uuid.UUID) (map[uuid.UUID][]target, error) {
	rows, err := q.Query(ctx, `
		with shipping as (
			select x.package_id, b.id, b.model_id from presence x join builds b on b.id = x.build_id where x.package_id = any($1)
			-- a package that somebody tried counts where it was tried, too
			union select t.package_id, b.id, b.model_id from trials t join builds b on b.id = t.build_id where t.package_id = any($1)
		), newest as (
			select distinct on (b.model_id) b.model_id, b.id from builds b
			where b.model_id in (select model_id from shipping) order by b.model_id, `+newestBuild+`
		), wanted as (
			select package_id, id, model_id from shipping
			union select s.package_id, n.id, n.model_id from shipping s join newest n on n.model_id = s.model_id
		)
		select w.package_id, w.id, w.model_id, d.maker_id, b.release
		from wanted w join builds b on b.id = w.id join models d on d.id = w.model_id`, packages)
	if err != nil {
		return nil, err
	}
	targets := map[uuid.UUID][]target{}
	makers := map[[2]uuid.UUID]bool{}
	var pkg, build, model, maker uuid.UUID
	var release string
	_, err = pgx.ForEachRow(rows, []any{&pkg, &build, &model, &maker, &release}, func() error {
		if targets[pkg] == nil {
			targets[pkg] = append(targets[pkg], target{uuid.Nil, evidence.Firmware{}})
		}
		targets[pkg] = append(targets[pkg], target{build, evidence.Firmware{Build: build.String(), Model: model.String(), Maker: maker.String(), Release: release}})
		if !makers[[2]uuid.UUID{pkg, maker}] {
			makers[[2]uuid.UUID{pkg, maker}] = true
			targets[pkg] = append(targets[pkg], target{maker, evidence.Firmware{Maker: maker.String()}})
		}
		return nil
	})
	return targets, err
}
