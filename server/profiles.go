package server

import (
	"context"
	"encoding/json"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/profile"
	"roster/store"
)

type composed struct {
	store.Profile
	Rules       profile.Rules       `json:"rules"`
	Composition profile.Composition `json:"composition"`
	Builds      []store.Build       `json:"builds" nullable:"false" doc:"Builds of the model that it is made from"`
	Releases    []store.ReleaseLine `json:"releases" nullable:"false" doc:"What was published of it, newest first"`
}

type composedOutput struct {
	ETag string `header:"ETag"`
	Body composed
}

type compositionOutput struct{ Body profile.Composition }

type newProfileInput struct {
	Body struct {
		Maker   string `json:"maker" minLength:"1" maxLength:"80"`
		Model   string `json:"model" minLength:"1" maxLength:"80"`
		Name    string `json:"name" minLength:"1" maxLength:"80" doc:"The edition, such as Lending desk"`
		Purpose string `json:"purpose" maxLength:"500" doc:"For whom it is, in a sentence"`
	}
}

type rulesInput struct {
	ID      uuid.UUID `path:"id"`
	IfMatch string    `header:"If-Match" required:"true"`
	Body    struct {
		Purpose string        `json:"purpose" maxLength:"500"`
		Rules   profile.Rules `json:"rules"`
	}
}

type composeInput struct {
	ID   uuid.UUID `path:"id"`
	Body profile.Rules
}

type publishInput struct {
	ID      uuid.UUID `path:"id"`
	IfMatch string    `header:"If-Match" required:"true"`
}

type publishOutput struct {
	Body struct {
		Number int    `json:"number"`
		Path   string `json:"path" doc:"Where the release's public page is"`
	}
}

// maxList bounds the lists of profiles and releases.
const maxList = 500

func (s *Server) profileRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listProfiles", Method: http.MethodGet, Path: "/api/v1/profiles", Summary: "Profiles in scope"},
		func(ctx context.Context, in *ScopeInput) (*listOutput[store.Profile], error) {
			sc, err := s.scope(ctx, *in)
			if err != nil {
				return nil, err
			}
			return listOf(s.store.Profiles(ctx, sc, maxList))
		})
	route(s, Maintainer, huma.Operation{OperationID: "addProfile", Method: http.MethodPost, Path: "/api/v1/profiles", Summary: "Make a profile for a model", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *newProfileInput) (*createdOutput, error) {
			sc, err := s.store.FindScope(ctx, in.Body.Maker, in.Body.Model, "")
			if err != nil {
				return nil, err
			}
			name := strings.TrimSpace(in.Body.Name)
			if name == "" {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Give the edition a name.")
			}
			id, err := s.store.AddProfile(ctx, sc.Model.ID, name, strings.TrimSpace(in.Body.Purpose), personOf(ctx).ID)
			return &createdOutput{created{id}}, err
		})
	route(s, Technician, huma.Operation{OperationID: "getProfile", Method: http.MethodGet, Path: "/api/v1/profiles/{id}", Summary: "A profile, composed from what is known now"},
		func(ctx context.Context, in *idInput) (*composedOutput, error) { return s.profile(ctx, in.ID) })
	route(s, Technician, huma.Operation{OperationID: "composeProfile", Method: http.MethodPost, Path: "/api/v1/profiles/{id}/composition", Summary: "What other rules would make of a profile; nothing is written"},
		func(ctx context.Context, in *composeInput) (*compositionOutput, error) {
			if err := in.Body.Check(); err != nil {
				return nil, badRequest(err)
			}
			p, err := s.store.Profile(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			c, _, err := s.compose(ctx, p, in.Body)
			return &compositionOutput{c}, err
		})
	route(s, Maintainer, huma.Operation{OperationID: "setRules", Method: http.MethodPut, Path: "/api/v1/profiles/{id}/rules", Summary: "Set a profile's rules, pins and purpose"},
		func(ctx context.Context, in *rulesInput) (*composedOutput, error) {
			revision, err := revisionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			if err := in.Body.Rules.Check(); err != nil {
				return nil, badRequest(err)
			}
			if err := s.store.SetRules(ctx, in.ID, revision, strings.TrimSpace(in.Body.Purpose), in.Body.Rules, personOf(ctx).ID); err != nil {
				return nil, err
			}
			return s.profile(ctx, in.ID)
		})
	route(s, Maintainer, huma.Operation{OperationID: "publish", Method: http.MethodPost, Path: "/api/v1/profiles/{id}/releases", Summary: "Sign and publish the next release of a profile", DefaultStatus: http.StatusCreated}, s.publish)
	route(s, Technician, huma.Operation{OperationID: "listReleases", Method: http.MethodGet, Path: "/api/v1/releases", Summary: "Releases in scope, newest first"},
		func(ctx context.Context, in *ScopeInput) (*listOutput[store.ReleaseLine], error) {
			sc, err := s.scope(ctx, *in)
			if err != nil {
				return nil, err
			}
			return listOf(s.store.Releases(ctx, sc, maxList))
		})
}

func (s *Server) compose(ctx context.Context, p store.Profile, rules profile.Rules) (profile.Composition, store.Scope, error) {
	sc, err := s.store.FindScope(ctx, p.Maker, p.Model, "")
	if err != nil {
		return profile.Composition{}, sc, err
	}
	candidates, err := s.store.Candidates(ctx, sc, string(rules.Method))
	return profile.Compose(candidates, rules), sc, err
}

func (s *Server) profile(ctx context.Context, id uuid.UUID) (*composedOutput, error) {
	p, err := s.store.Profile(ctx, id)
	if err != nil {
		return nil, err
	}
	out := &composedOutput{ETag: etagOf(p.Revision), Body: composed{Profile: p}}
	if err := json.Unmarshal(p.Rules, &out.Body.Rules); err != nil {
		return nil, err
	}
	var sc store.Scope
	if out.Body.Composition, sc, err = s.compose(ctx, p, out.Body.Rules); err != nil {
		return nil, err
	}
	if out.Body.Builds, err = s.store.Builds(ctx, p.Maker, p.Model); err != nil {
		return nil, err
	}
	all, err := s.store.Releases(ctx, sc, maxList)
	out.Body.Releases = []store.ReleaseLine{}
	for _, r := range all {
		if r.Edition == p.Slug {
			out.Body.Releases = append(out.Body.Releases, r)
		}
	}
	return out, err
}

func (s *Server) publish(ctx context.Context, in *publishInput) (*publishOutput, error) {
	revision, err := revisionOf(in.IfMatch)
	if err != nil {
		return nil, err
	}
	sign, err := Signer(ctx, s.store, s.secret)
	if err != nil {
		return nil, err
	}
	number, err := s.store.Publish(ctx, in.ID, revision, personOf(ctx), sign)
	if err != nil {
		return nil, err
	}
	p, err := s.store.Profile(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	s.log.Info("a release was published", "maker", p.Maker, "model", p.Model, "edition", p.Slug, "number", number)
	out := &publishOutput{}
	out.Body.Number, out.Body.Path = number, releasePath(p.Maker, p.Model, p.Slug, number)
	return out, nil
}
