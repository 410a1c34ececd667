package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"roster/store"
)

// ScopeInput is the scope in a request's query.
type ScopeInput struct {
	Maker string `query:"maker" maxLength:"80" doc:"Slug of the maker; empty for everywhere"`
	Model string `query:"model" maxLength:"80" doc:"Slug of the model"`
	Build string `query:"build" maxLength:"36" doc:"Id of the build"`
}

func (s *Server) scope(ctx context.Context, in ScopeInput) (store.Scope, error) {
	return s.store.FindScope(ctx, in.Maker, in.Model, in.Build)
}

// whereWords names a scope's phones in a sentence.
func whereWords(sc store.Scope) string {
	switch {
	case sc.Build != nil:
		return sc.Model.Name + " phones on " + buildName(*sc.Build)
	case sc.Model != nil:
		return sc.Model.Name + " phones"
	case sc.Maker != nil:
		return sc.Maker.Name + " phones"
	}
	return "phones everywhere"
}

func buildName(b store.Build) string {
	if b.Carrier != "" {
		return b.Carrier + " " + b.Version
	}
	return b.Version
}

type list[T any] struct {
	Items []T `json:"items" nullable:"false"`
}

type listOutput[T any] struct{ Body list[T] }

func listOf[T any](items []T, err error) (*listOutput[T], error) {
	return &listOutput[T]{list[T]{items}}, err
}

func (s *Server) scopeRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listMakers", Method: http.MethodGet, Path: "/api/v1/makers", Summary: "Makers, by name"},
		func(ctx context.Context, in *struct {
			Q string `query:"q" maxLength:"80"`
		}) (*listOutput[store.Maker], error) {
			return listOf(s.store.Makers(ctx, in.Q))
		})
	route(s, Technician, huma.Operation{OperationID: "listModels", Method: http.MethodGet, Path: "/api/v1/makers/{maker}/models", Summary: "Models of a maker, by name"},
		func(ctx context.Context, in *struct {
			Maker string `path:"maker" maxLength:"80"`
			Q     string `query:"q" maxLength:"80"`
		}) (*listOutput[store.Model], error) {
			return listOf(s.store.Models(ctx, in.Maker, in.Q))
		})
	route(s, Technician, huma.Operation{OperationID: "listBuilds", Method: http.MethodGet, Path: "/api/v1/makers/{maker}/models/{model}/builds", Summary: "Builds of a model, oldest first"},
		func(ctx context.Context, in *struct {
			Maker string `path:"maker" maxLength:"80"`
			Model string `path:"model" maxLength:"80"`
		}) (*listOutput[store.Build], error) {
			return listOf(s.store.Builds(ctx, in.Maker, in.Model))
		})
	route(s, Technician, huma.Operation{OperationID: "listPhones", Method: http.MethodGet, Path: "/api/v1/builds/{id}/phones", Summary: "Phones captured on a build, latest first"},
		func(ctx context.Context, in *idInput) (*listOutput[store.CapturedPhone], error) {
			return listOf(s.store.PhonesOn(ctx, in.ID, 100))
		})
}
