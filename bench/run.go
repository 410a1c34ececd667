package bench

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"sync"
	"time"

	"github.com/google/uuid"

	"roster/bench/services"
	"roster/core/android"
	"roster/core/run"
	"roster/core/wording"
)

// Ended is the result of a run's request.
type Ended struct {
	Run uuid.UUID `json:"run"`
	How string    `json:"how" enum:"done,stopped,interrupted,held"`
}

const (
	// ahead is how many steps are under way at once: the phone does one after
	// the other, and the next has arrived when one is done.
	ahead = 2
	// guardEvery is after how many steps the phone is looked at again.
	guardEvery = 10
	// stepTakes bounds one step.
	stepTakes = 90 * time.Second
	// heartbeat is how often a bench says that it still runs something.
	heartbeat = 3 * time.Second
)

// runner does one attempt at a run.
type runner struct {
	station *Station
	serial  string
	id      uuid.UUID
	attempt int
	out     Results

	session *services.Session
	guard   *run.Guard
	first   *run.Guard // as it was at the beginning
	seen    *run.Seen
	keys    []run.Key
	noise   map[string]string // what packages may do, or how they lie on the image, as told last
	form    string
	flying  []flight
	answers []run.StepAnswer
	saved   []run.SavedFolder            // which nobody was told of in this attempt
	since   int                          // removals since the last look
	gone    map[android.PackageName]bool // went in this attempt
	strange int                          // answers in a row that make no sense
	held    string                       // why nothing more is sent

	stop     chan struct{} // closed when somebody stops the run
	stopping sync.Once
}

type flight struct {
	step run.Step
	at   time.Time
}

// errNobody says that nothing tells a phone from others, so that nobody knows
// whether it is the one that a run is meant for.
var errNobody = errors.New("this phone tells no serial number of its own, and has no label: give it one on the Bench")

// run does what the journal's keeper orders, step by step, until nothing is
// left, somebody stops it, or something is wrong.
func (s *Station) run(ctx context.Context, serial string, r Request, out Results) (any, error) {
	w := &runner{station: s, serial: serial, id: r.Run, attempt: r.Attempt, out: out, keys: r.Keys,
		gone: map[android.PackageName]bool{}, noise: map[string]string{}, stop: make(chan struct{})}
	ctx, lose := context.WithCancelCause(ctx)
	defer lose(nil)
	defer w.close()
	var beating sync.WaitGroup
	beating.Go(func() { w.beat(ctx, lose) })
	defer func() { lose(nil); beating.Wait() }()
	how, err := w.doSteps(ctx)
	if err == nil {
		return Ended{r.Run, how}, nil
	}
	if cause := context.Cause(ctx); errors.Is(cause, run.ErrSuperseded) || errors.Is(err, run.ErrSuperseded) {
		return nil, run.ErrSuperseded
	}
	// What is under way then is unknown: the phone is looked at when it is
	// back.
	end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 20*time.Second)
	defer cancel()
	why := Explain(err)
	if _, told := out.Run(end, r.Run, run.Report{Attempt: r.Attempt, Answers: w.taken(), Flying: w.numbers(), End: "interrupted", Why: why}); told != nil {
		s.Log.Warn("that a run was interrupted could not be told", "run", r.Run, "err", told)
	}
	return Ended{r.Run, "interrupted"}, err
}

// beat says from time to time that the run goes on, whatever the phone takes.
func (w *runner) beat(ctx context.Context, lose context.CancelCauseFunc) {
	for every := time.NewTicker(heartbeat); ; {
		select {
		case <-every.C:
		case <-ctx.Done():
			every.Stop()
			return
		}
		orders, err := w.out.Run(ctx, w.id, run.Report{Attempt: w.attempt, Answers: []run.StepAnswer{}, Flying: []int{}, Want: 0})
		if errors.Is(err, run.ErrSuperseded) {
			lose(run.ErrSuperseded)
			return
		}
		if err == nil && orders.Stop {
			w.stopping.Do(func() { close(w.stop) })
		}
	}
}

func (w *runner) close() {
	if w.session != nil {
		w.session.Close()
	}
}

func (w *runner) taken() []run.StepAnswer {
	list := w.answers
	w.answers = nil
	if list == nil {
		list = []run.StepAnswer{}
	}
	return list
}

func (w *runner) numbers() []int {
	list := []int{}
	for _, f := range w.flying {
		list = append(list, f.step.Number)
	}
	return list
}

// report tells what there is to tell and takes the next orders. Where seen is
// true the last look goes with it.
func (w *runner) report(ctx context.Context, want int, seen bool, serial string) (run.Orders, error) {
	r := run.Report{Attempt: w.attempt, Serial: serial, Answers: w.taken(), Flying: w.numbers(), Want: want}
	if seen {
		r.Seen = w.seen
	}
	r.Saved, w.saved = w.saved, nil
	return w.out.Run(ctx, w.id, r)
}

func (w *runner) doSteps(ctx context.Context) (how string, err error) {
	if w.session, err = services.Shell(ctx, w.station.Host, w.serial); err != nil {
		return "", err
	}
	identity, err := w.look()
	if err == nil && identity == "" {
		err = errNobody
	}
	if err != nil {
		return "", err
	}
	if w.saved, err = w.station.savedFolders(w.id); err != nil {
		return "", err
	}
	orders, err := w.report(ctx, ahead, true, identity)
	if err != nil {
		return "", err
	}
	w.form = orders.Form
	w.guard, w.first = run.NewGuard(w.form, w.seen), run.NewGuard(w.form, w.seen)
	for {
		if err := w.send(ctx, orders.Steps); err != nil {
			return "", err
		}
		if len(w.flying) > 0 {
			if err := w.receive(); err != nil {
				return "", err
			}
		} else if (orders.Done || orders.Stop) && len(w.answers) == 0 {
			if orders.Stop {
				return "stopped", nil
			}
			return "done", nil
		}
		looked := false
		if len(w.flying) == 0 && w.since >= guardEvery {
			looked = true
			if err := w.lookAgain(); err != nil {
				return "", err
			}
		}
		if w.held != "" && len(w.flying) == 0 {
			_, err := w.out.Run(ctx, w.id, run.Report{Attempt: w.attempt, Answers: w.taken(), Flying: []int{}, End: "held", Why: w.held, Seen: w.seen})
			return "held", err
		}
		want := ahead - len(w.flying)
		if w.held != "" || w.since >= guardEvery {
			want = 0
		}
		if orders, err = w.report(ctx, want, looked, ""); err != nil {
			return "", err
		}
	}
}

// look asks the phone what it has.
// What tells the phone apart comes with it.
func (w *runner) look() (identity string, err error) {
	return w.lookFor(w.keys)
}

func (w *runner) lookFor(keys []run.Key) (identity string, err error) {
	var who android.Identity
	w.seen, who, err = look(w.session, keys)
	w.since = 0
	if err == nil {
		w.remember()
	}
	return w.station.identity(w.serial, who), err
}

// glance looks again in the middle: what packages may do, of which the phone has
// told, is not asked for once more.
func (w *runner) glance() error {
	_, err := w.lookFor(slices.DeleteFunc(slices.Clone(w.keys), w.told))
	return err
}

// lookAgain looks in the middle, and holds the run where what the phone shows
// is not what it said.
func (w *runner) lookAgain() error {
	was := w.seen.Fingerprint
	if err := w.glance(); err != nil {
		return err
	}
	w.judge(was)
	return nil
}

// remember keeps what packages may do, and tells with what was seen now what was
// told before.
func (w *runner) remember() {
	for _, k := range w.keys {
		if !asksMore(k) {
			continue
		}
		if value, ok := w.seen.Settings[k.String()]; ok {
			w.noise[k.String()] = value
		} else if value, ok := w.noise[k.String()]; ok {
			w.seen.Settings[k.String()] = value
		}
	}
}

// told reports whether the phone has told what a package may do: asking takes
// several commands for each, and in the middle only a step of the run changes it.
func (w *runner) told(k run.Key) bool {
	_, ok := w.noise[k.String()]
	return ok && asksMore(k)
}

// asksMore reports whether asking for what a key names takes more than a command.
func asksMore(k run.Key) bool { return k.Namespace == run.Quiet || k.Namespace == run.Image }

func (w *runner) judge(was string) {
	w.guard = run.NewGuard(w.form, w.seen)
	if w.seen.Fingerprint != was {
		w.held = "the phone has another firmware than before: is it the same phone?"
	}
	if empty := w.guard.Empty(w.first); len(empty) > 0 {
		w.held = fmt.Sprintf("the phone has nobody any more who can be its %s: put somebody in, or put back", empty[0])
	}
	for name := range w.gone {
		if slices.Contains(w.seen.Installed, name) && !slices.Contains(w.seen.Off, name) {
			w.held = fmt.Sprintf("the phone said that %s is gone, and still has it", name)
		}
	}
}

// send begins steps. Removals and what undoes them go ahead of each other;
// everything else is alone.
func (w *runner) send(ctx context.Context, steps []run.Step) error {
	for _, step := range steps {
		if w.held != "" {
			w.answer(step, run.Waiting, "", 0)
			continue
		}
		if words, state := w.needless(step); state != "" {
			w.answer(step, state, words, 0)
			continue
		}
		if k := step.Touches(); step.Kind == run.Remove && asksMore(k) && !w.told(k) {
			// What it may do, or how it lies, has to stand in the journal before it is changed.
			w.keys, w.since = append(w.keys, k), guardEvery
			w.answer(step, run.Waiting, "", 0)
			continue
		}
		if role := w.guard.Empties(step.Package); w.takesOff(step) && role != "" {
			w.held = fmt.Sprintf("without %s nobody could be the phone's %s", step.Package, role)
			w.answer(step, run.Waiting, "", 0)
			continue
		}
		switch {
		case !step.Alone():
			line, err := step.Command(w.seen.SDK)
			if err != nil {
				w.answer(step, run.Failed, err.Error(), 0)
				continue
			}
			if err := w.session.Ahead(line+" 2>&1", stepTakes); err != nil {
				w.flying = append(w.flying, flight{step, time.Now()})
				return err
			}
			w.flying = append(w.flying, flight{step, time.Now()})
			if w.takesOff(step) {
				w.guard.Gone(step.Package)
			}
		default:
			w.flying = append(w.flying, flight{step, time.Now()})
			if err := w.alone(ctx, step); err != nil {
				return err
			}
			w.flying = w.flying[:0]
		}
	}
	return nil
}

func (w *runner) answer(step run.Step, state run.State, words string, took time.Duration) {
	w.answers = append(w.answers, run.StepAnswer{Step: step.Number, State: state, Words: android.Printable(words, 500), Took: took.Milliseconds()})
}

// receive takes the answer to the oldest step that is under way.
func (w *runner) receive() error {
	f := w.flying[0]
	result, err := w.session.Answer(stepTakes, 64<<10)
	if err != nil {
		return err
	}
	w.flying = w.flying[1:]
	for i := range w.flying {
		w.flying[i].at = time.Now() // the phone begins with it now
	}
	state, sense := f.step.Judge(result.Words(), result.Code)
	if f.step.Kind == run.SetBack && f.step.Value == run.NotSet && result.Code == 0 {
		state, sense = run.Done, true
	}
	w.answer(f.step, state, f.step.Says(result.Words()), time.Since(f.at))
	if k := f.step.Touches(); k.Namespace == run.Quiet {
		w.noise[k.String()] = k.Value(result.Words())
	}
	if w.strange++; sense {
		w.strange = 0
	}
	if w.strange >= 2 {
		w.held = "the phone's answers make no sense: the last was " + strconv.Quote(android.Printable(result.Words(), 100))
	}
	if state == run.Done && w.takesOff(f.step) {
		w.gone[f.step.Package] = true
		w.since++
	}
	if state == run.Done && f.step.Kind == run.PutBack {
		delete(w.gone, f.step.Package)
	}
	return nil
}

// alone does a step that nothing else goes on beside.
func (w *runner) alone(ctx context.Context, step run.Step) error {
	begun := time.Now()
	state, words := run.Done, ""
	if step.FromImage() {
		return w.fromImage(ctx, step, begun)
	}
	switch step.Kind {
	case run.Wait:
		select {
		case <-time.After(time.Duration(step.Seconds) * time.Second):
			words = fmt.Sprintf("waited %d s", step.Seconds)
		case <-w.stop:
			state = run.Waiting
		case <-ctx.Done():
			return context.Cause(ctx)
		}
	case run.Restart:
		return w.restart(ctx, step, begun)
	case run.Measure:
		return w.measure(ctx, step, begun)
	case run.Look:
		was := w.seen.Fingerprint
		if _, err := w.look(); err != nil {
			return err
		}
		w.judgeAtEnd(was)
		words = wording.Count(len(w.seen.Installed), "package is", "packages are") + " there"
		w.answer(step, state, words, time.Since(begun))
		return w.tellSeen(ctx)
	default:
		byHand := step.Kind == run.PutIn && step.Package == "" || step.Kind == run.Condition && step.If == ""
		if !byHand { // else the phone has nothing to say to it
			if err := w.glance(); err != nil {
				return err
			}
			w.guard = run.NewGuard(w.form, w.seen)
		}
		var err error
		if state, words, err = w.doBeforehand(ctx, step); err != nil {
			return err
		}
	}
	w.answer(step, state, words, time.Since(begun))
	return nil
}

// judgeAtEnd is judge, but that what came back by itself holds nothing up.
func (w *runner) judgeAtEnd(was string) {
	clear(w.gone)
	w.judge(was)
}

// tellSeen hands the last look on with the answers so far.
func (w *runner) tellSeen(ctx context.Context) error {
	w.flying = w.flying[:0]
	_, err := w.report(ctx, 0, true, "")
	return err
}

func (w *runner) restart(ctx context.Context, step run.Step, begun time.Time) error {
	before := w.seen.Boots
	w.session.Close()
	w.station.restarts(w.serial)
	if err := services.Reboot(ctx, w.station.Host, w.serial); err != nil {
		return err
	}
	takes := restartTakes
	if w.changesImage() {
		takes = healTakes
	}
	seen, err := w.station.backAgain(ctx, w.serial, before, w.keys, takes)
	if err != nil {
		if ctx.Err() != nil {
			return context.Cause(ctx)
		}
		return err
	}
	if w.session, err = services.Shell(ctx, w.station.Host, w.serial); err != nil {
		return err
	}
	was := w.seen.Fingerprint
	w.seen = seen
	w.remember()
	w.judgeAtEnd(was)
	words := fmt.Sprintf("back after %d s", int(time.Since(begun).Seconds()))
	if err := w.settleImage(&words); err != nil {
		return err
	}
	w.answer(step, run.Done, words, time.Since(begun))
	return w.tellSeen(ctx)
}
