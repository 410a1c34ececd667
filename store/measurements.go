package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/android"
	"roster/core/gain"
)

// NewMeasurement is a measurement of a phone to be kept.
type NewMeasurement struct {
	// Phone is the keyed hash of its serial number.
	Phone  string
	Build  uuid.UUID
	Person uuid.UUID
	// Run and Step are what measured; none where nothing was run.
	Run  *uuid.UUID
	Step int
	// At is now where it is zero.
	At       time.Time
	Measured *android.Measurement
}

// AddMeasurement keeps what a phone used; CountMeasured then makes what rests on it.
// The same step of a run is kept once.
func (s *Store) AddMeasurement(ctx context.Context, n NewMeasurement) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error { return addMeasurement(ctx, tx, n) })
}

// AddMeasured keeps what a phone used that was measured without a run: its build is
// the one with the firmware that it tells. ErrNotFound where that was never captured.
func (s *Store) AddMeasured(ctx context.Context, phone string, person uuid.UUID, m *android.Measurement) error {
	return s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		n := NewMeasurement{Phone: phone, Person: person, Measured: m}
		err := tx.QueryRow(ctx, `select id from builds where fingerprint = $1`, m.Fingerprint).Scan(&n.Build)
		if isNone(err) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		return addMeasurement(ctx, tx, n)
	})
}

func addMeasurement(ctx context.Context, tx pgx.Tx, n NewMeasurement) error {
	bare := *n.Measured
	bare.Uses = nil // they are rows
	raw, err := json.Marshal(bare)
	if err != nil {
		return err
	}
	var step *int
	if n.Run != nil {
		step = &n.Step
	}
	if n.At.IsZero() {
		n.At = time.Now()
	}
	id := NewID()
	tag, err := tx.Exec(ctx, `
		insert into measurements (id, phone, build_id, person_id, run_id, number, at, measured)
		values ($1, $2, $3, $4, $5, $6, $7, $8)
		on conflict do nothing`, id, n.Phone, n.Build, n.Person, n.Run, step, n.At, raw)
	if err != nil || tag.RowsAffected() == 0 {
		return err
	}
	if !gain.Attributes(n.Measured) {
		return nil // what it does not tell is not nothing
	}
	return addUses(ctx, tx, id, n.Measured)
}

// CountMeasured makes anew what rests on the measurements of a phone: what packages
// use on its builds and its model, which of them use more than on the build before,
// and what the current releases brought that were run on it.
func (s *Store) CountMeasured(ctx context.Context, phone string) error {
	rows, err := s.pool.Query(ctx, `
		select build_id
		from measurements
		where phone = $1
		group by 1
		order by max(at) desc
		limit 3`, phone)
	if err != nil {
		return err
	}
	builds, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err != nil {
		return err
	}
	for _, b := range builds {
		if err := s.inTx(ctx, func(ctx context.Context, tx pgx.Tx) error { return countUses(ctx, tx, b) }); err != nil {
			return err
		}
	}
	return s.countGain(ctx, phone)
}

// addUses writes what a measurement attributes to packages of the catalogue.
func addUses(ctx context.Context, tx pgx.Tx, id uuid.UUID, m *android.Measurement) error {
	names := make([]string, 0, len(m.Uses))
	columns := make([][]float64, 8)
	for name := range m.Uses {
		names = append(names, string(name))
		u := gain.UseOf(m, name)
		for i, v := range []float64{u.Memory, u.Processes, u.Services, u.Jobs, u.Wakeups, u.Processor, u.Traffic, u.Room} {
			columns[i] = append(columns[i], v)
		}
	}
	_, err := tx.Exec(ctx, `
		insert into measured_uses
		select $1, p.id, u.memory, u.processes, u.services, u.jobs, u.wakeups, u.processor, u.traffic, u.room
		from unnest($2::text[], $3::float8[], $4::float8[], $5::float8[], $6::float8[], $7::float8[],
			$8::float8[], $9::float8[], $10::float8[])
			u (name, memory, processes, services, jobs, wakeups, processor, traffic, room)
		join packages p on p.name = u.name`,
		id, names, columns[0], columns[1], columns[2], columns[3], columns[4], columns[5], columns[6], columns[7])
	return err
}

// countedPhones bounds the phones of a model or build whose uses are put together:
// those that were measured last.
const countedPhones = 100

// counted are, of the builds in the column builds of here, the measurements that
// stand for their phones: each phone's last one, of before a run took anything off it
// where there is one. The limit is the statement's second argument.
const counted = `
			counted as (
				select distinct on (n.phone) n.id, n.phone, n.at, n.person_id, n.run_id
				from (select m.*, coalesce(m.number > min(m.number) over (partition by m.run_id),
						exists (select from runs r
							where r.phone = m.phone and r.state = 'finished' and r.started_at < m.at)) as later
					from (select m.*
						from here h
						join measurements m on m.build_id = any(h.builds)
						order by m.at desc
						limit $2) m) n
				order by n.phone, n.later, n.at desc)`

// countUses makes anew what packages use on a build and its model: the median of its
// phones that have it switched on.
func countUses(ctx context.Context, tx pgx.Tx, build uuid.UUID) error {
	for _, place := range []string{
		`select id as place, false as of_model, array[id] as builds from builds where id = $1`,
		`select b.model_id as place, true as of_model,
			array(select o.id from builds o where o.model_id = b.model_id) as builds
			from builds b
			where b.id = $1`,
	} {
		_, err := tx.Exec(ctx, `
			with here as (`+place+`),`+counted+`,
			own as (select u.* from counted n join measured_uses u on u.measurement_id = n.id)
			insert into package_uses as x
			select o.package_id, h.place, h.of_model, count(*),
				`+medians("memory", "processes", "services", "jobs", "wakeups", "processor", "traffic", "room")+`
				min(o.memory), max(o.memory)
			from own o cross join here h
			group by 1, 2, 3
			on conflict (package_id, place) do update
			set phones = excluded.phones, memory = excluded.memory, processes = excluded.processes,
				services = excluded.services, jobs = excluded.jobs, wakeups = excluded.wakeups,
				processor = excluded.processor, traffic = excluded.traffic, room = excluded.room,
				least = excluded.least, most = excluded.most`, build, 2*countedPhones)
		if err != nil {
			return err
		}
	}
	if err := countRisen(ctx, tx, build); err != nil {
		return err
	}
	return notify(ctx, tx, Event{Topic: CapturesChanged})
}

// medians writes the medians of columns of o, each with a comma after it.
func medians(columns ...string) (sql string) {
	for _, c := range columns {
		sql += `percentile_cont(0.5) within group (order by o.` + c + `), `
	}
	return sql
}

// PackageUse is what a package uses on the phones of a model or a build: the median
// of them.
type PackageUse struct {
	gain.Use
	Phones int `json:"phones"`
	// Least and Most are the smallest and the largest phone's memory.
	Least float64 `json:"least"`
	Most  float64 `json:"most"`
}

// useColumns are those of a gain.Use, in the order of useFields.
const useColumns = `u.memory, u.processes, u.services, u.jobs, u.wakeups, u.processor, u.traffic, u.room`

func useFields(u *gain.Use) []any {
	return []any{&u.Memory, &u.Processes, &u.Services, &u.Jobs, &u.Wakeups, &u.Processor, &u.Traffic, &u.Room}
}

const packageUseColumns = useColumns + `, u.phones, u.least, u.most`

// UsesOn are what packages use on a model or a build, by name; those that use
// nothing are among them, those that were never measured are not.
func (s *Store) UsesOn(ctx context.Context, place uuid.UUID) (map[android.PackageName]PackageUse, error) {
	return usesOn(ctx, s.pool, place)
}

func usesOn(ctx context.Context, q querier, place uuid.UUID) (map[android.PackageName]PackageUse, error) {
	rows, err := q.Query(ctx, `
		select p.name, `+packageUseColumns+`
		from package_uses u
		join packages p on p.id = u.package_id
		where u.place = $1`, place)
	if err != nil {
		return nil, err
	}
	out := map[android.PackageName]PackageUse{}
	var name android.PackageName
	var u PackageUse
	_, err = pgx.ForEachRow(rows, append([]any{&name}, u.fields()...), func() error {
		out[name] = u
		return nil
	})
	return out, err
}

// fields are where packageUseColumns go.
func (u *PackageUse) fields() []any {
	return append(useFields(&u.Use), &u.Phones, &u.Least, &u.Most)
}

// BuildUse is what a package uses on a build.
type BuildUse struct {
	BuildID uuid.UUID `json:"buildId"`
	PackageUse
}

// UsesOf are what a package uses on the builds that were measured, in no order.
func (s *Store) UsesOf(ctx context.Context, pkg uuid.UUID) ([]BuildUse, error) {
	rows, err := s.pool.Query(ctx, `
		select u.place, `+packageUseColumns+`
		from package_uses u
		where u.package_id = $1 and not u.of_model
		order by u.phones desc
		limit 200`, pkg)
	if err != nil {
		return nil, err
	}
	out := []BuildUse{}
	var one BuildUse
	_, err = pgx.ForEachRow(rows, append([]any{&one.BuildID}, one.fields()...), func() error {
		out = append(out, one)
		return nil
	})
	return out, err
}

// PhoneUse is what one phone attributes to a package, by the measurement that stands
// for it.
type PhoneUse struct {
	gain.Use
	// Phone is the keyed hash of its serial number.
	Phone  string    `json:"phone"`
	At     time.Time `json:"at"`
	Person string    `json:"person"`
	// Run is the run that measured, RunNumber its number; none where nothing was run.
	Run       *uuid.UUID `json:"run,omitempty"`
	RunNumber int64      `json:"runNumber"`
}

// PhoneUses are what the phones of a build that were measured attribute to a package,
// the most memory first: what BuildUse is the median of.
func (s *Store) PhoneUses(ctx context.Context, pkg, build uuid.UUID) ([]PhoneUse, error) {
	rows, err := s.pool.Query(ctx, `
		with here as (select array[$1::uuid] as builds),`+counted+`
		select `+useColumns+`, u.phone, u.at, w.name, u.run_id, coalesce(r.number, 0)
		from (select u.*, n.phone, n.at, n.person_id, n.run_id
			from counted n
			join measured_uses u on u.measurement_id = n.id and u.package_id = $3) u
		join people w on w.id = u.person_id
		left join runs r on r.id = u.run_id
		order by u.memory desc, u.phone`, build, 2*countedPhones, pkg)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (u PhoneUse, err error) {
		err = row.Scan(append(useFields(&u.Use), &u.Phone, &u.At, &u.Person, &u.Run, &u.RunNumber)...)
		return u, err
	})
}

// MeasuredPhone is a measurement of a phone in a list.
type MeasuredPhone struct {
	At     time.Time `db:"at" json:"at"`
	Person string    `db:"person" json:"person"`
	// Run is the number of the run that measured, 0 where nothing was run.
	Run      int64               `db:"run" json:"run"`
	Measured android.Measurement `db:"measured" json:"measured"`
}

// Measurements lists those of a phone, newest first.
func (s *Store) Measurements(ctx context.Context, phone string, limit int) ([]MeasuredPhone, error) {
	rows, err := s.pool.Query(ctx, `
		select m.at, w.name as person, coalesce(r.number, 0) as run, m.measured
		from measurements m
		join people w on w.id = m.person_id
		left join runs r on r.id = m.run_id
		where m.phone = $1
		order by m.at desc, m.number desc
		limit $2`, phone, limit)
	return collectRows[MeasuredPhone](rows, err)
}
