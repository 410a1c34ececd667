package demo

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/profile"
	"roster/core/run"
	"roster/phone"
	"roster/store"
)

// sampleRun is a release that was run on a phone of the library, some days ago.
type sampleRun struct {
	By      string `yaml:"by"`
	Release string `yaml:"release"`
	// Phone is the serial number of a phone that nobody has at hand any more.
	Phone string `yaml:"phone"`
	Days  int    `yaml:"days"`
	// Checked is after how many days the check list was answered, 0 where it
	// waits; Broken is the check that was, with a note.
	Checked int    `yaml:"checked"`
	Broken  string `yaml:"broken"`
	Note    string `yaml:"note"`
	// Found is the package that it was narrowed down to.
	Found android.PackageName `yaml:"found"`
}

// frontRoom is the bench on which the sample runs were made.
var frontRoom = uuid.NewSHA1(uuid.NameSpaceDNS, []byte("the front room"))

// addBench makes the bench on which all sample phones were.
func (s *seeder) addBench() error { return s.Store.EnsureBench(s.ctx, frontRoom, "front room") }

// late is what is done now and dated afterwards: nobody takes a run of it for
// one whose bench has fallen silent, however slow this machine is.
func (s *seeder) late() context.Context { return store.At(s.ctx, s.today) }

// addRuns runs releases on stand-ins that are thrown away afterwards: what each
// step came to is what they answered.
func (s *seeder) addRuns() error {
	for _, r := range s.sample.Runs {
		if err := s.addRun(r); err != nil {
			return fmt.Errorf("run of %s on %s: %w", r.Release, r.Phone, err)
		}
	}
	return nil
}

func (s *seeder) addRun(r sampleRun) error {
	release, of, d, err := s.releaseAt(r.Release)
	if err != nil {
		return err
	}
	model, _, _ := strings.Cut(r.Release, "/")
	scenario, err := phone.Of(World, "models/"+model+".yaml", "15.0.0", r.Phone)
	if err != nil {
		return err
	}
	p := phone.New(scenario, slog.New(slog.DiscardHandler))
	capture, err := s.read(p)
	if err != nil {
		return err
	}
	began := s.today.AddDate(0, 0, -r.Days)
	sum, err := s.Store.AddCapture(s.ctx, store.NewCapture{
		Capture: capture, Phone: s.PhoneHash(r.Phone), Person: s.people[r.By].ID, Source: "bench", Bench: &frontRoom, At: began,
	})
	if err != nil {
		return err
	}
	id, err := s.Store.StartRun(s.late(), store.NewRun{
		Profile: of, Release: &release.ID, Document: d, Build: sum.BuildID, Capture: sum.ID, Phone: s.PhoneHash(r.Phone),
		Name: release.ModelName, Form: d.Model.Form, Bench: frontRoom, Person: s.people[r.By].ID, Choices: chosen(false),
	})
	if err != nil {
		return err
	}
	if err := s.carryOut(s.carried(id, p, 1, s.PhoneHash(r.Phone))); err != nil {
		return err
	}
	if err := s.Store.DateRun(s.ctx, id, began); err != nil {
		return err
	}
	if err := s.answer(id, r, began); err != nil || r.Found == "" {
		return err
	}
	return s.narrow(id, p, r)
}

// releaseAt finds a release by model, edition and number, with its profile and its
// document.
func (s *seeder) releaseAt(path string) (r store.Release, of uuid.UUID, d *profile.Document, err error) {
	parts := strings.Split(path, "/")
	number, err := strconv.Atoi(parts[2])
	if err != nil {
		return r, of, nil, err
	}
	if r, err = s.Store.Release(s.ctx, "brannock", parts[0], parts[1], number); err != nil {
		return r, of, nil, err
	}
	if d, err = profile.ParseDocument(r.Document); err != nil {
		return r, of, nil, err
	}
	of, err = s.Store.ProfileOf(s.ctx, r.ID)
	return r, of, d, err
}

// chosen is a run of all of a release, measured or not.
func chosen(measure bool) run.Choices {
	return run.Choices{
		Measure: measure, Leave: []android.PackageName{}, Off: []android.PackageName{}, Keep: []string{}, Without: []int{}, Seen: []int{},
		OwnersData: "none",
	}
}

// narrow narrows down what is broken, as somebody does who tries it again after
// each question.
func (s *seeder) narrow(id uuid.UUID, p *phone.Phone, r sampleRun) error {
	one, err := s.Store.RunByID(s.ctx, id)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(one.Checks, func(c store.RunCheck) bool { return c.Answer == run.Broken })
	if at < 0 {
		return fmt.Errorf("nothing is broken: %q is no check of it", r.Broken)
	}
	steps, err := s.Store.RunSteps(s.ctx, id, 0)
	if err != nil {
		return err
	}
	var list []run.Journal
	var names []string
	for _, st := range steps {
		list, names = append(list, st.Journal), append(names, string(st.Package))
	}
	pointers, err := s.Store.Pointers(s.ctx, one.BuildID, names)
	if err != nil {
		return err
	}
	check := one.Checks[at].Check
	h := run.Hunt{Check: check.Number, Text: check.Text, Function: check.Function, Suspects: run.Suspects(check.Function, run.Off(list), pointers), Rounds: []run.Round{}}
	for h.Begin(); ; h.Answer(slices.Contains(h.Asking, r.Found)) {
		attempt, err := s.Store.ResumeRun(s.late(), id, s.people[r.By].ID, store.Resume{Hunt: &h, Bench: frontRoom, Steps: h.Moves})
		if err == nil && attempt > 0 {
			err = s.carryOut(s.carried(id, p, attempt, s.PhoneHash(r.Phone)))
		}
		if err != nil || h.Over {
			return err
		}
	}
}

// atOnce is how many steps are taken at once.
const atOnce = 100

// carrying is how a run is carried out on a stand-in.
type carrying struct {
	id    uuid.UUID
	phone *phone.Phone
	// mark is the phone's.
	mark    string
	attempt int
	// see is what the phone has after so much was done, measure what it uses.
	see     func(after string) (*run.Seen, error)
	measure func() android.Measurement
}

// carried is a run on a phone that is asked for all that it shows.
func (s *seeder) carried(id uuid.UUID, p *phone.Phone, attempt int, mark string) carrying {
	return carrying{id, p, mark, attempt, func(string) (*run.Seen, error) { return s.see(p) }, func() android.Measurement { return s.measure(p, 0) }}
}

// carryOut does a run's steps on a stand-in, as a bench does them over adb.
func (s *seeder) carryOut(c carrying) error {
	seen, err := c.see("")
	if err != nil {
		return err
	}
	report := run.Report{Attempt: c.attempt, Answers: []run.StepAnswer{}, Flying: []int{}, Want: atOnce, Seen: seen}
	for first := c.mark; ; first = "" {
		orders, err := s.Store.Advance(s.late(), c.id, first, report)
		if err != nil || orders.Done {
			return err
		}
		report = run.Report{Attempt: c.attempt, Answers: []run.StepAnswer{}, Flying: []int{}, Want: atOnce}
		for _, step := range orders.Steps {
			answer, err := s.do(c, step, seen)
			if err != nil {
				return err
			}
			report.Answers = append(report.Answers, answer)
			if step.Kind == run.Look || step.Kind == run.Restart {
				if report.Seen, err = c.see(fmt.Sprint("step ", step.Number)); err != nil {
					return err
				}
			}
		}
	}
}

// do does one step on a stand-in that showed something at the beginning.
func (s *seeder) do(c carrying, step run.Step, seen *run.Seen) (run.StepAnswer, error) {
	answer := run.StepAnswer{Step: step.Number, State: run.Done}
	line, err := step.Command(seen.SDK)
	switch {
	case err != nil:
		return answer, err
	case step.Kind == run.Restart:
		c.phone.Restart()
	case step.Kind == run.Measure:
		m := c.measure()
		answer.Measured = &m
	case step.Kind == run.PutIn:
		answer.State, answer.Words = run.Skipped, "not on this phone"
	case step.Kind == run.WithdrawAdmin && slices.Contains(seen.Facts.Administrators, step.Package):
		answer.State, answer.Words = run.Failed, "it is still an active device administrator"
	case line != "":
		answer.Words = strings.TrimSpace(string(c.phone.Ask(s.ctx, line+" 2>&1")))
		answer.State, _ = step.Judge(answer.Words, 0)
		answer.Took = 180 + int64(len(step.Package))
	}
	return answer, nil
}

// answer answers a run's check list.
func (s *seeder) answer(id uuid.UUID, r sampleRun, began time.Time) error {
	if r.Checked == 0 {
		return nil
	}
	one, err := s.Store.RunByID(s.ctx, id)
	if err != nil {
		return err
	}
	for _, c := range one.Checks {
		a := store.CheckAnswer{Answer: run.Works, At: began.AddDate(0, 0, r.Checked).Add(time.Hour)}
		if r.Broken != "" && c.Text == r.Broken {
			a.Answer, a.Note = run.Broken, r.Note
		}
		if err := s.Store.AnswerCheck(s.ctx, id, c.Number, s.people[r.By].ID, a); err != nil {
			return err
		}
	}
	return nil
}

// read captures a stand-in.
func (s *seeder) read(p *phone.Phone) (*android.Capture, error) {
	var reading android.Reading
	for _, q := range bench.Questions() {
		if err := reading.Read(q.Asking, bytes.NewReader(p.Ask(s.ctx, q.Line()))); err != nil {
			return nil, err
		}
	}
	return reading.Capture()
}

// see is what a stand-in has now, with the settings that runs touch.
func (s *seeder) see(p *phone.Phone) (*run.Seen, error) {
	c, err := s.read(p)
	if err != nil {
		return nil, err
	}
	seen := bench.Seen(c)
	seen.Settings = map[string]string{}
	for _, key := range []string{"window_animation_scale", profile.HoldKey} {
		seen.Settings["global/"+key] = strings.TrimSpace(string(p.Ask(s.ctx, "settings get global "+key)))
	}
	seen.Boots, _ = strconv.Atoi(strings.TrimSpace(string(p.Ask(s.ctx, "settings get global boot_count"))))
	return seen, nil
}
