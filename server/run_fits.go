package server

import (
	"context"
	"fmt"
	"slices"

	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/run"
	"roster/core/wording"
)

type fitsInput struct {
	ID     uuid.UUID `path:"id"`
	Handle string    `path:"handle" maxLength:"64"`
}

// fitting is a release or a draft that could be run on a phone.
type fitting struct {
	Release *uuid.UUID `json:"release,omitempty"`
	Profile uuid.UUID  `json:"profile"`
	Title   string     `json:"title"`
	Number  int        `json:"number" doc:"0 for a draft"`
	Purpose string     `json:"purpose"`
	Fit     run.Fit    `json:"fit" enum:"proven,same-model,not-made"`
	Why     string     `json:"why"`
	Goes    int        `json:"goes"`
	Root    int        `json:"root" doc:"Packages that are taken out of the image, for which the phone needs root"`
	Own     *run.Own   `json:"own,omitempty"`
}

// fits lists what could be run on a phone.
func (s *Server) fits(ctx context.Context, in *fitsInput) (*listOutput[fitting], error) {
	p, err := s.phoneOn(ctx, in.ID, in.Handle)
	if err != nil {
		return nil, err
	}
	id := android.Identity{Manufacturer: p.Maker, Device: p.Device, Fingerprint: p.Fingerprint}
	releases, profiles, err := s.store.Runnable(ctx, p.Maker, p.Device, maxList)
	if err != nil {
		return nil, err
	}
	out := []fitting{}
	ids := []uuid.UUID{}
	for _, r := range releases {
		d, err := profile.ParseDocument(r.Document)
		if err != nil {
			return nil, fmt.Errorf("release %s: %w", r.ID, err)
		}
		f := fitting{Release: &r.ID, Profile: r.ProfileID, Title: d.Edition.Name, Number: d.Number, Purpose: d.Edition.Purpose, Goes: len(d.Removals())}
		f.Fit, f.Why = run.Fits(d, id)
		for _, s := range d.Removals() {
			if s.Method == evidence.RemoveFromImage {
				f.Root++
			}
		}
		if f.Root > 0 {
			f.Why += "; " + wording.Count(f.Root, "package goes", "packages go") + " out of the image, which needs root"
		}
		ids = append(ids, r.ID)
		out = append(out, f)
	}
	own, err := s.store.OwnFigures(ctx, ids)
	if err != nil {
		return nil, err
	}
	marks, err := s.store.NotFor(ctx, ids)
	if err != nil {
		return nil, err
	}
	for i := range out {
		for _, n := range marks[*out[i].Release] {
			if n.Fingerprint == p.Fingerprint {
				out[i].Fit, out[i].Why = run.NotMade, "it is marked as not for "+n.Name()+": "+n.Why
			}
		}
		o := own[*out[i].Release]
		out[i].Own = &o
		if o.Phones > 0 && o.Harmed == 0 && out[i].Fit == run.SameModel {
			out[i].Why += "; run on " + wording.Count(o.Phones, "phone") + " without harm"
		}
	}
	for _, p := range profiles {
		out = append(out, fitting{Profile: p.ID, Title: p.Name, Purpose: p.Purpose, Fit: run.SameModel, Why: "a draft: nobody has published it as it is"})
	}
	rank := map[run.Fit]int{run.ProvenHere: 0, run.SameModel: 1, run.NotMade: 2}
	slices.SortStableFunc(out, func(a, b fitting) int {
		if a.Fit != b.Fit {
			return rank[a.Fit] - rank[b.Fit]
		}
		if (a.Root == 0) != (b.Root == 0) { // what any phone can do stands first
			return min(a.Root, 1) - min(b.Root, 1)
		}
		if (a.Number == 0) != (b.Number == 0) {
			return map[bool]int{true: 1, false: -1}[a.Number == 0]
		}
		return 0
	})
	return listOf(out, nil)
}
