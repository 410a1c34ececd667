package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/store"
)

// HeldInput names a release and a build.
type HeldInput struct {
	ID    uuid.UUID `path:"id" doc:"The release"`
	Build uuid.UUID `path:"build"`
}

// held is a release on a build, with what a new draft would make of it.
type held struct {
	Release  store.ReleaseLine   `json:"release"`
	Build    store.BuildCover    `json:"build"`
	Hold     store.Hold          `json:"hold"`
	Since    *uuid.UUID          `json:"since,omitempty" doc:"The build before it in its edition"`
	Profile  uuid.UUID           `json:"profile"`
	Revision int                 `json:"revision" doc:"Of the profile, for making the draft"`
	Redraft  *profile.Redraft    `json:"redraft,omitempty" doc:"What a new draft would be; none for a release that is not current"`
	Plan     []evidence.Proof    `json:"plan" nullable:"false" doc:"The fewest phones of the build that would prove the draft there"`
	Ceiling  float64             `json:"ceiling" doc:"What the plan brings every ceiling down to"`
	Wanted   *store.WantedTrials `json:"wanted,omitempty" doc:"What technicians are asked to try"`
}

type heldOutput struct{ Body held }

type liftInput struct {
	HeldInput
	Body struct {
		Why string `json:"why" minLength:"1" maxLength:"1000" doc:"Why it may run there all the same; everybody is shown this"`
	}
}

type redraftInput struct {
	HeldInput
	IfMatch string `header:"If-Match" required:"true"`
	Body    struct {
		Want bool `json:"want" doc:"Ask technicians who have such phones for the trials that prove it"`
	}
}

type redraftedOutput struct {
	ETag string `header:"ETag"`
	Body struct {
		Profile uuid.UUID  `json:"profile"`
		Pinned  []string   `json:"pinned" nullable:"false"`
		Wanted  *uuid.UUID `json:"wanted,omitempty"`
	}
}

type wantedOutput struct{ Body wantedBody }

// wantedBody is what technicians are asked to try, with how far it is.
type wantedBody struct {
	store.WantedTrials
	Plan []evidence.Proof `json:"plan" nullable:"false"`
}

// holdRoutes are about how a release stands on a build, and what follows.
func (s *Server) holdRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getHold", Method: http.MethodGet, Path: "/api/v1/releases/{id}/builds/{build}", Summary: "How a release stands on a build, and what a new draft would make of it"},
		func(ctx context.Context, in *HeldInput) (*heldOutput, error) {
			h, err := s.held(ctx, *in)
			return &heldOutput{h}, err
		})
	route(s, Maintainer, huma.Operation{OperationID: "liftHold", Method: http.MethodPost, Path: "/api/v1/releases/{id}/builds/{build}/lift", Summary: "Say that a release may run on a build where it would stop something, and why", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *liftInput) (*struct{}, error) {
			why := strings.TrimSpace(in.Body.Why)
			if why == "" {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Say why, for everybody who is going to run it there.")
			}
			defer s.press.forget()
			return nil, s.store.Lift(ctx, in.ID, in.Build, personOf(ctx).ID, why)
		})
	route(s, Maintainer, huma.Operation{OperationID: "redraft", Method: http.MethodPost, Path: "/api/v1/releases/{id}/builds/{build}/draft", Summary: "Draw the release's profile anew for a build"}, s.redraft)
	route(s, Technician, huma.Operation{OperationID: "getWanted", Method: http.MethodGet, Path: "/api/v1/wanted/{id}", Summary: "What technicians are asked to try on a build"},
		func(ctx context.Context, in *idInput) (*wantedOutput, error) {
			w, err := s.store.Wanted(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			plan, err := s.plan(ctx, w.BuildID, w.Method, w.Packages, w.Ceiling)
			return &wantedOutput{wantedBody{w, plan}}, err
		})
	route(s, Maintainer, huma.Operation{OperationID: "closeWanted", Method: http.MethodDelete, Path: "/api/v1/wanted/{id}", Summary: "Ask for it no longer", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.CloseWanted(ctx, in.ID, personOf(ctx).ID)
		})
}

func (s *Server) held(ctx context.Context, in HeldInput) (held, error) {
	out := held{Plan: []evidence.Proof{}}
	r, err := s.store.ReleaseByID(ctx, in.ID)
	if err != nil {
		return out, err
	}
	out.Release = r.ReleaseLine
	if out.Build, err = s.store.BuildCoverOf(ctx, in.Build); err != nil {
		return out, err
	}
	holds, err := s.store.HoldsOn(ctx, []uuid.UUID{in.Build}, []uuid.UUID{in.ID})
	if err != nil {
		return out, err
	}
	if len(holds) == 0 {
		return out, fmt.Errorf("the release on that build: %w", store.ErrNotFound)
	}
	out.Hold, out.Profile = holds[0], r.ProfileID
	arrivals, err := s.store.Arrivals(ctx, []uuid.UUID{in.Build})
	if err != nil {
		return out, err
	}
	out.Since = arrivals[in.Build].SinceID
	if out.Wanted, err = s.store.WantedFor(ctx, r.ProfileID, in.Build); err != nil || r.State != "current" {
		return out, err
	}
	d, rules, p, err := s.redrawn(ctx, r, in.Build, arrivals[in.Build].Summary.Renamed)
	if err != nil {
		return out, err
	}
	out.Redraft, out.Revision, out.Ceiling = d, p.Revision, rules.HighestCeiling
	names := make([]string, len(d.Prove))
	for i, n := range d.Prove {
		names[i] = string(n)
	}
	out.Plan, err = s.plan(ctx, in.Build, rules.Method, names, rules.HighestCeiling)
	return out, err
}

// redrawn is what a new draft of a release's profile would be on a build, and
// the rules that would make it.
func (s *Server) redrawn(ctx context.Context, r store.Release, build uuid.UUID, renamed []catalog.Renamed) (*profile.Redraft, profile.Rules, store.Profile, error) {
	p, err := s.store.Profile(ctx, r.ProfileID)
	if err != nil {
		return nil, profile.Rules{}, p, err
	}
	rules, err := profile.ParseRules(p.Rules)
	if err != nil {
		return nil, rules, p, err
	}
	d, err := profile.ParseDocument(r.Document)
	if err != nil {
		return nil, rules, p, err
	}
	fingerprint, err := s.store.Fingerprint(ctx, build)
	if err != nil {
		return nil, rules, p, err
	}
	rules, said := profile.RulesFor(rules, d, fingerprint, renamed)
	basis, err := s.store.Basis(ctx, p, rules)
	if err != nil {
		return nil, rules, p, err
	}
	drawn := profile.Redraw(d, basis, rules, said, fingerprint)
	return &drawn, rules, p, nil
}

// plan is the fewest phones of a build that prove packages there.
func (s *Server) plan(ctx context.Context, build uuid.UUID, method evidence.Method, names []string, ceiling float64) ([]evidence.Proof, error) {
	list, err := s.store.Unsettled(ctx, build, method, names)
	if err != nil {
		return nil, err
	}
	return evidence.Prove(list, ceiling), nil
}

// redraft draws a release's profile anew for a build: it claims it, takes what
// has another name by that, and asks for the trials that would prove it.
func (s *Server) redraft(ctx context.Context, in *redraftInput) (*redraftedOutput, error) {
	revision, err := revisionOf(in.IfMatch)
	if err != nil {
		return nil, err
	}
	r, err := s.store.ReleaseByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if r.State != "current" {
		return nil, problem(http.StatusConflict, "not-open", "This release is not current: draw its profile from the one that is.")
	}
	arrivals, err := s.store.Arrivals(ctx, []uuid.UUID{in.Build})
	if err != nil {
		return nil, err
	}
	d, rules, p, err := s.redrawn(ctx, r, in.Build, arrivals[in.Build].Summary.Renamed)
	if err != nil {
		return nil, err
	}
	out := &redraftedOutput{}
	out.Body.Profile, out.Body.Pinned = p.ID, d.Pinned
	if p.Revision != revision {
		return nil, store.ErrStale
	}
	person := personOf(ctx).ID
	if len(d.Pinned) > 0 {
		var sisters []uuid.UUID
		for _, m := range p.Sisters {
			sisters = append(sisters, m.ID)
		}
		if err := s.store.SetRules(ctx, p.ID, revision, p.Purpose, sisters, rules, person); err != nil {
			return nil, err
		}
		revision++
	}
	out.ETag = etagOf(revision)
	if in.Body.Want && len(d.Unproven) > 0 {
		names := make([]string, len(d.Unproven))
		for i, n := range d.Unproven {
			names[i] = string(n)
		}
		id, err := s.store.WantTrials(ctx, p.ID, in.Build, rules.Method, rules.HighestCeiling, names, person)
		if err != nil {
			return nil, err
		}
		out.Body.Wanted = &id
	}
	return out, nil
}
