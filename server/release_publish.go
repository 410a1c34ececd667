package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/profile"
	"roster/core/run"
	"roster/store"
)

// maxPublications bounds how many past requests a profile shows.
const maxPublications = 20

type askPublicationInput struct {
	ID      uuid.UUID `path:"id"`
	IfMatch string    `header:"If-Match" required:"true"`
	Body    struct {
		Changes []string `json:"changes,omitempty" maxItems:"2000" doc:"What to say about it, a line each; how it differs from the newest release is computed"`
		Words   string   `json:"words" maxLength:"2000" doc:"For whoever looks at it"`
	}
}

type verdictInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Verdict profile.PublicationState `json:"verdict" enum:"published,returned,taken-back"`
		Answer  string                   `json:"answer,omitempty" maxLength:"2000" doc:"For the one who asked; a return needs it"`
		Changes []string                 `json:"changes,omitempty" maxItems:"2000" doc:"Other words about it"`
	}
}

type verdictOutput struct {
	Body struct {
		Number int    `json:"number,omitempty"`
		Path   string `json:"path,omitempty" doc:"Where the release's public page is"`
	}
}

type withdrawInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Reason string `json:"reason" minLength:"1" maxLength:"1000" doc:"Why nobody should use it; everybody is shown this"`
	}
}

type rotateInput struct {
	Body struct {
		Why string `json:"why" minLength:"1" maxLength:"500" doc:"Why the key in use is retired; everybody is shown this"`
	}
}

func (s *Server) publishingRoutes() {
	route(s, Maintainer, huma.Operation{OperationID: "askPublication", Method: http.MethodPost, Path: "/api/v1/profiles/{id}/publications", Summary: "Ask for a profile to be published; another person decides", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *askPublicationInput) (*createdOutput, error) {
			revision, err := revisionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			changes, err := logLines(in.Body.Changes)
			if err != nil {
				return nil, err
			}
			id, err := s.store.AskPublication(ctx, in.ID, revision, changes, strings.TrimSpace(in.Body.Words), personOf(ctx).ID)
			return &createdOutput{created{id}}, err
		})
	route(s, Maintainer, huma.Operation{OperationID: "decidePublication", Method: http.MethodPost, Path: "/api/v1/publications/{id}/decision", Summary: "Sign and publish what somebody asked for, return it, or take one's own back"}, s.decidePublication)
	route(s, Maintainer, huma.Operation{OperationID: "withdrawRelease", Method: http.MethodPost, Path: "/api/v1/releases/{id}/withdrawal", Summary: "Take a release out of use, with a reason that everybody is shown", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *withdrawInput) (*struct{}, error) {
			reason := strings.TrimSpace(in.Body.Reason)
			if reason == "" {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Say why, for everybody who has run it.")
			}
			defer s.press.forget()
			return nil, s.store.Withdraw(ctx, in.ID, reason, personOf(ctx).ID, time.Time{})
		})
	route(s, Technician, huma.Operation{OperationID: "listReleases", Method: http.MethodGet, Path: "/api/v1/releases", Summary: "Releases in scope, newest first"},
		func(ctx context.Context, in *ScopeInput) (*listOutput[listedRelease], error) {
			sc, err := s.scope(ctx, *in)
			if err != nil {
				return nil, err
			}
			return listOf(s.releases(ctx, sc))
		})
	route(s, Technician, huma.Operation{OperationID: "listKeys", Method: http.MethodGet, Path: "/api/v1/keys", Summary: "The keys that releases are and were signed with"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.PublicKey], error) {
			return listOf(s.store.PublicKeys(ctx))
		})
	route(s, Keeper, huma.Operation{OperationID: "rotateKey", Method: http.MethodPost, Path: "/api/v1/keys", Summary: "Retire the signing key and make a new one, signed with the old", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *rotateInput) (*struct{ Body store.PublicKey }, error) {
			why := strings.TrimSpace(in.Body.Why)
			if why == "" {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Say why, for everybody who checks signatures.")
			}
			if err := s.confirmed(ctx); err != nil {
				return nil, err
			}
			defer s.press.forget()
			if err := RotateKey(ctx, s.store, s.secret, why, personOf(ctx).ID); err != nil {
				return nil, err
			}
			keys, err := s.store.PublicKeys(ctx)
			if err != nil {
				return nil, err
			}
			s.log.Info("the signing key was rotated", "key", keys[0].ID)
			return &struct{ Body store.PublicKey }{keys[0]}, nil
		})
}

// logLines are the lines of what a person writes about a release, without empty
// ones.
func logLines(lines []string) ([]string, error) {
	kept := []string{}
	for _, l := range lines {
		l = strings.Join(strings.Fields(l), " ")
		if len(l) > 1000 {
			return nil, problem(http.StatusUnprocessableEntity, "bad-request", "A line about the release is over 1000 bytes long.")
		}
		if l != "" {
			kept = append(kept, l)
		}
	}
	return kept, nil
}

func (s *Server) decidePublication(ctx context.Context, in *verdictInput) (*verdictOutput, error) {
	v := store.Verdict{State: in.Body.Verdict, Answer: strings.TrimSpace(in.Body.Answer)}
	if v.State == profile.SentBack && v.Answer == "" {
		return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Say what has to change before it is published.")
	}
	if len(in.Body.Changes) > 0 {
		var err error
		if v.Changes, err = logLines(in.Body.Changes); err != nil {
			return nil, err
		}
	}
	// Only what is published needs a key, which is made where there is none.
	var sign store.Sign
	if v.State == profile.Published {
		err := s.confirmed(ctx)
		if err != nil {
			return nil, err
		}
		if sign, err = Signer(ctx, s.store, s.secret); err != nil {
			return nil, err
		}
	}
	// Other servers hear of it; whoever reads here at once must not be told of
	// what was before.
	defer s.press.forget()
	number, err := s.store.DecidePublication(ctx, in.ID, personOf(ctx), v, sign)
	if err != nil {
		return nil, err
	}
	out := &verdictOutput{}
	if v.State != profile.Published {
		return out, nil
	}
	p, err := s.store.ProfileOfPublication(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	s.log.Info("a release was published", "maker", p.Maker, "model", p.Model, "edition", p.Slug, "number", number)
	out.Body.Number, out.Body.Path = number, fmt.Sprintf("/r/%s/%s/%s/%d", p.Maker, p.Model, p.Slug, number)
	return out, nil
}

// listedRelease is a release with what its own runs come to, and the builds that
// it is marked as not for.
type listedRelease struct {
	store.ReleaseLine
	Own    run.Own       `json:"own"`
	NotFor []markedBuild `json:"notFor" nullable:"false"`
}

// markedBuild is a build that a release is marked as not for, with the id that
// the public documents leave out.
type markedBuild struct {
	BuildID uuid.UUID `json:"buildId"`
	store.NotFor
}

func (s *Server) releases(ctx context.Context, sc store.Scope) ([]listedRelease, error) {
	list, err := s.store.Releases(ctx, sc, maxList)
	if err != nil {
		return nil, err
	}
	ids := make([]uuid.UUID, len(list))
	for i, r := range list {
		ids[i] = r.ID
	}
	own, err := s.store.OwnFigures(ctx, ids)
	if err != nil {
		return nil, err
	}
	marks, err := s.store.NotFor(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := make([]listedRelease, len(list))
	for i, r := range list {
		out[i] = listedRelease{r, own[r.ID], []markedBuild{}}
		for _, n := range marks[r.ID] {
			out[i].NotFor = append(out[i].NotFor, markedBuild{n.BuildID, n})
		}
	}
	return out, nil
}
