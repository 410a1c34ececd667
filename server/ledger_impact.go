package server

import (
	"context"
	"errors"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/impact"
	"roster/core/profile"
	"roster/store"
)

type impactInput struct {
	ScopeInput
	Name   string `path:"name" maxLength:"255"`
	Method string `query:"method" enum:"disable,remove-for-user,remove-from-image" default:"remove-for-user"`
}

// neighbour is a package at the other end of a link.
type neighbour struct {
	impact.Link
	Label string `json:"label"`
	Load  string `json:"load" enum:"loose,leaned-on,tied-in,load-bearing,unproven"`
}

type heldRole struct {
	impact.Role
	Holds bool `json:"holds" doc:"It holds the role now; else it could"`
}

// around is what a package rests on, what rests on it, and what its removal
// leads to, on the build that stands for the scope.
type around struct {
	Build        *store.Build         `json:"build,omitempty" doc:"The build that it was read from; none where no capture in scope has the package"`
	On           []neighbour          `json:"on" nullable:"false"`
	From         []neighbour          `json:"from" nullable:"false"`
	Roles        []heldRole           `json:"roles" nullable:"false"`
	Consequences []impact.Consequence `json:"consequences" nullable:"false"`
	News         []store.LinkNews     `json:"news" nullable:"false" doc:"Firmware with which its links changed"`
	RolesUnknown bool                 `json:"rolesUnknown" doc:"No capture of the build told who holds which role"`
	NotInstalled []string             `json:"notInstalled" nullable:"false" doc:"What was asked for and is not on the build"`
}

type aroundOutput struct{ Body around }

type consequencesInput struct {
	ScopeInput
	Body struct {
		Packages []string `json:"packages" minItems:"1" maxItems:"1000" nullable:"false"`
		Method   string   `json:"method" enum:"disable,remove-for-user,remove-from-image" default:"remove-for-user"`
	}
}

type differencesInput struct {
	ID      uuid.UUID `path:"id"`
	Against uuid.UUID `path:"against"`
}

type differencesOutput struct{ Body impact.Differences }

func (s *Server) impactRoutes() {
	route(s, Technician, huma.Operation{OperationID: "packageImpact", Method: http.MethodGet, Path: "/api/v1/packages/{name}/impact", Summary: "What a package rests on, what rests on it, and what its removal leads to"},
		func(ctx context.Context, in *impactInput) (*aroundOutput, error) {
			sc, _, err := s.packageIn(ctx, in.ScopeInput, in.Name)
			if err != nil {
				return nil, err
			}
			out, net, err := s.around(ctx, sc, []string{in.Name}, evidence.Method(in.Method))
			if err != nil || net == nil {
				return out, err
			}
			return out, s.neighbours(ctx, sc, &out.Body, net, android.PackageName(in.Name), in.Method)
		})
	route(s, Technician, huma.Operation{OperationID: "consequences", Method: http.MethodPost, Path: "/api/v1/consequences", Summary: "What removing packages together leads to; nothing is written"},
		func(ctx context.Context, in *consequencesInput) (*aroundOutput, error) {
			sc, err := s.scope(ctx, in.ScopeInput)
			if err != nil {
				return nil, err
			}
			out, _, err := s.around(ctx, sc, in.Body.Packages, evidence.Method(in.Body.Method))
			return out, err
		})
	route(s, Technician, huma.Operation{OperationID: "linkDifferences", Method: http.MethodGet, Path: "/api/v1/builds/{id}/links/since/{against}", Summary: "What rests on what in a build and not in another"},
		func(ctx context.Context, in *differencesInput) (*differencesOutput, error) {
			now, err := s.store.Net(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			before, err := s.store.Net(ctx, in.Against)
			if err != nil {
				return nil, err
			}
			return &differencesOutput{impact.Compare(before, now)}, nil
		})
}

// around works out what removing packages leads to on the build that stands
// for the scope; the net is nil where there is none.
func (s *Server) around(ctx context.Context, sc store.Scope, names []string, method evidence.Method) (*aroundOutput, *impact.Net, error) {
	out := &aroundOutput{around{On: []neighbour{}, From: []neighbour{}, Roles: []heldRole{}, Consequences: []impact.Consequence{}, News: []store.LinkNews{}, NotInstalled: []string{}}}
	build, err := s.store.Standing(ctx, sc, names)
	if errors.Is(err, store.ErrNotFound) {
		return out, nil, nil
	}
	if err != nil {
		return nil, nil, err
	}
	net, err := s.store.Net(ctx, build.ID)
	if err != nil {
		return nil, nil, err
	}
	_, known, err := s.store.SaidOf(ctx, sc, string(method), names)
	if err != nil {
		return nil, nil, err
	}
	set := impact.Removal{}
	for _, name := range names {
		if pkg := android.PackageName(name); net.Has(pkg) {
			set[pkg] = method
		} else {
			out.Body.NotInstalled = append(out.Body.NotInstalled, name)
		}
	}
	out.Body.Build, out.Body.RolesUnknown = &build, net.RolesUnknown()
	out.Body.Consequences = append(out.Body.Consequences, net.Consequences(set, known)...)
	return out, net, nil
}

// neighbours adds a package's links, with how heavy the packages at their
// other ends are.
func (s *Server) neighbours(ctx context.Context, sc store.Scope, a *around, net *impact.Net, name android.PackageName, method string) error {
	on, from := net.Around(name)
	var names []string
	for _, l := range slices.Concat(on, from) {
		names = append(names, string(l.On), string(l.From))
	}
	said, _, err := s.store.SaidOf(ctx, store.Scope{Maker: sc.Maker, Model: sc.Model, Target: sc.Target}, method, names)
	if err != nil {
		return err
	}
	describe := func(l impact.Link, other android.PackageName) neighbour {
		c, ok := said[other]
		if !ok {
			c = profile.Candidate{Load: evidence.Unproven}
		}
		return neighbour{l, c.Label, string(c.Load)}
	}
	for _, l := range on {
		a.On = append(a.On, describe(l, l.On))
	}
	for _, l := range from {
		a.From = append(a.From, describe(l, l.From))
	}
	for _, r := range net.Roles {
		if slices.Contains(r.Able, name) {
			a.Roles = append(a.Roles, heldRole{r, net.Holds(name, r.Name)})
		}
	}
	a.News, err = s.store.LinkNews(ctx, a.Build.ModelID, name)
	return err
}
