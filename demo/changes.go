package demo

import (
	"fmt"

	"github.com/google/uuid"

	"roster/core/change"
	"roster/core/evidence"
	"roster/store"
)

// sampleChange is something that somebody sent, and what became of it.
type sampleChange struct {
	By    string       `yaml:"by"`
	Days  int          `yaml:"days"`
	Title string       `yaml:"title"`
	Words string       `yaml:"words"`
	Edits []sampleEdit `yaml:"edits"`
	Says  []struct {
		By   string `yaml:"by"`
		Edit int    `yaml:"edit"`
		Text string `yaml:"text"`
	} `yaml:"says"`
	Asks []struct {
		By    string `yaml:"by"`
		Whom  string `yaml:"whom"`
		Words string `yaml:"words"`
	} `yaml:"asks"`
	Decisions []sampleDecision `yaml:"decisions"`
	TakenBack bool             `yaml:"taken-back"`
}

// sampleDecision names edits by their place in the change, from 1.
type sampleDecision struct {
	By       string `yaml:"by"`
	Accept   []int  `yaml:"accept"`
	Return   []int  `yaml:"return"`
	TurnDown []int  `yaml:"turn-down"`
	Words    string `yaml:"words"`
}

type sampleEdit struct {
	Package   string   `yaml:"package"`
	Load      string   `yaml:"load"`
	Scope     string   `yaml:"scope"`
	Trial     string   `yaml:"trial"`
	Build     string   `yaml:"build"`
	About     string   `yaml:"about"`
	Origin    string   `yaml:"origin"`
	Aliases   []string `yaml:"aliases"`
	Countries []string `yaml:"countries"`
	Because   string   `yaml:"because"`
}

// addChanges sends the sample changes and lets the sample reviewers decide.
// All of them are sent before anybody decides, so that two that meet in one
// field conflict.
func (s *seeder) addChanges() error {
	sent := make([]sentChange, len(s.sample.Changes))
	for i, c := range s.sample.Changes {
		edits := make([]store.NewEdit, len(c.Edits))
		for j, e := range c.Edits {
			var err error
			if edits[j], err = s.sampleEdit(e, 30+j); err != nil {
				return fmt.Errorf("%s: %w", c.Title, err)
			}
		}
		var err error
		if sent[i], err = s.sendSample(c, edits); err != nil {
			return fmt.Errorf("%s: %w", c.Title, err)
		}
	}
	for i, c := range s.sample.Changes {
		if err := s.becomes(c, sent[i]); err != nil {
			return fmt.Errorf("%s: %w", c.Title, err)
		}
	}
	return nil
}

type sentChange struct {
	id    uuid.UUID
	edits []uuid.UUID
}

func (s *seeder) sendSample(c sampleChange, edits []store.NewEdit) (sentChange, error) {
	by := s.people[c.By].ID
	ids, _, err := s.Store.AddEdits(s.ago(c.Days), by, edits)
	if err != nil {
		return sentChange{}, err
	}
	id, err := s.Store.Send(s.ago(c.Days), by, store.Sending{Title: c.Title, Words: c.Words, Edits: ids})
	return sentChange{id, ids}, err
}

func (s *seeder) sampleEdit(e sampleEdit, place int) (store.NewEdit, error) {
	switch {
	case e.Load != "":
		return s.edit(e.Package, change.Load, s.scope(e.Scope), change.LoadValue{Load: evidence.Load(e.Load)}, e.Because)
	case e.Trial != "":
		_, v, err := s.trial(e.Package, e.Build, place, rune(e.Trial[0]), s.sample.Packages[e.Package])
		if err != nil {
			return store.NewEdit{}, err
		}
		return s.edit(e.Package, change.Trial, everywhere, v, e.Because)
	case e.Origin != "":
		return s.edit(e.Package, change.Origin, everywhere, e.Origin, e.Because)
	case e.Aliases != nil:
		return s.edit(e.Package, change.Aliases, everywhere, e.Aliases, e.Because)
	case e.Countries != nil:
		return s.edit(e.Package, change.Countries, everywhere, e.Countries, e.Because)
	}
	return s.edit(e.Package, change.Description, everywhere, e.About, e.Because)
}

// becomes lets people talk about a change and decide.
func (s *seeder) becomes(c sampleChange, sent sentChange) error {
	_, edits, err := s.Store.Change(s.ctx, uuid.Nil, sent.id)
	if err != nil {
		return err
	}
	threads := map[uuid.UUID]uuid.UUID{}
	for _, e := range edits {
		threads[e.ID] = e.Thread
	}
	for _, x := range c.Says {
		thread := threads[sent.edits[x.Edit-1]]
		if _, err := s.Store.Comment(s.ago(c.Days-1), s.people[x.By].ID, sent.id, &thread, x.Text); err != nil {
			return err
		}
	}
	for _, x := range c.Asks {
		if err := s.Store.Ask(s.ago(c.Days-1), s.people[x.By].ID, sent.id, s.people[x.Whom].ID, x.Words); err != nil {
			return err
		}
	}
	for i, x := range c.Decisions {
		var list []store.Decision
		for verdict, places := range map[change.State][]int{change.Accepted: x.Accept, change.Returned: x.Return, change.TurnedDown: x.TurnDown} {
			for _, place := range places {
				d := store.Decision{Edit: sent.edits[place-1], Verdict: verdict}
				if verdict != change.Accepted {
					d.Words = x.Words
				}
				list = append(list, d)
			}
		}
		if err := s.Store.Decide(s.ago(c.Days-1-i), s.people[x.By].ID, sent.id, i+1, list); err != nil {
			return err
		}
	}
	if c.TakenBack {
		if err := s.Store.TakeBack(s.ago(c.Days-1), s.people[c.By].ID, sent.id); err != nil {
			return err
		}
		// What came back into the tray is thrown away.
		tray, err := s.Store.Tray(s.ctx, s.people[c.By].ID)
		if err != nil {
			return err
		}
		for _, e := range tray {
			if err := s.Store.RemoveEdit(s.ctx, s.people[c.By].ID, e.ID); err != nil {
				return err
			}
		}
	}
	return nil
}
