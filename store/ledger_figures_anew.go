package store

import (
	"context"
	"maps"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/evidence"
)

// recomputeAll forgets all figures and writes those of everywhere anew, some
// thousand packages at a time.
func recomputeAll(ctx context.Context, tx pgx.Tx, y evidence.Yardstick) error {
	if _, err := tx.Exec(ctx, lockFigures); err != nil {
		return err
	}
	if _, err := tx.Exec(ctx, `delete from figures`); err != nil {
		return err
	}
	// What was brought in together with its trials.
	_, err := tx.Exec(ctx, `
		update packages p
		set trials_stamp = 1
		where trials_stamp = 0 and exists (select from trials where package_id = p.id)`)
	if err != nil {
		return err
	}
	// While some are computed, those before are written and the next trials read: all
	// over one connection, so that trials are seen that this transaction brought.
	last := func() ([]storedFigures, error) { return nil, nil }
	write := func() error {
		rows, err := last()
		if err != nil {
			return err
		}
		return copyFigures(ctx, tx, rows)
	}
	err = eachTried(ctx, tx, func(trials map[uuid.UUID]*triedPackage) error {
		everywhere := figuresFrom{packages: slices.Collect(maps.Keys(trials))}
		stamps, err := stampsOf(ctx, tx, everywhere.packages)
		if err != nil {
			return err
		}
		type result struct {
			rows []storedFigures
			err  error
		}
		done := make(chan result, 1)
		go func() {
			rows, err := computeFigures(trials, stamps, y, everywhere)
			done <- result{rows, err}
		}()
		err = write()
		last = func() ([]storedFigures, error) { r := <-done; return r.rows, r.err }
		return err
	})
	if err != nil {
		return err
	}
	return write()
}

// How many packages eachTried loads at a time, and names.
const (
	triedAtOnce = 250
	triedToCome = 16 * triedAtOnce
)

// eachTried hands over the trials of all packages, some thousand at a time.
func eachTried(ctx context.Context, q querier, do func(map[uuid.UUID]*triedPackage) error) error {
	after := uuid.Nil
	for {
		rows, err := q.Query(ctx, `
			select id
			from packages p
			where id > $1 and exists (select from trials where package_id = p.id)
			order by id
			limit $2`, after, triedToCome)
		if err != nil {
			return err
		}
		packages, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
		if err != nil || len(packages) == 0 {
			return err
		}
		after = packages[len(packages)-1]
		for some := range slices.Chunk(packages, triedAtOnce) {
			trials, err := trialsOf(ctx, q, nil, triedOf, some)
			if err != nil {
				return err
			}
			if err := do(trials); err != nil {
				return err
			}
		}
	}
}

// copyFigures writes rows where none of them are; see storeFigures.
func copyFigures(ctx context.Context, tx pgx.Tx, rows []storedFigures) error {
	columns := []string{
		"place", "release", "package_id", "method", "stamp", "ceiling", "floor", "standing", "phones", "people",
		"harmed_phones", "suggested", "strip",
	}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"figures"}, columns, pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) {
		r := &rows[i]
		return []any{
			r.place, r.release, r.pkg, string(r.method), r.stamp, r.Ceiling, r.Floor, string(r.Standing), r.Phones, r.People,
			r.HarmedPhones, string(r.suggested), r.strip,
		}, nil
	}))
	return err
}
