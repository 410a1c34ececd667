package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/store"
)

// coverage is what is known in a scope, by model and build.
type coverage struct {
	Models  []store.ModelCover `json:"models" nullable:"false"`
	Of      int                `json:"of" doc:"How many models there are in scope"`
	Builds  []store.BuildCover `json:"builds" nullable:"false" doc:"Model by model, oldest first"`
	Helpful []store.BuildCover `json:"helpful" nullable:"false" doc:"Where one more phone would help most"`
	Next    string             `json:"next,omitempty" doc:"Cursor of the next page; absent on the last"`
}

type coverageInput struct {
	ScopeInput
	Sort   string `query:"sort" enum:"model,tried,graded,wanted,age" default:"model" doc:"By maker and model, or what is least tried, least graded, most wanted or longest not captured first"`
	Cursor string `query:"cursor" maxLength:"600" doc:"Where the page before ended"`
	Limit  int    `query:"limit" minimum:"1" maximum:"1000" default:"100" doc:"At most so many models"`
}

type coverageOutput struct{ Body coverage }

const (
	// maxCoveredBuilds bounds the builds of one page of coverage.
	maxCoveredBuilds = 10_000
	maxHelpful       = 12
)

func (s *Server) coverRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getCoverage", Method: http.MethodGet, Path: "/api/v1/coverage", Summary: "What is captured, graded and tried, by model and build, and where one more phone would help most"},
		func(ctx context.Context, in *coverageInput) (*coverageOutput, error) {
			c, err := s.coverage(ctx, in)
			return &coverageOutput{c}, err
		})
}

func (s *Server) coverage(ctx context.Context, in *coverageInput) (c coverage, err error) {
	q := store.CoverQuery{Sort: in.Sort, Limit: in.Limit}
	if q.Scope, err = s.scope(ctx, in.ScopeInput); err != nil {
		return c, err
	}
	if in.Cursor != "" {
		raw, err := base64.RawURLEncoding.DecodeString(in.Cursor)
		if err != nil || json.Unmarshal(raw, &q.After) != nil {
			return c, problem(http.StatusUnprocessableEntity, "bad-request", "The cursor is not one of this list.")
		}
	}
	makers, err := s.store.MakerCovers(ctx, q.Scope)
	if err != nil {
		return c, err
	}
	for _, m := range makers {
		c.Of += m.Models
	}
	var next *store.CoverPlace
	if c.Models, next, err = s.store.ModelCovers(ctx, q); err != nil {
		return c, err
	}
	if next != nil {
		raw, err := json.Marshal(next)
		if err != nil {
			return c, err
		}
		c.Next = base64.RawURLEncoding.EncodeToString(raw)
	}
	models := make([]uuid.UUID, len(c.Models))
	for i, m := range c.Models {
		models[i] = m.ID
	}
	if c.Builds, err = s.store.BuildCovers(ctx, models, maxCoveredBuilds); err != nil {
		return c, err
	}
	c.Helpful, err = s.store.Helpful(ctx, q.Scope, maxHelpful)
	return c, err
}
