package store_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/store"
)

// TestKnockOn compares what the knock-on foretells of random changes with what
// profiles are composed of after they were accepted.
func TestKnockOn(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	main, model := w.people["main"].ID, w.scope("").Model.ID
	var profiles []uuid.UUID
	for i, r := range []profile.Rules{{Method: evidence.RemoveForUser, HighestLoad: evidence.LeanedOn, HighestCeiling: 0.9}, {Method: evidence.Disable, HighestLoad: evidence.Loose, HighestCeiling: 0.5, Pins: []profile.Pin{{Package: "com.brannock.p003", Goes: true, Reason: "asked"}}}} {
		id, err := w.AddProfile(w.ctx, store.NewProfile{Model: model, Name: fmt.Sprint("Edition ", i)}, main)
		w.must(err)
		w.must(w.SetRules(w.ctx, id, 1, "", nil, r, main))
		profiles = append(profiles, id)
	}
	compose := func(id uuid.UUID) (map[string]profile.Row, profile.Composition) {
		p, err := w.Profile(w.ctx, id)
		w.must(err)
		rules, err := profile.ParseRules(p.Rules)
		w.must(err)
		basis, err := w.Basis(w.ctx, p, rules)
		w.must(err)
		c := profile.Compose(basis, rules)
		rows := map[string]profile.Row{}
		for _, r := range c.Rows {
			rows[string(r.Package)] = r
		}
		return rows, c
	}
	rng := rand.New(rand.NewPCG(3, 3))
	w.accept("tech", w.edit("com.brannock.p000", change.Load, everywhere, `{"load":"loose"}`), w.trial("com.brannock.p000", "x", "clean"), w.trial("com.brannock.p000", "y", "clean"), w.trial("com.brannock.p000", "z", "clean"))
	w.released(profiles[0], 2)
	gains := 0
	for round := range 25 {
		var edits []store.NewEdit
		for range 1 + rng.IntN(6) {
			name := fmt.Sprintf("com.brannock.p%03d", rng.IntN(5))
			if rng.IntN(3) == 0 {
				edits = append(edits, w.edit(name, change.Load, []catalog.Scope{everywhere, w.scope("").Claims()}[rng.IntN(2)], fmt.Sprintf(`{"load":%q}`, []string{"loose", "leaned-on", "tied-in", "unproven"}[rng.IntN(4)])))
			} else {
				edits = append(edits, w.trial(name, fmt.Sprint("phone ", rng.IntN(20)), []string{"clean", "clean", "clean", "fault"}[rng.IntN(4)]))
			}
		}
		id, _ := w.send([]string{"tech", "other"}[round%2], edits...)
		c, list := w.state(id)
		var ids []uuid.UUID
		for _, e := range list {
			ids = append(ids, e.ID)
		}
		slices.SortFunc(list, func(a, b store.Edit) int { return strings.Compare(a.ID.String(), b.ID.String()) })
		k, err := w.KnockOn(w.ctx, c.AuthorID, list)
		w.must(err)
		before := map[uuid.UUID]map[string]profile.Row{}
		for _, p := range profiles {
			before[p], _ = compose(p)
		}
		w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
		for i, p := range profiles {
			var foretold store.ProfileEffect
			for _, e := range k.Profiles {
				if e.ID == p {
					foretold = e
				}
			}
			rows, _ := compose(p)
			var gain, lose, move []android.PackageName
			for name, now := range rows {
				was := before[p][name]
				switch {
				case now.Goes && !was.Goes:
					gain = append(gain, now.Package)
				case was.Goes && !now.Goes:
					lose = append(lose, now.Package)
				}
				if now.Ceiling != was.Ceiling || now.Standing != was.Standing || now.Load != was.Load {
					move = append(move, now.Package)
				}
			}
			got := [3][]android.PackageName{picked(foretold.Gains), picked(foretold.Loses)}
			for _, m := range foretold.Moves {
				got[2] = append(got[2], m.Package)
				if now := rows[string(m.Package)]; m.CeilingAfter != now.Ceiling || m.StandingAfter != now.Standing || m.LoadAfter != now.Load {
					t.Errorf("round %d, profile %d: %+v, but it came to %+v", round, i, m, now)
				}
			}
			for side, want := range [3][]android.PackageName{gain, lose, move} {
				slices.Sort(want)
				slices.Sort(got[side])
				if !slices.Equal(got[side], want) {
					t.Errorf("round %d, profile %d, side %d: foretold %v, came to %v", round, i, side, got[side], want)
				}
			}
			gains += len(gain) + len(lose)
		}
	}
	if gains < 10 {
		t.Errorf("only %d packages changed sides: nothing was tested", gains)
	}
}

func picked(picks []change.Pick) (list []android.PackageName) {
	for _, p := range picks {
		list = append(list, p.Package)
	}
	return list
}
