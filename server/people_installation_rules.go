package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"roster/store"
)

type installationRulesOutput struct {
	ETag string `header:"ETag"`
	Body store.InstallationRules
}

type installationRulesInput struct {
	IfMatch string `header:"If-Match" required:"true"`
	Body    store.InstallationRules
}

// installationRulesRoutes are about what the keeper decides for everybody.
func (s *Server) installationRulesRoutes() {
	route(s, SignedIn, huma.Operation{
		OperationID: "getInstallationRules", Method: http.MethodGet, Path: "/api/v1/installation-rules",
		Summary: "When sessions end, where benches may reach, and how long they keep what they saved",
	},
		func(ctx context.Context, _ *struct{}) (*installationRulesOutput, error) {
			r, revision, err := s.store.InstallationRules(ctx)
			return &installationRulesOutput{etagOf(revision), r}, err
		})
	route(s, Keeper, huma.Operation{
		OperationID: "setInstallationRules", Method: http.MethodPut, Path: "/api/v1/installation-rules",
		Summary: "Change when sessions end, where benches may reach, and how long they keep what they saved",
	},
		func(ctx context.Context, in *installationRulesInput) (*installationRulesOutput, error) {
			if err := s.confirmed(ctx); err != nil {
				return nil, err
			}
			revision, err := revisionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			if err := in.Body.Check(); err != nil {
				return nil, badRequest(err)
			}
			if err := s.checkPasskeyRoles(in.Body.PasskeyRoles); err != nil {
				return nil, err
			}
			err = s.store.SetInstallationRules(ctx, personOf(ctx).ID, revision, in.Body)
			return &installationRulesOutput{etagOf(revision + 1), in.Body}, err
		})
}
