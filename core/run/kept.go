package run

import (
	"errors"
	"slices"
	"strconv"

	"roster/core/android"
)

// Kept is a run that whoever does it keeps by itself, with no server: what it is
// now, and what Advance has to know to go on with it. It orders as a server does,
// which has the same in a database (store.Advance).
type Kept struct {
	State RunState `json:"state"`
	Why   string   `json:"why,omitempty"`
	// Attempt counts how often the run was begun or gone on with.
	Attempt     int  `json:"attempt"`
	PuttingBack bool `json:"puttingBack,omitempty"`
	StopAsked   bool `json:"-"`
	// Phone tells the phone from others, Fingerprint its firmware at the beginning.
	Phone       string `json:"phone"`
	Form        string `json:"form"`
	Fingerprint string `json:"fingerprint"`
	// Before is what the phone had at the beginning, Now at the last look; nil
	// before the first.
	Before *Seen `json:"before,omitempty"`
	Now    *Seen `json:"now,omitempty"`
	// Back are packages that returned by themselves, and when.
	Back      map[android.PackageName]string `json:"back,omitempty"`
	Restarted bool                           `json:"restarted,omitempty"`
	Steps     []KeptStep                     `json:"steps"`
}

// KeptStep is a step of the run with the attempt that sent it.
type KeptStep struct {
	Journal
	Attempt int   `json:"attempt,omitempty"`
	Took    int64 `json:"took,omitempty"` // milliseconds
}

// Errors of going on with a run.
var (
	// ErrNothingLeft says that nothing of a run is left to do.
	ErrNothingLeft = errors.New("nothing of this run is left to do")
	// ErrStillUnknown says that the phone has to be looked at first.
	ErrStillUnknown = errors.New("the phone has not been looked at since the run was interrupted")
	// ErrGoing says that the run is going.
	ErrGoing = errors.New("this run is going")
)

// NewKept is a run that nothing has been done of.
func NewKept(steps []Step, phone, form, fingerprint string) *Kept {
	k := &Kept{State: Stopped, Phone: phone, Form: form, Fingerprint: fingerprint}
	k.add(steps)
	return k
}

func (k *Kept) add(steps []Step) {
	for _, s := range steps {
		k.Steps = append(k.Steps, KeptStep{Journal: Journal{Step: s, State: Waiting}})
	}
}

// Clone is a copy that shares nothing which Advance or Resume change.
func (k *Kept) Clone() *Kept {
	c := *k
	c.Steps = slices.Clone(k.Steps)
	c.Back = map[android.PackageName]string{}
	for name, when := range k.Back {
		c.Back[name] = when
	}
	return &c
}

// List is the journal of the run.
func (k *Kept) List() []Journal {
	list := make([]Journal, len(k.Steps))
	for i, s := range k.Steps {
		list[i] = s.Journal
	}
	return list
}

// Keys are the settings that the run touches.
func (k *Kept) Keys() []Key {
	steps := make([]Step, len(k.Steps))
	for i, s := range k.Steps {
		steps[i] = s.Step
	}
	return Keys(steps)
}

// Open reports whether nobody knows what became of some step.
func (k *Kept) Open() bool {
	return slices.ContainsFunc(k.Steps, func(s KeptStep) bool { return s.State == Sent || s.State == Unknown })
}

// Advance takes what a bench reports and orders the next steps, each marked as
// sent. r.Serial is what Phone is made of. It fails with ErrSuperseded where the
// report is of another attempt.
func (k *Kept) Advance(r Report) (Orders, error) {
	orders := Orders{Steps: []Step{}, Keys: []Key{}, Form: k.Form}
	if k.State != Going || r.Attempt != k.Attempt {
		return orders, ErrSuperseded
	}
	begins := r.Serial != ""
	if begins && r.Serial != k.Phone {
		k.end(Held, "another phone is attached there now")
		return orders, nil
	}
	k.answer(r.Answers)
	if r.Seen != nil {
		k.Look(r.Seen, begins)
		if begins && r.Seen.Fingerprint != k.Fingerprint {
			k.end(Held, "the phone has another firmware than when this was rehearsed")
			return orders, nil
		}
	}
	if r.End != "" {
		k.end(RunState(r.End), r.Why)
		return orders, nil
	}
	k.next(r, &orders)
	return orders, nil
}

// answer writes what came of steps that are under way or unknown.
func (k *Kept) answer(answers []StepAnswer) {
	for _, a := range answers {
		for i := range k.Steps {
			s := &k.Steps[i]
			if s.Number == a.Step && (s.State == Sent || s.State == Unknown) {
				s.State, s.Words, s.Took = a.State, android.Printable(a.Words, 1000), a.Took
			}
		}
	}
}

// Look takes what the phone shows. Where settles is true, steps of whose answer
// nobody knows end by it; a look in the middle of an attempt leaves them alone.
func (k *Kept) Look(seen *Seen, settles bool) {
	if settles {
		var answers []StepAnswer
		for _, s := range k.Steps {
			if s.State == Sent || s.State == Unknown {
				state, words := s.Settle(seen, s.Before)
				answers = append(answers, StepAnswer{Step: s.Number, State: state, Words: words})
			}
		}
		k.answer(answers)
	}
	k.cameBack(seen)
	k.Now = seen
	if k.Before == nil {
		k.Before = seen
	}
	for i := range k.Steps {
		if s := &k.Steps[i]; s.State == Waiting && s.Before == "" {
			s.Before, _ = s.Had(seen)
		}
	}
}

// cameBack finds what the run took off and the phone has all the same.
func (k *Kept) cameBack(seen *Seen) {
	list := k.List()
	k.Restarted = k.Restarted || Restarted(list, k.Before, seen)
	if !k.Restarted {
		return
	}
	for name, when := range Returned(list, seen, k.Fingerprint) {
		if k.Back == nil {
			k.Back = map[android.PackageName]string{}
		}
		k.Back[name] = when
	}
}

// waits reports whether a step is to be done in this attempt.
func (k *Kept) waits(s KeptStep) bool {
	return s.State == Waiting && (!k.PuttingBack || s.Undoes != 0)
}

// next orders steps, or finds that nothing is left.
func (k *Kept) next(r Report, orders *Orders) {
	if r.Want == 0 {
		orders.Stop = k.StopAsked
		return
	}
	if k.begin(r, orders); len(orders.Steps) > 0 || k.Open() {
		return
	}
	switch waiting := slices.ContainsFunc(k.Steps, k.waits); {
	case !waiting:
		orders.Done = true
		k.finish()
	case k.StopAsked:
		orders.Stop = true
		k.end(Stopped, "")
	}
}

// begin takes the next steps, as many as are wanted: removals and what undoes
// them up to the first of another kind, which is alone. Steps that were ordered
// before and never heard of come first.
func (k *Kept) begin(r Report, orders *Orders) {
	var list []*KeptStep
	for i := range k.Steps {
		if s := &k.Steps[i]; s.State == Sent && s.Attempt == k.Attempt && !slices.Contains(r.Flying, s.Number) {
			list = append(list, s)
		}
	}
	for i := range k.Steps {
		if s := &k.Steps[i]; !k.StopAsked && k.waits(*s) {
			list = append(list, s)
		}
	}
	for _, s := range list[:min(len(list), r.Want)] {
		alone := s.Alone()
		if alone && len(orders.Steps)+len(r.Flying) > 0 {
			return
		}
		orders.Steps = append(orders.Steps, s.Step)
		if s.State == Waiting {
			s.State, s.Attempt = Sent, k.Attempt
			if s.Kind == Restart && k.Now != nil {
				s.Before = strconv.Itoa(k.Now.Boots)
			}
		}
		if alone {
			return
		}
	}
}

func (k *Kept) finish() {
	state := Finished
	switch {
	case !k.PuttingBack:
	case slices.ContainsFunc(k.Steps, func(s KeptStep) bool { return s.State == Waiting }):
		state = Stopped
	case len(Off(k.List())) == 0:
		state = BackAsItWas
	}
	k.end(state, "")
}

// end ends an attempt. What is under way then is unknown.
func (k *Kept) end(state RunState, why string) {
	for i := range k.Steps {
		if k.Steps[i].State == Sent {
			k.Steps[i].State = Unknown
		}
	}
	k.State, k.Why, k.StopAsked = state, android.Printable(why, 500), false
}

// Interrupt ends an attempt of which nobody will report any more, such as that of
// a page that was closed; without one it does nothing.
func (k *Kept) Interrupt(why string) {
	if k.State == Going {
		k.end(Interrupted, why)
	}
}

// Resume begins an attempt: with what waits, or, where undo is true, putting back
// names, all of it where names is nil. The steps are to be asked of a bench.
func (k *Kept) Resume(undo bool, names []android.PackageName) error {
	if k.State == Going {
		return ErrGoing
	}
	if undo && k.Open() {
		return ErrStillUnknown
	}
	var more []Step
	if undo {
		more = Undo(k.List(), names)
	}
	waits := slices.ContainsFunc(k.Steps, func(s KeptStep) bool { return !s.State.Ended() })
	if len(more) == 0 && (!waits || undo) {
		return ErrNothingLeft
	}
	for i := range k.Steps {
		if s := &k.Steps[i]; undo && names == nil && s.State == Waiting {
			s.State, s.Words = Skipped, "put back instead"
		}
	}
	k.add(more)
	k.State, k.Why, k.StopAsked, k.PuttingBack = Going, "", false, undo
	k.Attempt++
	return nil
}
