package run

import (
	"slices"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
)

// Choices are what a person decided for one phone.
type Choices struct {
	// Leave are packages that stay on this phone; Off are those that are
	// switched off instead of removed, Quiet those that are quietened alone.
	Leave []android.PackageName `json:"leave" nullable:"false" maxItems:"2000"`
	Off   []android.PackageName `json:"off" nullable:"false" maxItems:"2000"`
	Quiet []android.PackageName `json:"quiet,omitempty" nullable:"false" maxItems:"2000"`
	// User are those that are removed for the user, which the release takes out of
	// the image; WithData those whose data goes with them.
	User     []android.PackageName `json:"user,omitempty" nullable:"false" maxItems:"2000"`
	WithData []android.PackageName `json:"withData,omitempty" nullable:"false" maxItems:"2000"`
	// Given are packages whose files lie ready at the bench.
	Given []android.PackageName `json:"given,omitempty" nullable:"false" maxItems:"200"`
	// Keep are functions that the phone's owner uses: what carries them stays.
	Keep []string `json:"keep" nullable:"false" maxItems:"100"`
	// Without are numbers of the release's other steps that are left out.
	Without []int `json:"without" nullable:"false" maxItems:"200"`
	// Seen are numbers of steps before the removal that a person saw to.
	Seen []int `json:"seen" nullable:"false" maxItems:"200"`
	// NoRestart leaves out the restart at the end, and so what comes back; where
	// something is taken out of the image, or it is measured, there is one.
	NoRestart bool `json:"noRestart"`
	// Measure has the phone measured before and after, each after a restart.
	Measure bool `json:"measure,omitempty"`
	// Anyway runs it on a firmware of the model that it was not made for.
	Anyway bool `json:"anyway"`
	// OwnersData says what is with the owner's pictures and data: saved, none,
	// or "" where nobody was asked.
	OwnersData string `json:"ownersData" enum:"saved,none,"`
}

// keeps lists packages that stay for the sake of functions.
func (c Choices) keeps(d *profile.Document) map[android.PackageName]string {
	out := map[android.PackageName]string{}
	for _, loss := range d.Costs {
		if slices.Contains(c.Keep, loss.Function) {
			for _, name := range loss.Packages {
				out[name] = loss.Function
			}
		}
	}
	for _, s := range d.Removals() {
		for _, f := range s.Costs {
			if slices.Contains(c.Keep, f) {
				out[s.Package] = f
			}
		}
	}
	return out
}

// method is how a package goes on this phone: as the release says, or gentler.
func (c Choices) method(s profile.Step) evidence.Method {
	switch {
	case slices.Contains(c.Quiet, s.Package):
		return evidence.Quieten
	case slices.Contains(c.Off, s.Package) && s.Method != evidence.Quieten:
		return evidence.Disable
	case slices.Contains(c.User, s.Package) && s.Method == evidence.RemoveFromImage:
		return evidence.RemoveForUser
	}
	return s.Method
}

// leaves reports whether a removal is left out, and why.
func (c Choices) leaves(s profile.Step, kept map[android.PackageName]string) (code Because, why string, leaves bool) {
	if f, ok := kept[s.Package]; ok {
		return BecauseKept, "kept for " + f, true
	}
	if slices.Contains(c.Leave, s.Package) {
		return BecauseLeft, "left on this phone", true
	}
	return "", "", false
}

// Plan makes the steps of a run: those of the release that are not left out,
// then what a run adds, a look at the end and the restart before it.
func Plan(d *profile.Document, c Choices) []Step {
	var list []Step
	add := func(s Step) {
		s.Number = len(list) + 1
		list = append(list, s)
	}
	kept := c.keeps(d)
	stays := func(name android.PackageName) bool {
		i := slices.IndexFunc(d.Steps, func(s profile.Step) bool { return s.Kind == profile.Remove && s.Package == name })
		if i < 0 {
			return false
		}
		_, _, leaves := c.leaves(d.Steps[i], kept)
		return leaves
	}
	if c.Measure {
		add(Step{Kind: Restart, Text: "Restart the phone, so that what it uses can be compared"})
		add(Step{Kind: Measure, Text: "Measure what it uses"})
	}
	for _, s := range d.Before() {
		if slices.Contains(c.Without, s.Number) || s.Kind != profile.PutIn && s.Package != "" && stays(s.Package) {
			continue
		}
		step := Step{Package: s.Package, Label: s.Label, Role: s.Role, Namespace: s.Namespace, Key: s.Key, Value: s.Value, Text: s.Text, Sheet: s.Number}
		switch s.Kind {
		case profile.PutIn:
			step.Kind, step.File, step.Grants, step.Seconds = PutIn, s.File, s.Grants, s.Seconds
		case profile.WithdrawAdmin:
			step.Kind = WithdrawAdmin
		case profile.Setting, profile.HoldUpdates:
			step.Kind = Setting
		case profile.Check:
			step.Kind, step.If = Condition, asked(d, s)
		default:
			continue
		}
		add(step)
	}
	for _, s := range d.Removals() {
		if _, _, leaves := c.leaves(s, kept); leaves {
			continue
		}
		step := Step{Kind: Remove, Method: c.method(s), Package: s.Package, Label: s.Label, Sheet: s.Number}
		step.WithData = step.FromImage() && slices.Contains(c.WithData, s.Package)
		add(step)
	}
	for _, s := range d.After() {
		if s.Kind == profile.Wait && !slices.Contains(c.Without, s.Number) {
			add(Step{Kind: Wait, Seconds: s.Seconds, Text: s.Text, Sheet: s.Number})
		}
	}
	if !c.NoRestart || c.Measure || slices.ContainsFunc(list, Step.FromImage) {
		add(Step{Kind: Restart, Text: "Restart the phone"})
	}
	if c.Measure {
		add(Step{Kind: Measure, Text: "Measure what it uses"})
	}
	add(Step{Kind: Look, Text: "Look what the phone has now"})
	return list
}

// asked is the condition of a step that the phone can be asked about, "" where
// it is written for people.
func asked(d *profile.Document, s profile.Step) string {
	for _, r := range d.Removals() {
		if r.Package != s.Package {
			continue
		}
		for _, text := range r.Conditions {
			if _, ok := impact.ParseCondition(text); ok && len(s.Text) >= len(text) && s.Text[len(s.Text)-len(text):] == text {
				return text
			}
		}
	}
	return ""
}

// Journal is a step and what became of it.
type Journal struct {
	Step
	State State  `json:"state" enum:"waiting,sent,done,already,absent,refused,failed,skipped,unknown"`
	Words string `json:"words"`
	// Before is what a step changes: a setting's value, what a package might do
	// that is quietened, how one lay on the image that is taken out of it, the Place
	// of one that is put in, or how often the phone had started before a restart.
	Before string `json:"before,omitempty"`
}

// Restarted reports whether a phone has restarted since a run began to take things
// off it: by the run, or as often as it counts its starts. Before is what it had at
// the beginning, nil where nobody looked.
func Restarted(list []Journal, before, seen *Seen) bool {
	first, own := 0, 0
	for _, j := range list {
		switch {
		case j.Kind == Remove && first == 0:
			first = j.Number
		case j.Kind == Restart && j.State == Done && first == 0:
			own++ // to measure it
		case j.Kind == Restart && j.State == Done:
			return true
		}
	}
	return before != nil && seen.Boots > before.Boots+own
}

// Off lists what the run took off the phone, switched off or quietened there and
// has not put back, by the step that did it, in the order of removal.
func Off(list []Journal) []Journal {
	var off []Journal
	for _, j := range list {
		if j.State != Done {
			continue
		}
		switch j.Kind {
		case Remove:
			off = append(off, j)
		case PutBack:
			off = slices.DeleteFunc(off, func(o Journal) bool { return o.Package == j.Package })
		}
	}
	return off
}

// Set lists the settings that the run set and has not set back.
func Set(list []Journal) []Journal {
	var set []Journal
	for _, j := range list {
		if j.State != Done {
			continue
		}
		switch j.Kind {
		case Setting:
			set = append(set, j)
		case SetBack:
			set = slices.DeleteFunc(set, func(o Journal) bool { return o.Touches() == j.Touches() })
		}
	}
	return set
}

// putBack is the step that takes a removal back; what was quietened gets what it
// might do before, and what was taken out of the image its place there.
func (j Journal) putBack() Step {
	step := Step{Kind: PutBack, Method: j.Method, Package: j.Package, Label: j.Label, Undoes: j.Number}
	if j.quietens() || j.FromImage() {
		step.Value = j.Before
	}
	return step
}

// Undo makes the steps that put back what a run changed, the last change
// first: all of it where names is nil, else those packages. They are numbered
// on from the journal.
func Undo(list []Journal, names []android.PackageName) []Step {
	var undo []Step
	for _, j := range Off(list) {
		if names == nil || slices.Contains(names, j.Package) {
			undo = append(undo, j.putBack())
		}
	}
	if names == nil {
		for _, j := range Set(list) {
			undo = append(undo, Step{Kind: SetBack, Namespace: j.Namespace, Key: j.Key, Value: j.Before, Undoes: j.Number})
		}
		for _, j := range PutIns(list) {
			undo = append(undo, *takeOut(j))
		}
	}
	slices.SortFunc(undo, func(a, b Step) int { return b.Undoes - a.Undoes })
	if len(undo) > 0 {
		undo = restartFor(undo, undo[0].Undoes)
	}
	return number(list, undo)
}

// number numbers new steps on from a journal.
func number(list []Journal, steps []Step) []Step {
	last := 0
	for _, j := range list {
		last = max(last, j.Number)
	}
	for i := range steps {
		steps[i].Number = last + 1 + i
	}
	return steps
}

// Instead does a gentler thing to a package that could not be removed: switches
// it off or quietens it, in a step that is numbered on from the journal. It fails
// where the step was no removal that ended badly, or the method is not gentler.
func Instead(list []Journal, n int, by evidence.Method) (Step, bool) {
	i := slices.IndexFunc(list, func(j Journal) bool { return j.Number == n })
	if i < 0 || list[i].Kind != Remove || list[i].State != Refused && list[i].State != Failed || !gentler(by, list[i].Method) {
		return Step{}, false
	}
	if slices.ContainsFunc(list, func(j Journal) bool { return j.Again == n }) {
		return Step{}, false
	}
	one := list[i]
	return number(list, []Step{{Kind: Remove, Method: by, Package: one.Package, Label: one.Label, Again: n}})[0], true
}

// gentler reports whether a takes less than b.
func gentler(a, b evidence.Method) bool {
	at := slices.Index(evidence.Methods, a)
	return at >= 0 && at < slices.Index(evidence.Methods, b)
}
