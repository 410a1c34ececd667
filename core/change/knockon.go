package change

import (
	"slices"
	"sync"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

// Profile is one profile as a change meets it: its rules, what its current
// release takes off, and the packages that the change touches as candidates
// without the change and with it, in the same order.
type Profile struct {
	Rules         profile.Rules
	Before, After []profile.Candidate
	// Removes are the packages of the current release; nil without one.
	Removes map[android.PackageName]bool
	// Roles are who can do a job on the model's phones.
	Roles []RoleHolders
}

// RoleHolders are the packages that hold or could hold a role on some phone.
type RoleHolders struct {
	Role    string
	Holders []android.PackageName
}

// Pick is a package that changes sides, and why it now goes or stays.
type Pick struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label"`
	Why     string              `json:"why"`
}

// Move is how a package's figures or load change, seen from one place.
type Move struct {
	Package         android.PackageName `json:"package"`
	Label           string              `json:"label"`
	CeilingBefore   float64             `json:"ceilingBefore"`
	CeilingAfter    float64             `json:"ceilingAfter"`
	StandingBefore  evidence.Standing   `json:"standingBefore"`
	StandingAfter   evidence.Standing   `json:"standingAfter"`
	LoadBefore      evidence.Load       `json:"loadBefore"`
	LoadAfter       evidence.Load       `json:"loadAfter"`
	ConditionsMoved bool                `json:"conditionsMoved"`
}

// Nothing reports whether neither figures nor load change.
func (m Move) Nothing() bool {
	return m.CeilingBefore == m.CeilingAfter && m.StandingBefore == m.StandingAfter && m.LoadBefore == m.LoadAfter && !m.ConditionsMoved
}

// Effect is what a change does to one profile.
type Effect struct {
	Gains []Pick `json:"gains" nullable:"false"`
	Loses []Pick `json:"loses" nullable:"false"`
	// Costs are functions that the profile costs with the change and not
	// without it, Spares the other way round.
	Costs  []string `json:"costs" nullable:"false"`
	Spares []string `json:"spares" nullable:"false"`
	// Emptied are roles that nobody would hold any more.
	Emptied []string `json:"emptied" nullable:"false"`
	Moves   []Move   `json:"moves" nullable:"false"`
	// WantsNumber is true where the current release no longer says what the
	// profile would pick, because of the change; WantedBefore where it did not
	// before either.
	WantsNumber  bool `json:"wantsNumber"`
	WantedBefore bool `json:"wantedBefore"`
}

// Nothing reports whether the change leaves the profile as it is.
func (e Effect) Nothing() bool {
	return len(e.Gains)+len(e.Loses)+len(e.Costs)+len(e.Spares)+len(e.Emptied)+len(e.Moves) == 0 && !e.WantsNumber
}

// KnockOn works out what a change does to a profile by its rules alone: whether
// they let a package go depends on its own candidate (profile.Rank), so the
// packages that the change does not touch need not be known. Where others lean
// on what changes sides, Recompose says what then becomes of all of them.
func KnockOn(p Profile) Effect {
	e := Effect{Gains: []Pick{}, Loses: []Pick{}, Costs: []string{}, Spares: []string{}, Emptied: []string{}, Moves: []Move{}}
	room := rooms.Get().(*[2]ranked)
	defer rooms.Put(room)
	before, after := room[0].rank(p.Before, p.Rules), room[1].rank(p.After, p.Rules)
	costs := [2]map[string]bool{{}, {}}
	var unlike [2]int
	for i := range p.After {
		was, will := before[p.Before[i].Package], after[p.After[i].Package]
		switch pick := (Pick{will.Package, will.Label, will.Why}); {
		case will.Goes && !was.Goes:
			e.Gains = append(e.Gains, pick)
		case was.Goes && !will.Goes:
			e.Loses = append(e.Loses, pick)
		}
		if m := (Move{will.Package, will.Label, was.Ceiling, will.Ceiling, was.Standing, will.Standing, was.Load, will.Load, !slices.Equal(was.Conditions, will.Conditions)}); !m.Nothing() {
			e.Moves = append(e.Moves, m)
		}
		for side, row := range [2]*profile.Row{was, will} {
			if row.Goes {
				for _, f := range row.Lost {
					costs[side][f] = true
				}
			}
		}
		if p.Removes != nil {
			if p.Removes[was.Package] != was.Goes {
				unlike[0]++
			}
			if p.Removes[will.Package] != will.Goes {
				unlike[1]++
			}
		}
	}
	e.Costs, e.Spares = append(e.Costs, minus(costs[1], costs[0])...), append(e.Spares, minus(costs[0], costs[1])...)
	e.WantedBefore = unlike[0] > 0
	e.WantsNumber = unlike[1] > 0 && (unlike[0] == 0 || len(e.Gains)+len(e.Loses) > 0)
	for _, r := range p.Roles {
		if !p.empty(r, before) && p.empty(r, after) {
			e.Emptied = append(e.Emptied, r.Role)
		}
	}
	return e
}

// Recompose puts the packages that change sides, and what that costs, right by
// the profile composed as a whole, without the change and with it. Removes are
// all packages of the current release; nil without one.
func (e *Effect) Recompose(before, after profile.Composition, removes map[android.PackageName]bool) {
	e.Gains, e.Loses = []Pick{}, []Pick{}
	was, will := goesByName(before), goesByName(after)
	unlike := [2]int{}
	for _, row := range after.Rows {
		pick := Pick{row.Package, row.Label, row.Why}
		switch old, ok := was[row.Package]; {
		case row.Goes && !old:
			e.Gains = append(e.Gains, pick)
		case ok && old && !row.Goes:
			e.Loses = append(e.Loses, pick)
		}
		if removes != nil {
			for side, goes := range []bool{was[row.Package], will[row.Package]} {
				if goes != removes[row.Package] {
					unlike[side]++
				}
			}
		}
	}
	e.Costs, e.Spares = append([]string{}, minus(seenLost(after), seenLost(before))...), append([]string{}, minus(seenLost(before), seenLost(after))...)
	e.Emptied = append([]string{}, minus(emptied(after), emptied(before))...)
	e.WantedBefore = unlike[0] > 0
	e.WantsNumber = unlike[1] > 0 && (unlike[0] == 0 || len(e.Gains)+len(e.Loses) > 0)
}

func goesByName(c profile.Composition) map[android.PackageName]bool {
	out := make(map[android.PackageName]bool, len(c.Rows))
	for _, r := range c.Rows {
		out[r.Package] = r.Goes
	}
	return out
}

// seenLost are the functions that trials found missing.
func seenLost(c profile.Composition) map[string]bool {
	out := map[string]bool{}
	for _, l := range c.Lost {
		if l.Seen {
			out[l.Function] = true
		}
	}
	return out
}

func emptied(c profile.Composition) map[string]bool {
	out := map[string]bool{}
	for _, j := range c.Jobs {
		if j.State == "emptied" {
			out[j.Role] = true
		}
	}
	return out
}

// ranked are a profile's candidates as its rules have them go or stay.
type ranked struct {
	rows   []profile.Row
	byName map[android.PackageName]*profile.Row
}

// rooms are those that no knock-on is worked out in at the moment: who looks at what
// a change does to many profiles needs the same again and again.
var rooms = sync.Pool{New: func() any {
	return &[2]ranked{{byName: map[android.PackageName]*profile.Row{}}, {byName: map[android.PackageName]*profile.Row{}}}
}}

// rank finds the candidates' rows by name; they are good until it is called again.
func (r *ranked) rank(candidates []profile.Candidate, rules profile.Rules) map[android.PackageName]*profile.Row {
	clear(r.byName)
	clear(r.rows)
	r.rows, _ = profile.AppendSides(r.rows[:0], candidates, rules)
	for i := range r.rows {
		r.byName[r.rows[i].Package] = &r.rows[i]
	}
	return r.byName
}

// empty reports whether every holder of a role goes. A holder that the change
// does not touch goes where the current release takes it off.
func (p Profile) empty(r RoleHolders, rows map[android.PackageName]*profile.Row) bool {
	for _, name := range r.Holders {
		row, touched := rows[name]
		if touched && !row.Goes || !touched && !p.Removes[name] {
			return false
		}
	}
	return len(r.Holders) > 0
}

// minus lists what is in a and not in b, sorted.
func minus(a, b map[string]bool) (list []string) {
	for f := range a {
		if !b[f] {
			list = append(list, f)
		}
	}
	slices.Sort(list)
	return list
}
