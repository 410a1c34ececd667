package bench

import (
	"context"
	"fmt"
	"slices"
	"time"

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
	case step.FromImage() && installed && slices.Contains(w.seen.Facts.Administrators, step.Package):
		return "it is an active device administrator: withdraw that first", run.Skipped
	case step.FromImage() && known:
		return "", "" // what root tells decides
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

// doBeforehand does a step that has to be seen to before anything goes, or undoes
// one.
func (w *runner) doBeforehand(ctx context.Context, step run.Step) (run.State, string, error) {
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
		return w.putIn(ctx, step)
	case run.TakeOut:
		return w.takeOut(step)
	}
	return run.Failed, "this bench does not know such a step; it may be older than the server", nil
}

// putIn brings a package in, from the phone's own copy or from the files that
// somebody gave, gives it what it needs and its role, and sees that it has it. What
// does not work holds the run: nothing goes before its substitute is there.
func (w *runner) putIn(ctx context.Context, step run.Step) (run.State, string, error) {
	if step.Package == "" {
		return run.Skipped, "by hand, where the owner wants it", nil
	}
	known, installed, _ := w.seen.Package(step.Package)
	if step.File != nil {
		state, words, err := w.putInFile(ctx, step, installed)
		if err != nil || state != "" {
			return state, words, err
		}
	} else if !known {
		if step.Role == "" {
			return run.Skipped, "not on this phone", nil
		}
		w.held = fmt.Sprintf("%s is not on this phone, and was to be its %s: install it, then continue", step.Package, step.Role)
		return run.Failed, "not on this phone: install it, then continue", nil
	} else if !installed {
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
	if words, err := w.grant(step); err != nil || words != "" {
		return run.Failed, words, err
	}
	state, words := run.Done, "in place"
	if step.Role != "" {
		var err error
		if state, words, err = w.giveRole(step); err != nil || state != run.Done {
			return state, words, err
		}
	}
	return state, words, w.pause(ctx, step.Seconds)
}

// putInFile installs what a step pins, unless the phone has it already; the state
// is empty where the step goes on.
func (w *runner) putInFile(ctx context.Context, step run.Step, installed bool) (run.State, string, error) {
	if installed && step.File.Least > 0 {
		line, err := step.VersionQuestion()
		if err != nil {
			return run.Failed, err.Error(), nil
		}
		answer, err := w.session.Run(line, stepTakes, 64<<10)
		if err != nil {
			return "", "", err
		}
		installed = run.ReadVersion(answer.Out) >= step.File.Least
	}
	if installed {
		return "", "", nil
	}
	given, err := w.station.givenFor(step.Package, *step.File)
	words := ""
	if err != nil {
		words = err.Error()
	} else if words, err = w.station.putInFiles(ctx, w.session, w.serial, given, w.seen.SDK); err != nil {
		return "", "", err
	}
	if words != "" {
		w.held = fmt.Sprintf("%s could not be put in, and nothing goes before it is there", step.Package)
		return run.Failed, words, nil
	}
	if err := w.glance(); err != nil {
		return "", "", err
	}
	w.guard = run.NewGuard(w.form, w.seen)
	if _, there, _ := w.seen.Package(step.Package); !there {
		w.held = fmt.Sprintf("the phone said that it took %s, and does not have it", step.Package)
		return run.Failed, "the phone does not list it", nil
	}
	return "", "", nil
}

// grant gives a package its permissions; the words are the phone's where it does
// not give one, and hold the run.
func (w *runner) grant(step run.Step) (words string, err error) {
	lines, err := step.GrantCommands()
	if err != nil {
		return err.Error(), nil
	}
	for i, line := range lines {
		answer, err := w.session.Run(line+" 2>&1", stepTakes, 64<<10)
		if err != nil {
			return "", err
		}
		if answer.Words() != "" || answer.Code != 0 {
			w.held = fmt.Sprintf("%s was not given %s: give it on the phone, then continue", step.Package, step.Grants[i])
			return "not given " + step.Grants[i] + ": " + answer.Words(), nil
		}
	}
	return "", nil
}

// pause waits until the phone settles, or somebody stops the run.
func (w *runner) pause(ctx context.Context, seconds int) error {
	if seconds == 0 {
		return nil
	}
	select {
	case <-time.After(time.Duration(seconds) * time.Second):
	case <-w.stop:
	case <-ctx.Done():
		return context.Cause(ctx)
	}
	return nil
}

func (w *runner) giveRole(step run.Step) (run.State, string, error) {
	if err := w.makeHolder(step.Role, step.Package); err != nil {
		return "", "", err
	}
	if !run.HoldsRole(w.form, w.seen, step.Package, step.Role) {
		w.held = fmt.Sprintf("%s does not hold the role %s: choose it on the phone, then continue", step.Package, step.Role)
		return run.Failed, "does not hold the role " + step.Role, nil
	}
	return run.Done, "holds the role", nil
}

// makeHolder gives a role to a package where the phone lets a computer do that, and
// looks again.
func (w *runner) makeHolder(role string, name android.PackageName) error {
	line, err := run.RoleCommand(w.seen, role, name)
	if err == nil && line != "" {
		_, err = w.session.Run(line+" 2>&1", stepTakes, 64<<10)
	}
	if err == nil {
		err = w.glance()
	}
	if err == nil {
		w.guard = run.NewGuard(w.form, w.seen)
	}
	return err
}

// takeOut undoes a put-in: who held its role before holds it again, and what the
// run installed is uninstalled. What was there before stays.
func (w *runner) takeOut(step run.Step) (run.State, string, error) {
	was := run.ParsePlace(step.Value)
	words := "it was there before, and stays"
	if was.Holder != "" && was.Holder != step.Package {
		if err := w.makeHolder(step.Role, was.Holder); err != nil {
			return "", "", err
		}
		words = string(was.Holder) + " holds the role again; " + words
	}
	_, installed, _ := w.seen.Package(step.Package)
	switch {
	case !was.Absent:
		return run.Done, words, nil
	case !installed:
		return run.Already, "not there any more", nil
	}
	if role := w.guard.Empties(step.Package); role != "" {
		w.held = fmt.Sprintf("without %s nobody could be the phone's %s", step.Package, role)
		return run.Failed, "it is the phone's only " + role, nil
	}
	line, err := step.UninstallCommand()
	if err != nil {
		return run.Failed, err.Error(), nil
	}
	answer, err := w.session.Run(line+" 2>&1", stepTakes, 64<<10)
	if err != nil {
		return "", "", err
	}
	state, _ := run.Step{Kind: run.Remove, Method: evidence.RemoveForUser}.Judge(answer.Words(), answer.Code)
	return state, answer.Words(), nil
}
