package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/profile"
	"roster/store"
)

type composed struct {
	store.Profile
	Rules        profile.Rules       `json:"rules"`
	Composition  profile.Composition `json:"composition"`
	Releases     []store.ReleaseLine `json:"releases" nullable:"false" doc:"What was published of it, newest first"`
	Publications []store.Publication `json:"publications" nullable:"false" doc:"What was asked to be published, newest first"`
}

type composedOutput struct {
	ETag string `header:"ETag"`
	Body composed
}

type compositionOutput struct{ Body profile.Composition }

type newProfileInput struct {
	Body struct {
		Maker   string      `json:"maker" minLength:"1" maxLength:"80"`
		Model   string      `json:"model" minLength:"1" maxLength:"80"`
		Sisters []uuid.UUID `json:"sisters,omitempty" maxItems:"50" doc:"Other models of the maker that it is for, too"`
		Name    string      `json:"name" minLength:"1" maxLength:"80" doc:"The edition, such as Lending desk"`
		Purpose string      `json:"purpose" maxLength:"500" doc:"For whom it is, in a sentence"`
		From    *uuid.UUID  `json:"from,omitempty" doc:"The profile to start from"`
	}
}

type rulesInput struct {
	ID      uuid.UUID `path:"id"`
	IfMatch string    `header:"If-Match" required:"true"`
	Body    struct {
		Purpose string        `json:"purpose" maxLength:"500"`
		Sisters []uuid.UUID   `json:"sisters,omitempty" maxItems:"50"`
		Rules   profile.Rules `json:"rules"`
	}
}

type composeInput struct {
	ID   uuid.UUID `path:"id"`
	Body profile.Rules
}

type adoptInput struct {
	ID    uuid.UUID `path:"id"`
	Maker string    `query:"maker" required:"true" maxLength:"80"`
	Model string    `query:"model" required:"true" maxLength:"80"`
}

type adoptedOutput struct{ Body profile.Adopted }

type compareInput struct {
	ID      uuid.UUID `path:"id"`
	Release int       `query:"release" minimum:"0" doc:"The number of the release to compare with; 0 for the newest that is not withdrawn"`
	Profile uuid.UUID `query:"profile" doc:"Or the profile to compare with"`
}

type comparison struct {
	With string `json:"with" doc:"What it is compared with, in words; empty where nothing was published yet"`
	profile.Comparison
	Log []string `json:"log" nullable:"false" doc:"The same as lines of a change log, for a person to edit"`
}

type comparisonOutput struct{ Body comparison }

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
	route(s, Maintainer, huma.Operation{OperationID: "addProfile", Method: http.MethodPost, Path: "/api/v1/profiles", Summary: "Make a profile for a model and its sisters", DefaultStatus: http.StatusCreated}, s.addProfile)
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
			b, err := s.basis(ctx, p, in.Body)
			if err != nil {
				return nil, err
			}
			return &compositionOutput{profile.Compose(b, in.Body)}, nil
		})
	route(s, Maintainer, huma.Operation{OperationID: "setRules", Method: http.MethodPut, Path: "/api/v1/profiles/{id}/rules", Summary: "Set a profile's rules, pins, steps, sisters and purpose"},
		func(ctx context.Context, in *rulesInput) (*composedOutput, error) {
			revision, err := revisionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			if err := in.Body.Rules.Check(); err != nil {
				return nil, badRequest(err)
			}
			if err := s.store.SetRules(ctx, in.ID, revision, strings.TrimSpace(in.Body.Purpose), in.Body.Sisters, in.Body.Rules, personOf(ctx).ID); err != nil {
				return nil, err
			}
			return s.profile(ctx, in.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "adoptProfile", Method: http.MethodGet, Path: "/api/v1/profiles/{id}/adopted", Summary: "What would carry over from a profile to another model"},
		func(ctx context.Context, in *adoptInput) (*adoptedOutput, error) {
			sc, err := s.store.FindScope(ctx, in.Maker, in.Model, "")
			if err != nil {
				return nil, err
			}
			a, err := s.adopt(ctx, in.ID, sc, nil)
			return &adoptedOutput{a}, err
		})
	route(s, Technician, huma.Operation{OperationID: "compareProfile", Method: http.MethodGet, Path: "/api/v1/profiles/{id}/comparison", Summary: "How a profile, as it stands, differs from a release of it or from another profile"}, s.compareProfile)
	s.publishingRoutes()
	s.draftRoutes()
}

func (s *Server) addProfile(ctx context.Context, in *newProfileInput) (*createdOutput, error) {
	sc, err := s.store.FindScope(ctx, in.Body.Maker, in.Body.Model, "")
	if err != nil {
		return nil, err
	}
	n := store.NewProfile{Model: sc.Model.ID, Sisters: in.Body.Sisters, Name: strings.TrimSpace(in.Body.Name), Purpose: strings.TrimSpace(in.Body.Purpose), Rules: profile.DefaultRules}
	if n.Name == "" {
		return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Give the edition a name.")
	}
	if in.Body.From != nil {
		a, err := s.adopt(ctx, *in.Body.From, sc, in.Body.Sisters)
		if err != nil {
			return nil, err
		}
		n.Rules = a.Rules
	}
	id, err := s.store.AddProfile(ctx, n, personOf(ctx).ID)
	return &createdOutput{created{id}}, err
}

// adopt works out what of a profile carries over to a model.
func (s *Server) adopt(ctx context.Context, id uuid.UUID, to store.Scope, sisters []uuid.UUID) (profile.Adopted, error) {
	p, err := s.store.Profile(ctx, id)
	if err != nil {
		return profile.Adopted{}, err
	}
	rules, err := profile.ParseRules(p.Rules)
	if err != nil {
		return profile.Adopted{}, err
	}
	from, err := s.compose(ctx, p, rules)
	if err != nil {
		return profile.Adopted{}, err
	}
	there := store.Profile{Maker: to.Maker.Slug, Model: to.Model.Slug, ModelID: to.Model.ID, ModelName: to.Model.Name}
	models, err := s.store.Models(ctx, to.Maker.Slug, "")
	if err != nil {
		return profile.Adopted{}, err
	}
	for _, m := range models {
		if slices.Contains(sisters, m.ID) {
			there.Sisters = append(there.Sisters, store.ProfileModel{ID: m.ID, Slug: m.Slug, Name: m.Name, Device: m.Device, Form: m.Form})
		}
	}
	here, err := s.store.Basis(ctx, there, rules)
	return profile.Adopt(rules, from, here), err
}

func (s *Server) compareProfile(ctx context.Context, in *compareInput) (*comparisonOutput, error) {
	p, err := s.store.Profile(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	rules, err := profile.ParseRules(p.Rules)
	if err != nil {
		return nil, err
	}
	now, err := s.compose(ctx, p, rules)
	if err != nil {
		return nil, err
	}
	out := &comparisonOutput{}
	var before profile.Made
	if in.Profile != uuid.Nil {
		out.Body.With, before, err = s.madeOf(ctx, in.Profile)
	} else {
		out.Body.With, before, err = s.madeOfRelease(ctx, p.ID, in.Release)
	}
	if err != nil {
		return nil, err
	}
	out.Body.Comparison = profile.Compare(before, now.Made())
	out.Body.Log = out.Body.Comparison.Log()
	if out.Body.With == "" {
		out.Body.Log = []string{"The first release."}
	}
	return out, nil
}

func (s *Server) madeOf(ctx context.Context, id uuid.UUID) (string, profile.Made, error) {
	p, err := s.store.Profile(ctx, id)
	if err != nil {
		return "", profile.Made{}, err
	}
	rules, err := profile.ParseRules(p.Rules)
	if err != nil {
		return "", profile.Made{}, err
	}
	c, err := s.compose(ctx, p, rules)
	return p.ModelName + ": " + p.Name, c.Made(), err
}

// madeOfRelease are the steps of a profile's release; 0 stands for the newest
// that is not withdrawn. There may be none yet.
func (s *Server) madeOfRelease(ctx context.Context, id uuid.UUID, number int) (string, profile.Made, error) {
	list, err := s.store.ReleasesOf(ctx, id, maxList)
	if err != nil {
		return "", profile.Made{}, err
	}
	i := slices.IndexFunc(list, func(r store.ReleaseLine) bool {
		return r.Number == number || number == 0 && r.State != "withdrawn"
	})
	if i < 0 {
		if number != 0 {
			return "", profile.Made{}, store.ErrNotFound
		}
		return "", profile.Made{}, nil
	}
	r, err := s.store.ReleaseByID(ctx, list[i].ID)
	if err != nil {
		return "", profile.Made{}, err
	}
	d, err := profile.ParseDocument(r.Document)
	if err != nil {
		return "", profile.Made{}, err
	}
	return fmt.Sprintf("no. %d", r.Number), d.Made(), nil
}

// basisKey is what a profile is composed from while its cut line is moved.
type basisKey struct {
	profile  uuid.UUID
	revision int
	methods  string
}

// keptBases bounds the bases that are kept, basisKept for how long: moving the
// line asks many times in a row.
const (
	keptBases = 20
	basisKept = 15 * time.Second
)

// basis is what a profile is composed from, as it was a few seconds ago at
// most.
func (s *Server) basis(ctx context.Context, p store.Profile, rules profile.Rules) (profile.Basis, error) {
	key := basisKey{p.ID, p.Revision, fmt.Sprint(rules.AllMethods())}
	if b, ok := s.bases.Get(key); ok {
		return b, nil
	}
	b, err := s.store.Basis(ctx, p, rules)
	if err == nil {
		s.bases.Add(key, b)
	}
	return b, err
}

func (s *Server) compose(ctx context.Context, p store.Profile, rules profile.Rules) (profile.Composition, error) {
	b, err := s.store.Basis(ctx, p, rules)
	if err != nil {
		return profile.Composition{}, err
	}
	return profile.Compose(b, rules), nil
}

func (s *Server) profile(ctx context.Context, id uuid.UUID) (*composedOutput, error) {
	p, err := s.store.Profile(ctx, id)
	if err != nil {
		return nil, err
	}
	out := &composedOutput{ETag: etagOf(p.Revision), Body: composed{Profile: p}}
	if out.Body.Rules, err = profile.ParseRules(p.Rules); err != nil {
		return nil, err
	}
	if out.Body.Composition, err = s.compose(ctx, p, out.Body.Rules); err != nil {
		return nil, err
	}
	if out.Body.Releases, err = s.store.ReleasesOf(ctx, id, maxList); err != nil {
		return nil, err
	}
	out.Body.Publications, err = s.store.Publications(ctx, id, maxPublications)
	return out, err
}
