package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/store"
)

type decisionsDraftInput struct {
	ID   uuid.UUID `path:"id"`
	Body store.DraftDecided
}

type decisionsDraftOutput struct{ Body store.DraftDecided }

type rulesDraftInput struct {
	ID   uuid.UUID `path:"id"`
	Body store.DraftProfile
}

type rulesDraftOutput struct {
	Body struct {
		Draft *store.DraftProfile `json:"draft,omitempty" doc:"Left out where there is none"`
	}
}

// draftRoutes keep what people have begun and not sent, for them alone.
func (s *Server) draftRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listDrafts", Method: http.MethodGet, Path: "/api/v1/drafts", Summary: "What you have begun and not sent: reviews and changed rules"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.DraftLine], error) {
			return listOf(s.store.Drafts(ctx, personOf(ctx).ID))
		})
	route(s, Reviewer, huma.Operation{OperationID: "getDecisionsDraft", Method: http.MethodGet, Path: "/api/v1/changes/{id}/draft", Summary: "What you have decided about a change and not written; revision 0 where that is nothing"},
		func(ctx context.Context, in *idInput) (*decisionsDraftOutput, error) {
			d, err := s.store.DecisionsDraft(ctx, personOf(ctx).ID, in.ID)
			return &decisionsDraftOutput{d}, err
		})
	route(s, Reviewer, huma.Operation{OperationID: "saveDecisionsDraft", Method: http.MethodPut, Path: "/api/v1/changes/{id}/draft", Summary: "Keep what you have decided about a change until you write it; no decisions let it go", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *decisionsDraftInput) (*struct{}, error) {
			return nil, s.store.SaveDecisionsDraft(ctx, personOf(ctx).ID, in.ID, in.Body)
		})
	route(s, Maintainer, huma.Operation{OperationID: "getRulesDraft", Method: http.MethodGet, Path: "/api/v1/profiles/{id}/draft", Summary: "How you have changed a profile's rules and not kept them"},
		func(ctx context.Context, in *idInput) (*rulesDraftOutput, error) {
			out := &rulesDraftOutput{}
			var err error
			out.Body.Draft, err = s.store.RulesDraft(ctx, personOf(ctx).ID, in.ID)
			return out, err
		})
	route(s, Maintainer, huma.Operation{OperationID: "saveRulesDraft", Method: http.MethodPut, Path: "/api/v1/profiles/{id}/draft", Summary: "Keep how you have changed a profile's rules, for you alone", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *rulesDraftInput) (*struct{}, error) {
			return nil, s.store.SaveRulesDraft(ctx, personOf(ctx).ID, in.ID, in.Body)
		})
	route(s, Maintainer, huma.Operation{OperationID: "forgetRulesDraft", Method: http.MethodDelete, Path: "/api/v1/profiles/{id}/draft", Summary: "Let your changes of a profile's rules go", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.ForgetRulesDraft(ctx, personOf(ctx).ID, in.ID)
		})
}
