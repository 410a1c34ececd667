package demo

import (
	"fmt"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/store"
)

// sampleProfile is a profile with what was published of it.
type sampleProfile struct {
	Model   string   `yaml:"model"`
	Sisters []string `yaml:"sisters"`
	Name    string   `yaml:"name"`
	Purpose string   `yaml:"purpose"`
	Keep    []string `yaml:"keep"`
	Disable []string `yaml:"disable"`
	// FromImage are the loads whose packages go from the image.
	FromImage []string `yaml:"fromImage"`
	Pins      []struct {
		Package string `yaml:"package"`
		Goes    bool   `yaml:"goes"`
		Method  string `yaml:"method"`
		Because string `yaml:"because"`
	} `yaml:"pins"`
	Extras []struct {
		Kind    string `yaml:"kind"`
		Package string `yaml:"package"`
		Label   string `yaml:"label"`
		Role    string `yaml:"role"`
		Setting string `yaml:"setting"`
		Value   string `yaml:"value"`
		Seconds int    `yaml:"seconds"`
		Why     string `yaml:"why"`
		Signer  string `yaml:"signer"`
		From    string `yaml:"from"`
	} `yaml:"extras"`
	Ceiling  float64         `yaml:"ceiling"`
	Releases []sampleRelease `yaml:"releases"`
	// Asked is the change log of a publication that waits.
	Asked string `yaml:"asked"`
}

// sampleRelease is what was published some days ago, with the ceiling that the
// cut line stood at then, and perhaps withdrawn some days ago.
type sampleRelease struct {
	Ceiling   float64 `yaml:"ceiling"`
	Log       string  `yaml:"log"`
	Days      int     `yaml:"days"`
	Withdrawn string  `yaml:"withdrawn"`
	Gone      int     `yaml:"gone"`
}

func (p sampleProfile) rules(ceiling float64) profile.Rules {
	rules := profile.DefaultRules
	rules.HighestCeiling, rules.Keep = ceiling, p.Keep
	rules.Methods = map[evidence.Load]evidence.Method{}
	for _, load := range p.Disable {
		rules.Methods[evidence.Load(load)] = evidence.Disable
	}
	for _, load := range p.FromImage {
		rules.Methods[evidence.Load(load)] = evidence.RemoveFromImage
	}
	if len(rules.Methods) == 0 {
		rules.Methods = nil
	}
	rules.Pins = []profile.Pin{}
	for _, pin := range p.Pins {
		rules.Pins = append(rules.Pins, profile.Pin{Package: android.PackageName(pin.Package), Goes: pin.Goes,
			Method: evidence.Method(pin.Method), Reason: pin.Because})
	}
	for _, e := range p.Extras {
		extra := profile.Extra{Kind: profile.StepKind(e.Kind), Package: android.PackageName(e.Package), Label: e.Label, Role: e.Role, Seconds: e.Seconds, Why: e.Why}
		if e.Setting != "" {
			extra.Namespace, extra.Key, extra.Value = "global", e.Setting, e.Value
		}
		if e.Signer != "" {
			extra.File = &profile.FilePin{Signer: e.Signer, From: e.From}
		}
		rules.Extras = append(rules.Extras, extra)
	}
	return rules
}

// addProfiles makes the sample profiles: the maintainer asks, the keeper
// publishes.
func (s *seeder) addProfiles() error {
	for _, p := range s.sample.Profiles {
		if err := s.addProfile(p); err != nil {
			return fmt.Errorf("profile %s of %s: %w", p.Name, p.Model, err)
		}
	}
	return nil
}

func (s *seeder) addProfile(p sampleProfile) error {
	n := store.NewProfile{Model: s.models[p.Model], Name: p.Name, Purpose: p.Purpose, Rules: p.rules(p.Ceiling)}
	for _, sister := range p.Sisters {
		n.Sisters = append(n.Sisters, s.models[sister])
	}
	if err := n.Rules.Check(); err != nil {
		return err
	}
	maintainer := s.people["maintainer"].ID
	id, err := s.Store.AddProfile(s.ctx, n, maintainer)
	if err != nil {
		return err
	}
	revision := 1
	for i, r := range p.Releases {
		if err := s.Store.SetRules(s.ago(r.Days+1), id, revision, p.Purpose, n.Sisters, p.rules(r.Ceiling), maintainer); err != nil {
			return err
		}
		if err := s.release(id, revision+1, r); err != nil {
			return fmt.Errorf("release %d: %w", i+1, err)
		}
		revision += 2
		if r.Withdrawn == "" {
			continue
		}
		list, err := s.Store.ReleasesOf(s.ctx, id, 1)
		if err != nil {
			return err
		}
		if err := s.Store.Withdraw(s.ctx, list[0].ID, r.Withdrawn, maintainer, s.today.AddDate(0, 0, -r.Gone)); err != nil {
			return err
		}
	}
	if len(p.Releases) > 0 {
		if err := s.Store.SetRules(s.ctx, id, revision, p.Purpose, n.Sisters, n.Rules, maintainer); err != nil {
			return err
		}
		revision++
	}
	if p.Asked != "" {
		_, err = s.Store.AskPublication(s.ago(1), id, revision, []string{p.Asked}, "", maintainer)
	}
	return err
}

func (s *seeder) release(id uuid.UUID, revision int, r sampleRelease) error {
	sign, err := s.Signer(s.ctx)
	if err != nil {
		return err
	}
	asked, err := s.Store.AskPublication(s.ago(r.Days+1), id, revision, []string{r.Log}, "", s.people["maintainer"].ID)
	if err != nil {
		return err
	}
	_, err = s.Store.DecidePublication(s.ago(r.Days), asked, s.people["keeper"], store.Verdict{State: "published", At: s.today.AddDate(0, 0, -r.Days)}, sign)
	return err
}
