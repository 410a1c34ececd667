package demo

import (
	"fmt"
	"log/slog"
	"time"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/profile"
	"roster/core/run"
	"roster/phone"
	"roster/store"
)

// sampleMeasured are phones on which a release was run to measure what it brings, and
// then put back; or that were measured as they are, where there is no release.
type sampleMeasured struct {
	Release string `yaml:"release"`
	// Build is their firmware, the version alone.
	Build string `yaml:"build"`
	// Phones says how many, and Serial how their serial numbers begin.
	Phones int    `yaml:"phones"`
	Serial string `yaml:"serial"`
	// By measured them by turns, from so many days ago.
	By   []string `yaml:"by"`
	Days int      `yaml:"days"`
}

// lay is for how long a phone lies there after a start until it is measured, and on
// for how many more minutes each further one does.
const lay, more = 100 * time.Minute, 7

// addMeasured measures stand-ins that are thrown away afterwards: what a phone uses
// before and after is what it answers.
func (s *seeder) addMeasured() error {
	for _, m := range s.sample.Measured {
		if err := s.addMeasuredOf(m); err != nil {
			return fmt.Errorf("measured with %q: %w", m.Release, err)
		}
	}
	return nil
}

func (s *seeder) addMeasuredOf(m sampleMeasured) error {
	group := measuredGroup{seeder: s}
	if m.Release != "" {
		if err := group.find(m.Release, s.builds["lyra-5 "+m.Build]); err != nil {
			return err
		}
	}
	for i := range m.Phones {
		serial := fmt.Sprintf("%s%02d", m.Serial, i)
		scenario, err := phone.Of(World, "models/lyra-5.yaml", m.Build, serial)
		if err != nil {
			return err
		}
		p := phone.New(scenario, slog.New(slog.DiscardHandler))
		by, at := s.people[m.By[i%len(m.By)]].ID, s.today.AddDate(0, 0, i/3-m.Days)
		if m.Release == "" {
			measured := s.measure(p, i)
			err = s.Store.AddMeasurement(s.ctx, store.NewMeasurement{
				Phone: s.PhoneHash(serial), Build: s.builds["lyra-5 "+m.Build], Person: by, At: at, Measured: &measured,
			})
		} else {
			err = group.run(p, i, serial, by, at)
		}
		if err != nil {
			return err
		}
	}
	return s.Store.CountMeasured(s.ctx, s.PhoneHash(m.Serial+"00"))
}

// measure lets a stand-in lie for a while and asks it what it uses.
func (s *seeder) measure(p *phone.Phone, i int) android.Measurement {
	p.Pass(lay + time.Duration(i%5)*more*time.Minute)
	m := android.ReadMeasurement(string(p.Ask(s.ctx, android.MeasureQuestion())))
	m.ReadOpenings(string(p.Ask(s.ctx, android.OpeningsQuestion())))
	return m
}

// measuredGroup are phones on which the same is run. They are alike but for what they
// use, so that what the first shows is what the others do.
type measuredGroup struct {
	*seeder
	release store.Release
	of      uuid.UUID
	d       *profile.Document
	build   uuid.UUID
	capture uuid.UUID
	shown   map[string]*run.Seen
}

// find finds the release, and the capture that the runs are rehearsed on.
func (g *measuredGroup) find(path string, build uuid.UUID) (err error) {
	if g.release, g.of, g.d, err = g.releaseAt(path); err != nil {
		return err
	}
	captured, err := g.Store.PhonesOn(g.ctx, build, 1)
	if err != nil {
		return err
	}
	if len(captured) == 0 {
		return fmt.Errorf("nobody has captured the build")
	}
	g.build, g.capture, g.shown = build, captured[0].CaptureID, map[string]*run.Seen{}
	return nil
}

// carried is a run on a phone of the group.
func (g *measuredGroup) carried(id uuid.UUID, p *phone.Phone, i, attempt int, mark string) carrying {
	c := g.seeder.carried(id, p, attempt, mark)
	c.measure = func() android.Measurement { return g.measure(p, i) }
	c.see = func(after string) (seen *run.Seen, err error) {
		key := fmt.Sprintf("attempt %d %s", attempt, after)
		if g.shown[key] == nil {
			if g.shown[key], err = g.see(p); err != nil {
				return nil, err
			}
		}
		return g.shown[key], nil
	}
	return c
}

// run runs the release on a phone, measured before and after, and puts it back.
func (g *measuredGroup) run(p *phone.Phone, i int, serial string, by uuid.UUID, at time.Time) error {
	mark := g.PhoneHash(serial)
	id, err := g.Store.StartRun(g.late(), store.NewRun{
		Profile: g.of, Release: &g.release.ID, Document: g.d, Build: g.build, Capture: g.capture, Phone: mark,
		Name: g.release.ModelName, Form: g.d.Model.Form, Bench: frontRoom, Person: by,
		Choices: chosen(true),
	})
	if err != nil {
		return err
	}
	if err := g.carryOut(g.carried(id, p, i, 1, mark)); err != nil {
		return err
	}
	attempt, err := g.Store.ResumeRun(g.late(), id, by, store.Resume{Undo: true, Bench: frontRoom})
	if err == nil {
		err = g.carryOut(g.carried(id, p, i, attempt, mark))
	}
	if err != nil {
		return err
	}
	return g.Store.DateRun(g.ctx, id, at)
}
