package bench

import (
	"fmt"
	"slices"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/run"
)

// needless says of a step that nothing has to be sent for how it ends; the
// state is empty where something has.
func (w *runner) needless(step run.Step) (words string, state run.State) {
	known, installed, off := w.seen.Package(step.Package)
	if w.gone[step.Package] {
		installed = false
	}
	switch {
	case step.Kind != run.Remove:
	case step.Method == evidence.Quieten && installed && !off:
		return w.needlessNoise(step)
	case step.Again != 0:
	case !known:
		return "not on this phone", run.Absent
	case !installed:
		return "gone before", run.Already
	case off && step.Method != evidence.RemoveForUser:
		return "switched off before", run.Already
	case slices.Contains(w.seen.Facts.Administrators, step.Package):
		return "it is an active device administrator: withdraw that first", run.Skipped
	}
	return "", ""
}

// needlessNoise is needless for a step that quietens: nothing is changed that
// could not be put back.
func (w *runner) needlessNoise(step run.Step) (words string, state run.State) {
	value, told := w.noise[step.Touches().String()]
	noise, ok := android.ParseNoise(value)
	switch {
	case told && !ok:
		return "the phone does not tell what it may do, and so could not be put back", run.Skipped
	case told && noise.Quiet():
		return "quiet before", run.Already
	}
	return "", ""
}

// takesOff reports whether a step leaves the phone without a package.
func (w *runner) takesOff(step run.Step) bool {
	return step.Kind == run.Remove && step.Method != evidence.Quieten
}

// doBeforehand does a step that has to be seen to doBeforehand anything goes.
func (w *runner) doBeforehand(step run.Step) (run.State, string, error) {
	switch step.Kind {
	case run.WithdrawAdmin:
		if slices.Contains(w.seen.Facts.Administrators, step.Package) {
			return run.Failed, "it is still an active device administrator", nil
		}
		return run.Done, "no active administrator", nil
	case run.Condition:
		if step.If == "" {
			return run.Done, "you saw to it", nil
		}
		if !w.seen.Holds(step.If, w.form) {
			w.held = "a condition does not hold: " + step.If
			return run.Failed, "does not hold", nil
		}
		return run.Done, "holds", nil
	case run.PutIn:
		return w.putIn(step)
	}
	return run.Failed, "this bench does not know such a step; it may be older than the server", nil
}

// putIn brings a substitute in from the phone's own copy, gives it its role
// and sees that it has it.
func (w *runner) putIn(step run.Step) (run.State, string, error) {
	if step.Package == "" {
		return run.Skipped, "by hand, where the owner wants it", nil
	}
	known, installed, _ := w.seen.Package(step.Package)
	switch {
	case !known && step.Role == "":
		return run.Skipped, "not on this phone", nil
	case !known:
		w.held = fmt.Sprintf("%s is not on this phone, and was to be its %s: install it, then continue", step.Package, step.Role)
		return run.Failed, "not on this phone: install it, then continue", nil
	case !installed:
		line, err := step.Command(w.seen.SDK)
		if err != nil {
			return run.Failed, err.Error(), nil
		}
		answer, err := w.session.Run(line+" 2>&1", stepTakes, 64<<10)
		if err != nil {
			return "", "", err
		}
		if state, _ := step.Judge(answer.Words(), answer.Code); state != run.Done {
			return state, answer.Words(), nil
		}
	}
	if step.Role == "" {
		return run.Done, "in place", nil
	}
	return w.giveRole(step)
}

func (w *runner) giveRole(step run.Step) (run.State, string, error) {
	line, err := step.RoleCommand()
	if err != nil {
		return run.Failed, err.Error(), nil
	}
	if w.seen.SDK >= 29 && line != "" {
		if _, err := w.session.Run(line+" 2>&1", stepTakes, 64<<10); err != nil {
			return "", "", err
		}
	}
	if err := w.glance(); err != nil {
		return "", "", err
	}
	w.guard = run.NewGuard(w.form, w.seen)
	if !run.HoldsRole(w.form, w.seen, step.Package, step.Role) {
		w.held = fmt.Sprintf("%s does not hold the role %s: choose it on the phone, then continue", step.Package, step.Role)
		return run.Failed, "does not hold the role " + step.Role, nil
	}
	return run.Done, "holds the role", nil
}
