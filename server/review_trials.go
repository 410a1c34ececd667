package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/render"
	"roster/store"
)

// trialsInput is one trial of one or several packages, before it goes into the
// tray.
type trialsInput struct {
	Body struct {
		Packages    []string         `json:"packages" minItems:"1" maxItems:"500" nullable:"false"`
		Build       uuid.UUID        `json:"build"`
		Phone       string           `json:"phone" maxLength:"200" doc:"As in an edit; empty where it is not chosen yet"`
		Method      evidence.Method  `json:"method" enum:"quieten,disable,remove-for-user,remove-from-image"`
		Outcome     evidence.Outcome `json:"outcome" enum:"clean,function-lost,fault,no-start,refused"`
		Function    string           `json:"function,omitempty" maxLength:"40"`
		Persistence string           `json:"persistence,omitempty" maxLength:"40"`
	}
}

// foreseen is what a trial would do to one package's figures at its build.
type foreseen struct {
	Package        string      `json:"package"`
	Contradictions []string    `json:"contradictions" nullable:"false"`
	Before         sideFigures `json:"before"`
	After          sideFigures `json:"after"`
}

// loadsInput is one load of one or several packages, before it goes into the
// tray.
type loadsInput struct {
	Body struct {
		Packages   []string      `json:"packages" minItems:"1" maxItems:"500" nullable:"false"`
		Scope      catalog.Scope `json:"scope"`
		Load       evidence.Load `json:"load" enum:"loose,leaned-on,tied-in,load-bearing,unproven"`
		Conditions []string      `json:"conditions,omitempty" maxItems:"20"`
	}
}

type proseInput struct {
	Body struct {
		Text string `json:"text" maxLength:"10000"`
	}
}

type proseOutput struct {
	Body struct {
		HTML string `json:"html" doc:"Free of scripts, styles and pictures"`
	}
}

type yardstickOutput struct {
	ETag string `header:"ETag"`
	Body evidence.Yardstick
}

type yardstickInput struct {
	IfMatch string `header:"If-Match" required:"true" doc:"The revision that you saw, as in the ETag"`
	Body    evidence.Yardstick
}

type shiftsOutput struct{ Body store.Shifts }

// shownShifts bounds the list in a preview of another yardstick.
const shownShifts = 200

func (s *Server) evidenceRoutes() {
	route(s, Technician, huma.Operation{OperationID: "foreseeTrials", Method: http.MethodPost, Path: "/api/v1/trials/foreseen", Summary: "What a trial would do to packages' figures, and what speaks against it"}, s.foresee)
	route(s, Technician, huma.Operation{OperationID: "foreseeLoads", Method: http.MethodPost, Path: "/api/v1/loads/foreseen", Summary: "What setting a load would mean for packages, and what speaks against it"},
		func(ctx context.Context, in *loadsInput) (*listOutput[store.ForeseenLoad], error) {
			value := change.LoadValue{Load: in.Body.Load, Conditions: in.Body.Conditions}
			raw, err := json.Marshal(value)
			if err == nil {
				err = change.Check(change.Load, in.Body.Scope, raw)
			}
			if err != nil {
				return nil, badRequest(err)
			}
			return listOf(s.store.ForeseeLoad(ctx, personOf(ctx).ID, in.Body.Packages, in.Body.Scope, value))
		})
	route(s, Technician, huma.Operation{OperationID: "previewProse", Method: http.MethodPost, Path: "/api/v1/prose", Summary: "How a description will look"},
		func(_ context.Context, in *proseInput) (*proseOutput, error) {
			out := &proseOutput{}
			out.Body.HTML = render.Prose(in.Body.Text)
			return out, nil
		})
	route(s, Technician, huma.Operation{OperationID: "getYardstick", Method: http.MethodGet, Path: "/api/v1/yardstick", Summary: "What evidence is measured by"},
		func(ctx context.Context, _ *struct{}) (*yardstickOutput, error) {
			y, revision, err := s.store.Yardstick(ctx)
			return &yardstickOutput{etagOf(revision), y}, err
		})
	route(s, Technician, huma.Operation{OperationID: "previewYardstick", Method: http.MethodPost, Path: "/api/v1/yardstick/preview", Summary: "What another yardstick would change"},
		func(ctx context.Context, in *struct{ Body evidence.Yardstick }) (*shiftsOutput, error) {
			if err := in.Body.Check(); err != nil {
				return nil, badRequest(err)
			}
			if !s.previewing.TryLock() {
				return nil, problem(http.StatusTooManyRequests, "busy", "Somebody else is just trying out another yardstick. Ask again in a moment.")
			}
			defer s.previewing.Unlock()
			shifts, err := s.store.PreviewYardstick(ctx, in.Body, shownShifts)
			return &shiftsOutput{shifts}, err
		})
	route(s, Keeper, huma.Operation{OperationID: "setYardstick", Method: http.MethodPut, Path: "/api/v1/yardstick", Summary: "Change what evidence is measured by, and all figures with it"},
		func(ctx context.Context, in *yardstickInput) (*yardstickOutput, error) {
			if err := in.Body.Check(); err != nil {
				return nil, badRequest(err)
			}
			revision, err := revisionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			if err := s.store.SetYardstick(ctx, personOf(ctx).ID, revision, in.Body); err != nil {
				return nil, err
			}
			s.log.Info("the yardstick was changed; all figures were made anew", "by", personOf(ctx).Login, "yardstick", in.Body)
			return &yardstickOutput{etagOf(revision + 1), in.Body}, nil
		})
}

// foresee tells what a trial would do before it goes into the tray.
func (s *Server) foresee(ctx context.Context, in *trialsInput) (*listOutput[foreseen], error) {
	person := personOf(ctx).ID
	known, firmware, y, err := s.store.EvidenceOf(ctx, in.Body.Packages, in.Body.Build)
	if err != nil {
		return nil, err
	}
	phone := in.Body.Phone
	if name, ok := strings.CutPrefix(phone, "called:"); ok {
		phone = s.calledPhone(person, name)
	}
	out := make([]foreseen, len(in.Body.Packages))
	for i, name := range in.Body.Packages {
		trials, ok := known[name]
		if !ok {
			return nil, fmt.Errorf("package %q: %w", name, store.ErrNotFound)
		}
		added := evidence.Trial{ID: "added", Phone: phone, Person: person.String(), On: firmware, Method: in.Body.Method, Outcome: in.Body.Outcome,
			Function: in.Body.Function, CameBack: strings.HasPrefix(in.Body.Persistence, "back-")}
		out[i] = foreseen{Package: name, Contradictions: evidence.Contradictions(trials, added, y),
			Before: sideOf(trials, in.Body.Method, firmware, y), After: sideOf(append(trials[:len(trials):len(trials)], added), in.Body.Method, firmware, y)}
		if out[i].Contradictions == nil {
			out[i].Contradictions = []string{}
		}
	}
	return listOf(out, nil)
}

// calledPhone is the mark of a phone that its technician tells apart by a name
// or serial number: nobody else's phone of that name has it.
func (s *Server) calledPhone(person uuid.UUID, name string) string {
	return s.secret.PhoneHash(person.String() + "\n" + strings.TrimSpace(name))
}

// notYet refuses a day that nobody can have seen, wherever on earth they are.
func notYet(day string) error {
	on, err := time.Parse(time.DateOnly, day)
	if err == nil && on.After(time.Now().UTC().Add(24*time.Hour)) {
		return errors.New("the day of a trial lies in the future")
	}
	return nil
}
