package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"go.yaml.in/yaml/v3"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/people"
	"roster/phone"
	"roster/store"
)

// password of all sample people. It is no secret: the demo prints it.
const password = "lend-a-phone"

// SignIn is a sample person whose password is no secret.
type SignIn struct {
	Login, Password string
	Role            people.Role
}

// SignIns are the sample people to try, one for each role.
func SignIns() []SignIn {
	var list []SignIn
	for _, role := range people.Roles {
		list = append(list, SignIn{string(role), password, role})
	}
	return list
}

// Installation is what is to be filled, with the keys that it works with.
type Installation struct {
	Store        *store.Store
	HashPassword func(password string) (string, error)
	PhoneHash    func(serial string) string
	// Signer returns what signs releases.
	Signer func(context.Context) (store.Sign, error)
}

// sample is the file people-and-evidence.yaml.
type sample struct {
	People []struct {
		Login string      `yaml:"login"`
		Name  string      `yaml:"name"`
		Role  people.Role `yaml:"role"`
	} `yaml:"people"`
	Packages map[string]said `yaml:"packages"`
	Changes  []sampleChange  `yaml:"changes"`
	Profiles []sampleProfile `yaml:"profiles"`
	Runs     []sampleRun     `yaml:"runs"`
	// Measured are phones that were measured, in runs and without.
	Measured []sampleMeasured `yaml:"measured"`
	Reports  []sampleReport   `yaml:"reports"`
}

// seeder fills one empty installation.
type seeder struct {
	Installation
	ctx    context.Context
	sample sample
	people map[string]store.Person
	builds map[string]uuid.UUID // by "model version", as in the sample's file
	models map[string]uuid.UUID
	makers map[string]uuid.UUID // by slug
	labels map[string]map[string]string
	today  time.Time
}

// Seed fills a database that has no people yet with the sample world. Captures
// are read from what stand-in phones answer; everything else goes the way of
// any other edit: through somebody's tray and a reviewer.
func Seed(ctx context.Context, in Installation) error {
	n, err := in.Store.CountPeople(ctx)
	if err != nil || n > 0 {
		return err
	}
	return fill(ctx, in, (*seeder).setRules)
}

// Fill does what Seed does in an installation that has people, and nothing else.
// Its rules stay as they are; who is called like somebody of the sample world does
// what that one does there.
func Fill(ctx context.Context, in Installation) error {
	return fill(ctx, in, func(*seeder) error { return nil })
}

func fill(ctx context.Context, in Installation, rules func(*seeder) error) error {
	s := &seeder{Installation: in, ctx: ctx, people: map[string]store.Person{}, builds: map[string]uuid.UUID{}, models: map[string]uuid.UUID{}, makers: map[string]uuid.UUID{}, labels: map[string]map[string]string{}, today: time.Now()}
	raw, err := fs.ReadFile(World, "people-and-evidence.yaml")
	if err != nil {
		return err
	}
	d := yaml.NewDecoder(bytes.NewReader(raw))
	d.KnownFields(true)
	if err := d.Decode(&s.sample); err != nil {
		return fmt.Errorf("people-and-evidence.yaml: %w", err)
	}
	for _, step := range []func() error{
		s.addPeople, func() error { return rules(s) }, s.addCaptures, s.addNames, s.addSaid, s.addProfiles, s.addChanges,
		s.addBench, s.addMeasured, s.addRuns, s.addReports, s.readOldNews,
	} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

func (s *seeder) addPeople() error {
	hash, err := s.HashPassword(password)
	if err != nil {
		return err
	}
	for _, p := range s.sample.People {
		person, _, err := s.Store.PasswordHash(s.ctx, p.Login)
		if errors.Is(err, store.ErrNotFound) {
			person, err = s.Store.AddPerson(s.ago(began), p.Login, p.Name, p.Role, hash)
		}
		if err != nil {
			return err
		}
		s.people[p.Login] = person
	}
	return nil
}

// readOldNews has everybody know what they were told long ago.
func (s *seeder) readOldNews() error {
	for _, p := range s.people {
		if err := s.Store.ReadNotices(s.ctx, p.ID, s.today.AddDate(0, 0, -10)); err != nil {
			return err
		}
	}
	return nil
}

// setRules lets technicians have benches connect to stand-ins, which are on this
// computer.
func (s *seeder) setRules() error {
	rules := store.DefaultInstallationRules
	rules.BenchNetworks = []string{"127.0.0.0/8"}
	return s.Store.SetInstallationRules(s.ctx, s.people["keeper"].ID, 0, rules)
}

// addCaptures captures one phone of every build of every model.
func (s *seeder) addCaptures() error {
	files, err := fs.Glob(World, "models/*.yaml")
	if err != nil {
		return err
	}
	for _, file := range files {
		model, err := phone.LoadModel(World, file)
		if err != nil {
			return err
		}
		slug := strings.TrimSuffix(strings.TrimPrefix(file, "models/"), ".yaml")
		for _, b := range model.Builds {
			if b.Arrives {
				continue // nobody has it yet: see the phone on the desk
			}
			scenario, err := phone.Of(World, file, b.Key(), "SAMPLE-"+slug+"-"+b.Key())
			if err != nil {
				return err
			}
			if err := s.capture(scenario, slug+" "+b.Key(), s.captured(b.Patch)); err != nil {
				return fmt.Errorf("%s %s: %w", file, b.Key(), err)
			}
		}
		sc, err := s.Store.FindScope(s.ctx, store.Slug(model.Manufacturer), store.Slug(model.Name), "")
		if err != nil {
			return err
		}
		s.models[slug], s.makers[sc.Maker.Slug] = sc.Model.ID, sc.Maker.ID
	}
	return nil
}

// began is how many days ago the library began to keep its list.
const began = 425

// captured is when the library had the first phone with a firmware: some weeks
// after its security patch, but not before it began to keep its list.
func (s *seeder) captured(patch string) time.Time {
	at, err := time.Parse(time.DateOnly, patch)
	if first := s.today.AddDate(0, 0, -began); err != nil || at.Before(first) {
		return first
	}
	if at = at.AddDate(0, 0, 23); at.After(s.today) {
		return s.today
	}
	return at
}

func (s *seeder) capture(scenario *phone.Scenario, key string, at time.Time) error {
	p := phone.New(scenario, slog.New(slog.DiscardHandler))
	capture, err := s.read(p)
	if err != nil {
		return err
	}
	for _, spec := range scenario.Packages {
		if spec.Label != "" {
			s.labels[spec.Name] = map[string]string{"en": spec.Label}
			for lang, label := range spec.Labels {
				s.labels[spec.Name][lang] = label
			}
		}
	}
	sum, err := s.Store.AddCapture(s.ctx, store.NewCapture{Capture: capture, Phone: s.PhoneHash(scenario.Serial), Person: s.people["ines"].ID, Source: "file", At: at})
	s.builds[key] = sum.BuildID
	return err
}

// edit makes a tray edit of a value.
func (s *seeder) edit(name string, field change.Field, scope catalog.Scope, value any, reason string) (store.NewEdit, error) {
	p, err := s.Store.Package(s.ctx, name)
	if err != nil {
		return store.NewEdit{}, fmt.Errorf("%s: %w", name, err)
	}
	raw, err := json.Marshal(value)
	if err != nil {
		return store.NewEdit{}, err
	}
	if err := change.Check(field, scope, raw); err != nil {
		return store.NewEdit{}, fmt.Errorf("%s: %w", name, err)
	}
	return store.NewEdit{Package: p.ID, Field: field, Scope: scope, Value: raw, Reason: reason}, nil
}

// ago is what was done so many days ago, in the middle of the day.
func (s *seeder) ago(days int) context.Context {
	at := s.today.AddDate(0, 0, -days).Truncate(24 * time.Hour).Add(13 * time.Hour)
	if at.After(s.today) {
		at = s.today
	}
	return store.At(s.ctx, at)
}

// accepted sends a change so many days ago and lets reviewers accept all of it
// the day after.
func (s *seeder) accepted(by, title string, edits []store.NewEdit, days int) error {
	if len(edits) == 0 {
		return nil
	}
	ids, _, err := s.Store.AddEdits(s.ago(days), s.people[by].ID, edits)
	if err != nil {
		return err
	}
	id, err := s.Store.Send(s.ago(days), s.people[by].ID, store.Sending{Title: title, Edits: ids})
	if err != nil {
		return err
	}
	return s.accept(id, ids, days-1)
}

// accept lets reviewers accept edits until the rules are content.
func (s *seeder) accept(id uuid.UUID, ids []uuid.UUID, days int) error {
	open := map[uuid.UUID]bool{}
	for _, e := range ids {
		open[e] = true
	}
	c, _, err := s.Store.Change(s.ctx, uuid.Nil, id)
	for _, by := range []string{"reviewer", "second", "maintainer"} {
		if err != nil || len(open) == 0 {
			break
		}
		if s.people[by].ID == c.AuthorID {
			continue
		}
		var decisions []store.Decision
		for _, e := range ids {
			if open[e] {
				decisions = append(decisions, store.Decision{Edit: e, Verdict: "accepted"})
			}
		}
		if err = s.Store.Decide(s.ago(days), s.people[by].ID, id, c.Revision, decisions); err != nil {
			break
		}
		var edits []store.Edit
		if c, edits, err = s.Store.Change(s.ctx, uuid.Nil, id); err != nil {
			break
		}
		clear(open)
		for _, e := range edits {
			open[e.ID] = e.State == "open" && slices.Contains(ids, e.ID)
			if !open[e.ID] {
				delete(open, e.ID)
			}
		}
	}
	return err
}

var everywhere = catalog.Scope{Kind: catalog.Everywhere}

func (s *seeder) addNames() error {
	var edits []store.NewEdit
	for _, name := range sorted(s.labels) {
		e, err := s.edit(name, change.Labels, everywhere, s.labels[name], "as the phone shows it")
		if err != nil {
			return err
		}
		edits = append(edits, e)
	}
	return s.accepted("ines", "Names as the phones show them", edits, began-1)
}

// scope is what a grade of the sample evidence holds for: all of it is about
// the Lyra 5 and its maker.
func (s *seeder) scope(kind string) catalog.Scope {
	switch kind {
	case "model":
		return catalog.Scope{Kind: catalog.OfModel, ID: s.models["lyra-5"].String()}
	case "maker":
		return catalog.Scope{Kind: catalog.OfMaker, ID: s.makers["brannock"].String()}
	}
	return everywhere
}

func sorted[V any](m map[string]V) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}
