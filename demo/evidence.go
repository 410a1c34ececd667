package demo

import (
	"cmp"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/store"
)

// said is what the sample people say of one package.
type said struct {
	About      string            `yaml:"about"`
	Functions  []string          `yaml:"functions"`
	Load       string            `yaml:"load"`
	Scope      string            `yaml:"scope"`
	Because    string            `yaml:"because"`
	Conditions []string          `yaml:"conditions"`
	Lost       string            `yaml:"lost"`
	Words      string            `yaml:"words"`
	Trials     map[string]string `yaml:"trials"`
	// Disabled, Quietened and FromImage are trials by those methods, Trials those that
	// removed it.
	Disabled  map[string]string `yaml:"disabled"`
	Quietened map[string]string `yaml:"quietened"`
	FromImage map[string]string `yaml:"fromImage"`
	Instead   []substitute      `yaml:"instead"`
	Countries []string          `yaml:"countries"`
	Sources   []source          `yaml:"sources"`
	// Translated is by language, Debugging by scope.
	Translated map[string]translation `yaml:"translated"`
	Debugging  map[string][]guide     `yaml:"debugging"`
}

type translation struct {
	Description string            `yaml:"description"`
	Functions   map[string]string `yaml:"functions"`
}

type guide struct {
	From     int      `yaml:"from"`
	To       int      `yaml:"to"`
	Language string   `yaml:"language"`
	Steps    []string `yaml:"steps"`
}

type substitute struct {
	Package string `yaml:"package"`
	Name    string `yaml:"name"`
	For     string `yaml:"for"`
	First   string `yaml:"first"`
}

// source is a document; Log is the content of one that is attached.
type source struct {
	Title string `yaml:"title"`
	Link  string `yaml:"link"`
	Log   string `yaml:"log"`
	Quote string `yaml:"quote"`
	Claim string `yaml:"claim"`
	Scope string `yaml:"scope"`
}

// trialChanges is in how many changes each person sent their trials: by the
// last of them they are no newcomers any more.
const trialChanges = 3

// addSaid brings what is said of packages, then the trials of each person.
func (s *seeder) addSaid() error {
	var told []store.NewEdit
	trials := map[string][]store.NewEdit{}
	for _, name := range sorted(s.sample.Packages) {
		p := s.sample.Packages[name]
		edits, err := s.words(name, p)
		if err != nil {
			return err
		}
		told = append(told, edits...)
		tried := map[evidence.Method]map[string]string{
			evidence.RemoveForUser: p.Trials, evidence.Disable: p.Disabled, evidence.Quieten: p.Quietened,
			evidence.RemoveFromImage: p.FromImage,
		}
		for method, builds := range tried {
			for _, build := range sorted(builds) {
				for i, letter := range builds[build] {
					by, value, err := s.trial(name, build, i, letter, p)
					if err != nil {
						return err
					}
					value.Method = method
					if method == evidence.Disable { // as an owner can
						value.ByHand = "done"
					}
					e, err := s.edit(name, change.Trial, everywhere, value, "")
					if err != nil {
						return err
					}
					trials[by] = append(trials[by], e)
				}
			}
		}
	}
	if err := s.accepted("maintainer", "What the packages are", told, began-2); err != nil {
		return err
	}
	for _, by := range sorted(trials) {
		list := trials[by]
		slices.SortStableFunc(list, func(a, b store.NewEdit) int { return cmp.Compare(madeOn(a), madeOn(b)) })
		for part := range trialChanges {
			from, to := part*len(list)/trialChanges, (part+1)*len(list)/trialChanges
			if err := s.accepted(by, fmt.Sprintf("Trials of %s, part %d", s.people[by].Name, part+1), list[from:to], s.daysSince(list[to-1])); err != nil {
				return err
			}
		}
	}
	return nil
}

// madeOn is the day of a trial.
func madeOn(trial store.NewEdit) string {
	var v change.TrialValue
	json.Unmarshal(trial.Value, &v) // s.edit has just made it
	return v.On
}

// daysSince is how many days ago a trial was sent: the day after it was made,
// and long enough ago to have been decided about.
func (s *seeder) daysSince(trial store.NewEdit) int {
	on, err := time.Parse(time.DateOnly, madeOn(trial))
	if err != nil {
		return began
	}
	return max(2, int(s.today.Sub(on).Hours()/24)-1)
}

// words makes the edits for what is said of a package, without its trials.
func (s *seeder) words(name string, p said) (edits []store.NewEdit, err error) {
	add := func(field change.Field, scope catalog.Scope, value any, reason string, files ...uuid.UUID) {
		if err != nil {
			return
		}
		var e store.NewEdit
		e, err = s.edit(name, field, scope, value, reason)
		e.Attachments = files
		edits = append(edits, e)
	}
	if p.About != "" {
		add(change.Description, everywhere, p.About, "seen on the phones here")
	}
	if len(p.Functions) > 0 {
		add(change.Functions, everywhere, p.Functions, "what people missed")
	}
	if p.Load != "" {
		add(change.Load, s.scope(p.Scope), change.LoadValue{Load: evidence.Load(p.Load), Conditions: p.Conditions}, p.Because)
	}
	if len(p.Countries) > 0 {
		add(change.Countries, everywhere, p.Countries, "asked at the counter")
	}
	if len(p.Instead) > 0 {
		list := make([]catalog.Substitute, len(p.Instead))
		for i, x := range p.Instead {
			list[i] = catalog.Substitute(x)
		}
		add(change.Substitutes, everywhere, list, "what took over on the phones here")
	}
	if len(p.Translated) > 0 {
		all := change.TranslationsValue{}
		for language, t := range p.Translated {
			all[language] = change.Translation(t)
		}
		add(change.Translations, everywhere, all, "as people there call it")
	}
	for _, scope := range sorted(p.Debugging) {
		list := make([]catalog.Guide, len(p.Debugging[scope]))
		for i, x := range p.Debugging[scope] {
			list[i] = catalog.Guide(x)
		}
		add(change.Debugging, s.scope(scope), list, "walked through on the phones here")
	}
	for _, x := range p.Sources {
		v := change.SourceValue{Title: x.Title, Link: x.Link, Quote: x.Quote, Claim: x.Claim}
		var files []uuid.UUID
		if x.Log != "" {
			a, err := s.Store.AddAttachment(s.ctx, s.people["maintainer"].ID, "phone.log", "text/plain", []byte(x.Log))
			if err != nil {
				return nil, err
			}
			v.Attachment, files = a.ID.String(), []uuid.UUID{a.ID}
		}
		add(change.Source, s.scope(x.Scope), v, "", files...)
	}
	return edits, err
}

// testers report trials; the first ones more often than the last.
var testers = []string{"ines", "bolaji", "runa", "casimir", "second", "ines", "bolaji", "runa", "maintainer", "keeper", "technician"}

// trial makes the i-th trial of a package on a build: whose it is, and what
// they saw, always the same for the same place in the sample's file.
func (s *seeder) trial(name, build string, i int, letter rune, p said) (by string, v change.TrialValue, err error) {
	id, ok := s.builds[build]
	if !ok {
		return "", v, fmt.Errorf("%s: there is no build %q", name, build)
	}
	h := fnv.New32a()
	h.Write([]byte(name))
	by = testers[(int(h.Sum32()%7)+i)%len(testers)]
	v = change.TrialValue{
		Build: id.String(), Phone: s.PhoneHash(fmt.Sprintf("sample %s %d %s", build, i, by)),
		Method: evidence.RemoveForUser, Persistence: "held", Recovery: "not-tried", WatchedDays: 2 + (i*5+int(h.Sum32()%11))%29,
	}
	v.On = s.day(build, h.Sum32()+uint32(i)*2654435761)
	for n := range 2 + i%3 {
		v.Tried = append(v.Tried, checks[(int(h.Sum32()%97)+i+n*2)%len(checks)])
	}
	lower := letter | 0x20
	if letter != lower {
		v.Persistence = "back-after-restart"
	}
	switch lower {
	case 'c':
		v.Outcome = evidence.Clean
	case 'l':
		v.Outcome, v.Function, v.Recovery, v.Note = evidence.FunctionLost, p.Lost, "put-back", "missed after a day and put back"
	case 'f':
		v.Outcome, v.Recovery, v.Note = evidence.Fault, "put-back", "something else misbehaved until it was put back"
	case 'n':
		v.Outcome, v.Recovery, v.Note = evidence.NoStart, "reset", "a lock code was set; after a restart the phone never came up"
	case 'r':
		v.Outcome, v.Persistence, v.WatchedDays, v.Note, v.Tried = evidence.Refused, "not-watched", 0, p.Words, nil
	default:
		return "", v, fmt.Errorf("%s on %s: %q is no outcome", name, build, letter)
	}
	return by, v, nil
}

// checks are what people tried afterwards.
var checks = []string{"restart", "a call", "a message", "camera", "keyboard", "wi-fi", "mobile data", "unlock", "settings"}

// day is when a trial was made: within fourteen months, on newer firmware
// later.
func (s *seeder) day(build string, chance uint32) string {
	first, days := 425, 225
	switch {
	case strings.Contains(build, "15."):
		first, days = 120, 118
	case strings.Contains(build, "14.2"):
		first, days = 280, 180
	}
	return s.today.AddDate(0, 0, -first+int(chance%uint32(days))).Format(time.DateOnly)
}
