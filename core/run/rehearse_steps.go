package run

import (
	"slices"

	"roster/core/android"
	"roster/core/profile"
)

// others adds the steps that take nothing off, in their places.
func (w *rehearser) others() {
	left := map[android.PackageName]bool{}
	for _, row := range w.r.Rows {
		left[row.Package] = row.Would == LeftOut
	}
	var before, after []Row
	for _, s := range w.d.Steps {
		if s.Kind == profile.Remove || s.In() == profile.Afterward {
			continue
		}
		row := Row{Step: s, Would: WouldDo}
		switch {
		case slices.Contains(w.c.Without, s.Number):
			row.say(LeftOut, BecauseStepLeftOut, "left out for this phone")
		case s.Kind != profile.PutIn && s.Package != "" && w.set[s.Package] == "" && !w.quietens(s.Package):
			row.say(LeftOut, BecauseNotNeeded, "what it is for does not go")
		case s.Kind == profile.PutIn:
			w.putIn(&row)
		case s.Kind == profile.WithdrawAdmin:
			if slices.Contains(w.Facts.Administrators, s.Package) {
				row.say(ToSee, BecauseActiveAdministrator, "it is an active administrator: withdraw it on the phone")
			} else {
				row.say(WouldAlready, BecauseNoAdministrator, "no active administrator")
			}
		case s.Kind == profile.Check:
			w.condition(&row)
		}
		if s.In() == profile.After {
			after = append(after, row)
		} else {
			before = append(before, row)
		}
	}
	w.r.Rows = slices.Concat(before, w.r.Rows, after)
}

// quietens reports whether a package stays and is made quiet.
func (w *rehearser) quietens(name android.PackageName) bool {
	return slices.ContainsFunc(w.r.Rows, func(r Row) bool { return r.Package == name && r.Would == WouldQuieten })
}

// putIn says whether a substitute is in place already.
func (w *rehearser) putIn(row *Row) {
	installed, known := w.there[row.Package], false
	_, known = w.there[row.Package]
	switch {
	case row.Package == "":
		row.say(ToSee, BecauseByHand, "by hand, where the owner wants it")
	case row.File != nil && (!installed || w.version(row.Package) < row.File.Least):
		if slices.Contains(w.c.Given, row.Package) {
			row.say(WouldDo, BecauseFileGiven, "its file is ready")
		} else {
			row.say(ToSee, BecauseFileWanted, "its file is wanted")
		}
	case installed && (row.Role == "" || w.Net.Holds(row.Package, row.Role)):
		row.say(WouldAlready, BecauseInPlace, "in place")
		if row.Role != "" {
			row.say(WouldAlready, BecauseHoldsRole, "in place, and holds the role")
		}
	case installed:
		row.say(WouldDo, BecauseTakesRole, "in place; is made the one that does it")
	case known:
		row.say(WouldDo, BecauseCopyPutIn, "the phone has a copy, which is put in")
	default:
		row.say(ToSee, BecauseInstallFirst, "not on this phone: install it first")
	}
}

// version is that of a package on the phone.
func (w *rehearser) version(name android.PackageName) int64 {
	i := slices.IndexFunc(w.Packages, func(p android.Package) bool { return p.Name == name })
	if i < 0 {
		return 0
	}
	return w.Packages[i].VersionCode
}

// condition says whether what a package goes by only holds.
func (w *rehearser) condition(row *Row) {
	seen := &Seen{Facts: w.Facts}
	switch text := asked(w.d, row.Step); {
	case text == "":
		row.say(ToSee, BecauseOnlyAPersonTells, "only a person can tell")
		if slices.Contains(w.c.Seen, row.Number) {
			row.say(WouldAlready, BecauseSeenTo, "you saw to it")
		}
	case text == "lock-code-set" && w.Facts.LockCode == "", text == "not lock-code-set" && w.Facts.LockCode == "":
		row.say(ToSee, BecauseLockCodeUnknown, "the phone does not say whether it has a lock code")
		if slices.Contains(w.c.Seen, row.Number) {
			row.say(WouldAlready, BecauseSeenTo, "you saw to it")
		}
	case seen.Holds(text, w.Identity.Form):
		row.say(WouldAlready, BecauseHolds, "holds on this phone")
	default:
		row.say(ToSee, BecauseHoldsNot, "does not hold on this phone")
	}
}
