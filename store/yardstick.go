package store

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/core/evidence"
)

// yardstick reads what the installation measures evidence by and its revision:
// the default, at revision 0, where none was set.
func yardstick(ctx context.Context, q querier) (y evidence.Yardstick, revision int, err error) {
	y = evidence.DefaultYardstick
	var raw []byte
	err = q.QueryRow(ctx, `select value, revision from settings where key = 'yardstick'`).Scan(&raw, &revision)
	if isNone(err) {
		return y, 0, nil
	}
	if err != nil {
		return y, 0, err
	}
	if err := json.Unmarshal(raw, &y); err != nil {
		return y, revision, fmt.Errorf("the setting yardstick: %w", err)
	}
	return y, revision, y.Check()
}

// Yardstick reads what the installation measures evidence by, and how often it
// was changed.
func (s *Store) Yardstick(ctx context.Context) (evidence.Yardstick, int, error) {
	return yardstick(ctx, s.pool)
}

// SetYardstick changes what evidence is measured by, and with it all figures,
// in one transaction. The revision is the one that the keeper saw: ErrStale
// where somebody was faster.
func (s *Store) SetYardstick(ctx context.Context, revision int, y evidence.Yardstick) error {
	if err := y.Check(); err != nil {
		return err
	}
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, lockFigures); err != nil {
			return err
		}
		_, now, err := yardstick(ctx, tx)
		if err != nil {
			return err
		}
		if now != revision {
			return ErrStale
		}
		_, err = tx.Exec(ctx, `
			insert into settings as s (key, value) values ('yardstick', $1)
			on conflict (key) do update set value = excluded.value, revision = s.revision + 1, changed_at = now()`, y)
		if err != nil {
			return err
		}
		return recomputeAll(ctx, tx, y)
	})
}

// FreshenFigures makes all figures anew where an older program stored them.
// Servers that start together wait for each other.
func (s *Store) FreshenFigures(ctx context.Context) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, lockFigures); err != nil {
			return err
		}
		var version int
		err := tx.QueryRow(ctx, `select value::int from settings where key = 'figures version'`).Scan(&version)
		if err != nil && !isNone(err) || version == figuresVersion {
			return err
		}
		y, _, err := yardstick(ctx, tx)
		if err != nil {
			return err
		}
		if err := recomputeAll(ctx, tx, y); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			insert into settings (key, value) values ('figures version', to_jsonb($1::int))
			on conflict (key) do update set value = excluded.value, changed_at = now()`, figuresVersion)
		return err
	})
}

// Shift is what another yardstick would change about one package, seen from
// one place.
type Shift struct {
	Package string          `db:"package" json:"package"`
	Label   string          `db:"label" json:"label"`
	Method  evidence.Method `db:"-" json:"method"`
	// Place names the model or maker, with the Android release where that
	// makes a difference; "everywhere" for none.
	Place           string            `db:"-" json:"place"`
	CeilingBefore   float64           `db:"-" json:"ceilingBefore"`
	CeilingAfter    float64           `db:"-" json:"ceilingAfter"`
	StandingBefore  evidence.Standing `db:"-" json:"standingBefore"`
	StandingAfter   evidence.Standing `db:"-" json:"standingAfter"`
	SuggestedBefore evidence.Load     `db:"-" json:"suggestedBefore"`
	SuggestedAfter  evidence.Load     `db:"-" json:"suggestedAfter"`
}

// Shifts are what another yardstick would change.
type Shifts struct {
	// Figures counts figures whose standing or suggestion would change, of
	// Of in all; Packages counts the packages that these are about.
	Figures  int `json:"figures"`
	Of       int `json:"of"`
	Packages int `json:"packages"`
	// Lenient counts suggestions that would become more lenient.
	Lenient int `json:"lenient"`
	// First are the first of them, of at most as many as were asked for.
	First []Shift `json:"first" nullable:"false"`
}

// PreviewYardstick tells what another yardstick would change, from every
// model, maker and everywhere that trials look different from.
func (s *Store) PreviewYardstick(ctx context.Context, to evidence.Yardstick, most int) (Shifts, error) {
	out := Shifts{First: []Shift{}}
	if err := to.Check(); err != nil {
		return out, err
	}
	from, _, err := yardstick(ctx, s.pool)
	if err != nil {
		return out, err
	}
	var limits evidence.Limits
	var of []uuid.UUID
	places := map[string]bool{}
	err = eachTried(ctx, s.pool, func(tried map[uuid.UUID][]evidence.Trial) error {
		for pkg, trials := range tried {
			before := out.Figures
			for _, shift := range out.shiftsOf(trials, from, to, &limits) {
				if len(out.First) < most {
					out.First, of = append(out.First, shift), append(of, pkg)
					places[shift.Place] = true
				}
			}
			if out.Figures > before {
				out.Packages++
			}
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	return out, s.nameShifts(ctx, out.First, of, places)
}

// shiftsOf counts and lists what would change about one package. The place of
// a shift is the id of its model or maker, a stroke and the release.
func (out *Shifts) shiftsOf(trials []evidence.Trial, from, to evidence.Yardstick, limits *evidence.Limits) (list []Shift) {
	points := evidence.Viewpoints(trials)
	for _, method := range evidence.Methods {
		gathered := evidence.Gather(trials, method)
		for _, p := range points {
			if p.Target.Build != "" {
				continue // a build's figures move as its model's do
			}
			a, b := gathered.Summary(p.Target, from, limits), gathered.Summary(p.Target, to, limits)
			if a.Phones == 0 {
				continue
			}
			was, will := evidence.SuggestedLoad(a, from.Thresholds), evidence.SuggestedLoad(b, to.Thresholds)
			out.Of++
			if a.Standing == b.Standing && was == will {
				continue
			}
			out.Figures++
			if will.MoreLenientThan(was) {
				out.Lenient++
			}
			list = append(list, Shift{Method: method, Place: p.Place + "/" + p.Release, CeilingBefore: a.Ceiling, CeilingAfter: b.Ceiling,
				StandingBefore: a.Standing, StandingAfter: b.Standing, SuggestedBefore: was, SuggestedAfter: will})
		}
	}
	return list
}

// nameShifts fills in the names of packages, by their ids, and of places.
func (s *Store) nameShifts(ctx context.Context, shifts []Shift, of []uuid.UUID, places map[string]bool) error {
	rows, err := s.pool.Query(ctx, `select p.id, p.name, `+bestLabel+` from packages p where p.id = any($1)`, of)
	if err != nil {
		return err
	}
	names := map[uuid.UUID][2]string{}
	var id uuid.UUID
	var name, label string
	if _, err := pgx.ForEachRow(rows, []any{&id, &name, &label}, func() error { names[id] = [2]string{name, label}; return nil }); err != nil {
		return err
	}
	ids := make([]string, 0, len(places))
	for place := range places {
		if id, _, _ := strings.Cut(place, "/"); id != "" {
			ids = append(ids, id)
		}
	}
	rows, err = s.pool.Query(ctx, `
		select m.id::text, m.name from makers m where m.id = any($1::uuid[])
		union all select d.id::text, m.name || ' ' || d.name from models d join makers m on m.id = d.maker_id where d.id = any($1::uuid[])`, ids)
	if err != nil {
		return err
	}
	where := map[string]string{"": "everywhere"}
	var place string
	if _, err := pgx.ForEachRow(rows, []any{&place, &name}, func() error { where[place] = name; return nil }); err != nil {
		return err
	}
	for i := range shifts {
		shifts[i].Package, shifts[i].Label = names[of[i]][0], names[of[i]][1]
		place, release, _ := strings.Cut(shifts[i].Place, "/")
		shifts[i].Place = where[place]
		if release != "" {
			shifts[i].Place += " on Android " + release
		}
	}
	slices.SortStableFunc(shifts, func(a, b Shift) int {
		return cmp.Or(strings.Compare(a.Package, b.Package), strings.Compare(a.Place, b.Place), strings.Compare(string(a.Method), string(b.Method)))
	})
	return nil
}
