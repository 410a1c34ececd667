package demo

import (
	"fmt"
	"log/slog"
	"strconv"
	"strings"

	"roster/core/android"
	"roster/phone"
	"roster/store"
)

// sampleReport is what a stranger told of a release.
type sampleReport struct {
	Release     string                `yaml:"release"`
	Outcome     store.ReportOutcome   `yaml:"outcome"`
	Function    string                `yaml:"function"`
	Packages    []android.PackageName `yaml:"packages"`
	Phone       string                `yaml:"phone"`
	Fingerprint string                `yaml:"fingerprint"`
	Words       string                `yaml:"words"`
	// Has is a model and a build whose packages come along.
	Has string `yaml:"has"`
}

// addReports has strangers tell what they did with releases.
func (s *seeder) addReports() error {
	for i, r := range s.sample.Reports {
		n := store.NewReport{Outcome: r.Outcome, Function: r.Function, Packages: r.Packages, Words: r.Words, Fingerprint: r.Fingerprint}
		if r.Phone != "" {
			n.Phone = s.PhoneHash("told by " + r.Phone)
		}
		if model, build, ok := strings.Cut(r.Has, " "); ok {
			scenario, err := phone.Of(World, "models/"+model+".yaml", build, "SAMPLE-told-"+model)
			if err != nil {
				return fmt.Errorf("report %d: %w", i+1, err)
			}
			if n.Capture, err = s.read(phone.New(scenario, slog.New(slog.DiscardHandler))); err != nil {
				return fmt.Errorf("report %d: %w", i+1, err)
			}
			n.Fingerprint = n.Capture.Identity.Fingerprint
		}
		if r.Release != "" {
			parts := strings.Split(r.Release, "/")
			number, err := strconv.Atoi(parts[len(parts)-1])
			if err != nil {
				return fmt.Errorf("report %d: %w", i+1, err)
			}
			release, err := s.Store.Release(s.ctx, "brannock", parts[0], parts[1], number)
			if err != nil {
				return fmt.Errorf("report %d of %s: %w", i+1, r.Release, err)
			}
			n.Release = release.ID
		}
		if _, err := s.Store.AddReport(s.ctx, n, "sample-"+strconv.Itoa(i)); err != nil {
			return fmt.Errorf("report %d: %w", i+1, err)
		}
	}
	return nil
}
