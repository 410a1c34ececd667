package store

import (
	"context"
	"encoding/json"
	"slices"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/gain"
	"roster/core/run"
)

// addMeasurement writes what a phone used at a step of a run. What is told twice is
// written once.
func addMeasurement(ctx context.Context, tx pgx.Tx, id uuid.UUID, step int, m *android.Measurement) error {
	raw, err := json.Marshal(m)
	if err != nil {
		return err
	}
	_, err = tx.Exec(ctx, `
		insert into run_measurements (run_id, number, measured)
		select run_id, number, $3::jsonb from run_steps where run_id = $1 and number = $2 and kind = 'measure'
		on conflict do nothing`, id, step, raw)
	return err
}

// Gain is what a run brought its phone.
type Gain struct {
	Before android.Measurement `json:"before"`
	After  android.Measurement `json:"after"`
	gain.Difference
	// Parts are what the phone attributed before to what the run has off, Nothing
	// those of them to which it attributed nothing.
	Parts   []gain.Part           `json:"parts" nullable:"false"`
	Nothing []android.PackageName `json:"nothing" nullable:"false"`
	Doubts  []string              `json:"doubts" nullable:"false"`
}

// RunGain is what a run brought; nil where it was not measured before and after.
func (s *Store) RunGain(ctx context.Context, id uuid.UUID) (*Gain, error) {
	rows, err := s.pool.Query(ctx, `
		select measured from run_measurements where run_id = $1 order by number`, id)
	if err != nil {
		return nil, err
	}
	list, err := pgx.CollectRows(rows, pgx.RowTo[android.Measurement])
	if err != nil || len(list) < 2 {
		return nil, err
	}
	steps, err := s.RunSteps(ctx, id, 0)
	if err != nil {
		return nil, err
	}
	g := &Gain{Before: list[0], After: list[len(list)-1], Parts: []gain.Part{}, Nothing: []android.PackageName{}}
	g.Difference, g.Doubts = gain.Between(&g.Before, &g.After), gain.Doubts(&g.Before, &g.After)
	var gone []android.PackageName
	for _, j := range run.Off(journalOf(steps)) {
		if !slices.Contains(gone, j.Package) {
			gone = append(gone, j.Package)
		}
	}
	for _, part := range gain.Parts(&g.Before, gone) {
		if part.Use == (android.Use{}) {
			g.Nothing = append(g.Nothing, part.Package)
		} else {
			g.Parts = append(g.Parts, part)
		}
	}
	g.Before.Uses, g.After.Uses = nil, nil // the parts say what of it is asked for
	return g, nil
}

// ReleaseGain is what a release brought the phones on which it was run and measured,
// each counted once by the median of its runs: memory and room in bytes, processes,
// and wake-ups in an hour.
type ReleaseGain struct {
	Memory    gain.Figure `json:"memory"`
	Data      gain.Figure `json:"data"`
	Processes gain.Figure `json:"processes"`
	Wakeups   gain.Figure `json:"wakeups"`
}

// GainOf is what a release brought; nil where nobody has measured it.
func (s *Store) GainOf(ctx context.Context, release uuid.UUID) (*ReleaseGain, error) {
	rows, err := s.pool.Query(ctx, `
		select r.phone, m.run_id, m.measured - 'uses'
		from runs r
		join run_measurements m on m.run_id = r.id
		where r.release_id = $1 and r.state = 'finished'
		order by m.run_id, m.number
		limit 2000`, release)
	if err != nil {
		return nil, err
	}
	type side struct{ first, last *android.Measurement }
	sides, phones := map[uuid.UUID]*side{}, map[uuid.UUID]string{}
	var phone string
	var id uuid.UUID
	var m android.Measurement
	_, err = pgx.ForEachRow(rows, []any{&phone, &id, &m}, func() error {
		one := m
		m = android.Measurement{}
		phones[id] = phone
		if sides[id] == nil {
			sides[id] = &side{first: &one}
		} else {
			sides[id].last = &one
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	by := map[string][]gain.Difference{}
	for id, one := range sides {
		if one.last != nil {
			by[phones[id]] = append(by[phones[id]], gain.Between(one.first, one.last))
		}
	}
	if len(by) == 0 {
		return nil, nil
	}
	figure := func(of func(gain.Difference) float64) gain.Figure {
		var values []float64
		for _, list := range by {
			own := make([]float64, len(list))
			for i, d := range list {
				own[i] = of(d)
			}
			values = append(values, gain.MedianOf(own).Median)
		}
		return gain.MedianOf(values)
	}
	return &ReleaseGain{
		Memory:    figure(func(d gain.Difference) float64 { return float64(d.Memory) }),
		Data:      figure(func(d gain.Difference) float64 { return float64(d.Data) }),
		Processes: figure(func(d gain.Difference) float64 { return float64(d.Processes) }),
		Wakeups:   figure(func(d gain.Difference) float64 { return d.Wakeups }),
	}, nil
}
