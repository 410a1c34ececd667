package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/store"
)

// coverage is what is known in a scope, by model and build.
type coverage struct {
	Models  []store.ModelCover `json:"models" nullable:"false" doc:"By maker and name; the first thousand"`
	Of      int                `json:"of" doc:"How many models there are in scope"`
	Builds  []store.BuildCover `json:"builds" nullable:"false" doc:"Model by model, oldest first"`
	Helpful []store.BuildCover `json:"helpful" nullable:"false" doc:"Where one more phone would help most"`
}

type coverageOutput struct{ Body coverage }

const (
	// maxCovered bounds the models of one page of coverage, maxCoveredBuilds
	// their builds.
	maxCovered       = 1000
	maxCoveredBuilds = 10 * maxCovered
	maxHelpful       = 12
)

func (s *Server) coverRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getCoverage", Method: http.MethodGet, Path: "/api/v1/coverage", Summary: "What is captured, graded and tried, by model and build, and where one more phone would help most"},
		func(ctx context.Context, in *ScopeInput) (*coverageOutput, error) {
			sc, err := s.scope(ctx, *in)
			if err != nil {
				return nil, err
			}
			c, err := s.coverage(ctx, sc)
			return &coverageOutput{c}, err
		})
}

func (s *Server) coverage(ctx context.Context, sc store.Scope) (c coverage, err error) {
	makers, err := s.store.MakerCovers(ctx, sc)
	if err != nil {
		return c, err
	}
	for _, m := range makers {
		c.Of += m.Models
	}
	if c.Models, err = s.store.ModelCovers(ctx, sc, maxCovered); err != nil {
		return c, err
	}
	models := make([]uuid.UUID, len(c.Models))
	for i, m := range c.Models {
		models[i] = m.ID
	}
	if c.Builds, err = s.store.BuildCovers(ctx, models, maxCoveredBuilds); err != nil {
		return c, err
	}
	c.Helpful, err = s.store.Helpful(ctx, sc, maxHelpful)
	return c, err
}
