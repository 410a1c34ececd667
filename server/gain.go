package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/gain"
	"roster/store"
)

// gainRoutes tell what was measured, and what it came to.
func (s *Server) gainRoutes() {
	route(s, Technician, huma.Operation{
		OperationID: "listMeasurements", Method: http.MethodGet, Path: "/api/v1/measurements", Summary: "Measurements of a phone, newest first",
	}, s.measurements)
	route(s, Technician, huma.Operation{
		OperationID: "getReleaseGain", Method: http.MethodGet, Path: "/api/v1/releases/{id}/gain",
		Summary: "What a release brought the phones on which it was run and measured",
	}, s.releaseGain)
	route(s, Technician, huma.Operation{
		OperationID: "getModelGain", Method: http.MethodGet, Path: "/api/v1/makers/{maker}/models/{model}/gain",
		Summary: "What was gained on a model's phones, and which packages brought it",
	}, s.modelGain)
	route(s, Technician, huma.Operation{
		OperationID: "listPackageUses", Method: http.MethodGet, Path: "/api/v1/packages/{name}/uses",
		Summary: "What each phone of a build that was measured attributes to a package, the most memory first",
	}, s.packageUses)
}

type measurementsInput struct {
	Phone string `query:"phone" required:"true" minLength:"1" maxLength:"80" doc:"The phone's mark"`
	Limit int    `query:"limit" minimum:"1" maximum:"200" default:"20"`
}

func (s *Server) measurements(ctx context.Context, in *measurementsInput) (*listOutput[store.MeasuredPhone], error) {
	return listOf(s.store.Measurements(ctx, in.Phone, in.Limit))
}

type manyGainOutput struct{ Body store.ManyGain }

type usesInput struct {
	Name  string    `path:"name" maxLength:"255"`
	Build uuid.UUID `query:"build" required:"true"`
}

// packageUses opens the figure of a package on a build.
func (s *Server) packageUses(ctx context.Context, in *usesInput) (*listOutput[store.PhoneUse], error) {
	p, err := s.store.Package(ctx, in.Name)
	if err != nil {
		return nil, err
	}
	return listOf(s.store.PhoneUses(ctx, p.ID, in.Build))
}

// none is what nobody has measured.
func none() store.ManyGain {
	return store.ManyGain{Figures: map[gain.Quantity]gain.Figure{}, Phones: []store.PhoneGain{}}
}

func (s *Server) releaseGain(ctx context.Context, in *idInput) (*manyGainOutput, error) {
	many, err := s.store.GainOf(ctx, in.ID)
	if many == nil {
		return &manyGainOutput{none()}, err
	}
	return &manyGainOutput{*many}, err
}

type modelGainOutput struct{ Body store.ModelGain }

func (s *Server) modelGain(ctx context.Context, in *struct {
	Maker string `path:"maker" maxLength:"80"`
	Model string `path:"model" maxLength:"80"`
}) (*modelGainOutput, error) {
	sc, err := s.store.FindScope(ctx, in.Maker, in.Model, "")
	if err != nil {
		return nil, err
	}
	many, err := s.store.GainOnModel(ctx, sc.Model.ID)
	if many == nil {
		return &modelGainOutput{store.ModelGain{ManyGain: none(), Memory: []gain.Estimate{}}}, err
	}
	return &modelGainOutput{*many}, err
}
