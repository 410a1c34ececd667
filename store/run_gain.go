package store

import (
	"context"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/gain"
	"roster/core/profile"
	"roster/core/run"
)

// Gain is what a run brought its phone.
type Gain struct {
	// Before and After are the measurements of both sides, oldest first.
	Before []android.Measurement `json:"before" nullable:"false"`
	After  []android.Measurement `json:"after" nullable:"false"`
	Gained gain.Difference       `json:"gained"`
	// Parts are what the phone attributed before to what the run has off, Nothing
	// those of them to which it attributed nothing.
	Parts   []gain.Part           `json:"parts" nullable:"false"`
	Nothing []android.PackageName `json:"nothing" nullable:"false"`
	Doubts  []string              `json:"doubts" nullable:"false"`
}

// measuredRuns are runs r that were measured, each with the measurements of its phone
// that belong to it: its own, and those without a run since the run before it and
// until the next one, of half a month. What was measured after a put-back belongs to
// nothing. The condition on r goes between both halves.
const (
	measuredRuns = `
		select r.id, r.number, r.phone, w.name, r.person_id::text, r.started_at,
			array(select s.step ->> 'package'
				from run_steps s
				where s.run_id = r.id and s.kind = 'remove' and s.state = 'done'
				order by 1),
			array(select (s.step ->> 'package') || ' ' || (s.step ->> 'method')
				from run_steps s
				where s.run_id = r.id and s.kind = 'remove'
				order by 1),
			m.before, m.own, m.measured
		from (select * from runs r where `
	theirMeasurements = ` order by r.number desc limit 500) r
		join people w on w.id = r.person_id
		cross join lateral (
			select o.measured, o.at, o.number, o.run_id is not null as own,
				case when o.run_id is null then o.at < r.started_at
					else o.number < (select min(s.number) from run_steps s where s.run_id = r.id and s.kind = 'remove')
					end as before
			from measurements o
			where o.phone = r.phone and (o.run_id = r.id or o.run_id is null and o.build_id = r.build_id
				and o.at > coalesce((select max(coalesce(x.ended_at, x.started_at))
					from runs x
					where x.phone = r.phone and x.number < r.number), r.started_at - interval '15 days')
				and o.at < coalesce((select min(x.started_at)
					from runs x
					where x.phone = r.phone and x.number > r.number), r.started_at + interval '15 days')
				and (o.at < r.started_at or r.state = 'finished'))) m
		order by r.number, m.at, m.number`
)

// measuredRun is a run with the measurements of its phone before and after.
type measuredRun struct {
	id              uuid.UUID
	number          int64
	phone           string
	person, account string
	at              time.Time
	gone, meant     []string
	before, after   []android.Measurement
	// own are the run's measurements before and after, others those without a run.
	own, others [2][]android.Measurement
}

// readMeasured reads runs that were measured before and after, in their order.
func readMeasured(ctx context.Context, q querier, condition string, args ...any) ([]measuredRun, error) {
	rows, err := q.Query(ctx, measuredRuns+condition+theirMeasurements, args...)
	if err != nil {
		return nil, err
	}
	var list []measuredRun
	var one measuredRun
	var before, own bool
	var m android.Measurement
	fields := []any{&one.id, &one.number, &one.phone, &one.person, &one.account, &one.at, &one.gone, &one.meant, &before, &own, &m}
	_, err = pgx.ForEachRow(rows, fields, func() error {
		if len(list) == 0 || list[len(list)-1].id != one.id {
			list = append(list, one)
		}
		r, side := &list[len(list)-1], 0
		if !before {
			side = 1
		}
		if own {
			r.own[side] = append(r.own[side], m)
		} else {
			r.others[side] = append(r.others[side], m)
		}
		one.gone, one.meant, m = nil, nil, android.Measurement{}
		return nil
	})
	for i := range list {
		list[i].before, list[i].after = list[i].side(0), list[i].side(1)
	}
	return slices.DeleteFunc(list, func(r measuredRun) bool { return len(r.before) == 0 || len(r.after) == 0 }), err
}

// side are the measurements of a side: the run's own, and of those without a run what
// was measured in the same state as these; where it has none of its own, all.
func (r *measuredRun) side(n int) []android.Measurement {
	own := r.own[n]
	if len(own) == 0 {
		return r.others[n]
	}
	others := slices.DeleteFunc(r.others[n], func(m android.Measurement) bool { return !gain.Alike(&own[0], &m) })
	if n == 0 {
		return slices.Concat(others, own) // in their order
	}
	return slices.Concat(own, others)
}

// RunGain is what a run brought; nil where it was not measured before and after.
func (s *Store) RunGain(ctx context.Context, id uuid.UUID) (*Gain, error) {
	list, err := readMeasured(ctx, s.pool, `r.id = $1`, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	r := list[0]
	g := &Gain{Before: r.before, After: r.after, Parts: []gain.Part{}, Nothing: []android.PackageName{}}
	g.Gained, g.Doubts = gain.Between(r.before, r.after), gain.Doubts(r.before, r.after)
	steps, err := s.RunSteps(ctx, id, 0)
	if err != nil {
		return nil, err
	}
	var gone []string
	for _, j := range run.Off(journalOf(steps)) {
		if !slices.Contains(gone, string(j.Package)) {
			gone = append(gone, string(j.Package))
		}
	}
	rows, err := s.pool.Query(ctx, `
		select p.name, `+useColumns+`
		from measured_uses u
		join packages p on p.id = u.package_id
		where u.measurement_id = (select id from measurements where run_id = $1 order by number limit 1)
			and p.name = any($2)
		order by u.memory desc, u.wakeups desc, p.name`, id, gone)
	if err != nil {
		return nil, err
	}
	var part gain.Part
	_, err = pgx.ForEachRow(rows, append([]any{&part.Package}, useFields(&part.Use)...), func() error {
		if part.Use.Nothing() {
			g.Nothing = append(g.Nothing, part.Package)
		} else {
			g.Parts = append(g.Parts, part)
		}
		return nil
	})
	return g, err
}

// PhoneGain is what one phone gained, as a list of them tells it.
type PhoneGain struct {
	// Phone is the keyed hash of its serial number.
	Phone  string          `json:"phone"`
	Run    uuid.UUID       `json:"run"`
	Number int64           `json:"number" doc:"Of the run"`
	Person string          `json:"person"`
	At     time.Time       `json:"at"`
	Gained gain.Difference `json:"gained"`
	// Measured counts the measurements behind it.
	Measured int      `json:"measured"`
	Doubts   []string `json:"doubts" nullable:"false"`
	account  string
	gone     []android.PackageName
}

// ManyGain is what several phones gained: the figure of each quantity that any of
// them tells, and the phones that made it. A phone counts once: by all runs that took
// the same off it together, and of others by the last.
type ManyGain struct {
	Figures map[gain.Quantity]gain.Figure `json:"figures"`
	Phones  []PhoneGain                   `json:"phones" nullable:"false"`
}

// gainOf puts runs together; nil where there are none.
func gainOf(runs []measuredRun) *ManyGain {
	if len(runs) == 0 {
		return nil
	}
	g := &ManyGain{Figures: map[gain.Quantity]gain.Figure{}, Phones: []PhoneGain{}}
	last := map[string]measuredRun{}
	for _, r := range runs {
		if was, ok := last[r.phone]; ok && slices.Equal(was.gone, r.gone) {
			r.before, r.after = slices.Concat(was.before, r.before), slices.Concat(was.after, r.after)
		}
		last[r.phone] = r
		p := PhoneGain{Phone: r.phone, Run: r.id, Number: r.number, Person: r.person, At: r.at, account: r.account,
			Gained: gain.Between(r.before, r.after), Measured: len(r.before) + len(r.after), Doubts: gain.Doubts(r.before, r.after)}
		for _, name := range r.gone {
			p.gone = append(p.gone, android.PackageName(name))
		}
		if i := slices.IndexFunc(g.Phones, func(o PhoneGain) bool { return o.Phone == p.Phone }); i >= 0 {
			g.Phones[i] = p
			continue
		}
		g.Phones = append(g.Phones, p)
	}
	for _, q := range gain.Quantities() {
		var list []gain.Counted
		for _, p := range g.Phones {
			if c, told := p.Gained[q]; told {
				list = append(list, gain.Counted{Gained: c.Gained, Person: p.account})
			}
		}
		if len(list) > 0 {
			g.Figures[q] = gain.FigureOf(list)
		}
	}
	return g
}

// finished are runs that did all that they were to do, put back since or not.
const finished = `r.state in ('finished', 'put-back')
	and exists (select from measurements m where m.phone = r.phone)`

// GainOf is what a release brought the phones on which it, or another number of its
// edition that takes exactly the same off by the same methods, was run whole and
// measured; nil where nobody has.
func (s *Store) GainOf(ctx context.Context, release uuid.UUID) (*ManyGain, error) {
	var of uuid.UUID
	var raw []byte
	var measured bool
	err := s.pool.QueryRow(ctx, `
		select e.profile_id, e.document, exists (select from runs r
			join measurements m on m.phone = r.phone
			where r.profile_id = e.profile_id)
		from releases e
		where e.id = $1`, release).Scan(&of, &raw, &measured)
	if isNone(err) {
		return nil, ErrNotFound
	}
	if err != nil || !measured {
		return nil, err
	}
	d, err := profile.ParseDocument(raw)
	if err != nil {
		return nil, err
	}
	return gainOfDocument(ctx, s.pool, of, d)
}

// gainOfDocument is GainOf of what a profile takes off by a document.
func gainOfDocument(ctx context.Context, q querier, of uuid.UUID, d *profile.Document) (*ManyGain, error) {
	runs, err := readMeasured(ctx, q, finished+` and r.profile_id = $1`, of)
	if err != nil {
		return nil, err
	}
	var meant []string
	for _, s := range d.Removals() {
		meant = append(meant, string(s.Package)+" "+string(s.Method))
	}
	slices.Sort(meant)
	return gainOf(slices.DeleteFunc(runs, func(r measuredRun) bool {
		slices.Sort(r.meant)
		return !slices.Equal(r.meant, meant)
	})), nil
}

// ModelGain is what was gained on a model's phones, whatever was taken off them, and
// which packages brought the memory.
type ModelGain struct {
	ManyGain
	Memory []gain.Estimate `json:"memory" nullable:"false"`
}

// GainOnModel is what all that was run whole and measured on a model's phones
// brought; nil where nothing was.
func (s *Store) GainOnModel(ctx context.Context, model uuid.UUID) (*ModelGain, error) {
	runs, err := readMeasured(ctx, s.pool, finished+`
	and r.build_id in (select id from builds where model_id = $1)`, model)
	if err != nil {
		return nil, err
	}
	many := gainOf(runs)
	if many == nil {
		return nil, nil
	}
	var list []gain.Observation
	for _, p := range many.Phones {
		if c, told := p.Gained[gain.Memory]; told {
			list = append(list, gain.Observation{Counted: gain.Counted{Gained: c.Gained, Person: p.account}, Gone: p.gone})
		}
	}
	return &ModelGain{*many, gain.Estimates(list)}, nil
}
