package store

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
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
func (s *Store) SetYardstick(ctx context.Context, keeper uuid.UUID, revision int, y evidence.Yardstick) error {
	if err := y.Check(); err != nil {
		return err
	}
	return s.inLongTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, lockFigures); err != nil {
			return err
		}
		before, now, err := yardstick(ctx, tx)
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
		if err := recomputeAll(ctx, tx, y); err != nil {
			return err
		}
		if err := notify(ctx, tx, Event{Topic: RulesChanged}); err != nil {
			return err
		}
		return recordTurned(ctx, tx, Act{Person: keeper, Action: "rules.set", Subject: "yardstick"}, before, y)
	})
}

// FreshenFigures makes all figures anew where an older program stored them.
// Servers that start together wait for each other.
func (s *Store) FreshenFigures(ctx context.Context) error {
	return s.inLongTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
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
		if err != nil || version == 0 {
			return err
		}
		// A program that computes otherwise must not write beside this one.
		wanted, err := newest()
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update schema_version set least = $1`, wanted)
		return err
	})
}

// Shift is what another yardstick would change about one package, seen from
// one place.
type Shift struct {
	Package string          `json:"package"`
	Label   string          `json:"label"`
	Method  evidence.Method `json:"method"`
	// Place names the model or maker, with the Android release where that
	// makes a difference; "everywhere" for none.
	Place           string            `json:"place"`
	CeilingBefore   float64           `json:"ceilingBefore"`
	CeilingAfter    float64           `json:"ceilingAfter"`
	StandingBefore  evidence.Standing `json:"standingBefore"`
	StandingAfter   evidence.Standing `json:"standingAfter"`
	SuggestedBefore evidence.Load     `json:"suggestedBefore"`
	SuggestedAfter  evidence.Load     `json:"suggestedAfter"`
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

// shifted is a shift of a package.
type shifted struct {
	of uuid.UUID
	evidence.Shift
}

// PreviewYardstick tells what another yardstick would change; see
// evidence.Shifts. Which shifts come first is always the same.
func (s *Store) PreviewYardstick(ctx context.Context, to evidence.Yardstick, most int) (Shifts, error) {
	var out Shifts
	if err := to.Check(); err != nil {
		return out, err
	}
	from, _, err := yardstick(ctx, s.pool)
	if err != nil {
		return out, err
	}
	var limits evidence.Limits
	var first []shifted
	err = eachTried(ctx, s.pool, func(tried map[uuid.UUID]*triedPackage) error {
		packages := slices.SortedFunc(maps.Keys(tried), func(a, b uuid.UUID) int { return bytes.Compare(a[:], b[:]) })
		for _, pkg := range packages {
			shifts, of := evidence.Shifts(tried[pkg].list, from, to, &limits)
			out.Of += of
			out.Figures += len(shifts)
			if len(shifts) > 0 {
				out.Packages++
			}
			for _, shift := range shifts {
				if shift.After.Suggested.MoreLenientThan(shift.Before.Suggested) {
					out.Lenient++
				}
				if len(first) < most {
					first = append(first, shifted{pkg, shift})
				}
			}
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	out.First, err = s.nameShifts(ctx, first)
	return out, err
}

// nameShifts says of which package and place shifts are, in the order of these
// names.
func (s *Store) nameShifts(ctx context.Context, shifts []shifted) ([]Shift, error) {
	var packages []uuid.UUID
	var places []string
	for _, x := range shifts {
		packages = append(packages, x.of)
		if x.From.Place != "" {
			places = append(places, x.From.Place)
		}
	}
	rows, err := s.pool.Query(ctx, `select p.id, p.name, `+bestLabel+` from packages p where p.id = any($1)`, packages)
	if err != nil {
		return nil, err
	}
	names := map[uuid.UUID][2]string{}
	var id uuid.UUID
	var name, label string
	if _, err := pgx.ForEachRow(rows, []any{&id, &name, &label}, func() error { names[id] = [2]string{name, label}; return nil }); err != nil {
		return nil, err
	}
	rows, err = s.pool.Query(ctx, `
		select m.id::text, m.name from makers m where m.id = any($1::uuid[])
		union all select d.id::text, m.name || ' ' || d.name
		from models d
		join makers m on m.id = d.maker_id
		where d.id = any($1::uuid[])`, places)
	if err != nil {
		return nil, err
	}
	where := map[string]string{"": "everywhere"}
	var place string
	if _, err := pgx.ForEachRow(rows, []any{&place, &name}, func() error { where[place] = name; return nil }); err != nil {
		return nil, err
	}
	out := make([]Shift, len(shifts))
	for i, x := range shifts {
		place := where[x.From.Place]
		if x.From.Release != "" {
			place += " on Android " + x.From.Release
		}
		out[i] = Shift{names[x.of][0], names[x.of][1], x.Method, place, x.Before.Ceiling, x.After.Ceiling, x.Before.Standing, x.After.Standing, x.Before.Suggested, x.After.Suggested}
	}
	slices.SortStableFunc(out, func(a, b Shift) int {
		return cmp.Or(strings.Compare(a.Package, b.Package), strings.Compare(a.Place, b.Place), strings.Compare(string(a.Method), string(b.Method)))
	})
	return out, nil
}
