package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/catalog"
	"roster/core/change"
	"roster/store"
)

// editInput is one edit as a client sends it. A trial's phone is the hash of
// a captured one, or "called:NAME" for a phone that its technician tells apart
// by a name or serial number, which the server hashes.
type editInput struct {
	Package string          `json:"package" maxLength:"255"`
	Field   string          `json:"field" enum:"load,trial,description,origin,functions,labels,aliases"`
	Scope   catalog.Scope   `json:"scope"`
	Value   json.RawMessage `json:"value"`
	Reason  string          `json:"reason" maxLength:"2000"`
}

type editsInput struct {
	Body struct {
		Edits []editInput `json:"edits" minItems:"1" maxItems:"500" nullable:"false"`
	}
}

type sendInput struct {
	Key  string `header:"Idempotency-Key" maxLength:"100" doc:"The same key sends once, however often it is tried"`
	Body struct {
		Title string      `json:"title" maxLength:"200" minLength:"1"`
		Edits []uuid.UUID `json:"edits" minItems:"1" maxItems:"5000" nullable:"false"`
	}
}

type created struct {
	ID uuid.UUID `json:"id"`
}

type createdOutput struct{ Body created }

type idInput struct {
	ID uuid.UUID `path:"id"`
}

func (s *Server) trayRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getTray", Method: http.MethodGet, Path: "/api/v1/tray", Summary: "Your unsent edits, oldest first"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.Edit], error) {
			return listOf(s.store.Tray(ctx, personOf(ctx).ID))
		})
	route(s, Technician, huma.Operation{OperationID: "addEdits", Method: http.MethodPost, Path: "/api/v1/tray/edits", Summary: "Put edits into your tray, all or none", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *editsInput) (*listOutput[uuid.UUID], error) {
			edits := make([]store.NewEdit, len(in.Body.Edits))
			for i, e := range in.Body.Edits {
				var err error
				if edits[i], err = s.checkEdit(ctx, e); err != nil {
					return nil, fmt.Errorf("edit %d: %w", i+1, err)
				}
			}
			return listOf(s.store.AddEdits(ctx, personOf(ctx).ID, edits))
		})
	route(s, Technician, huma.Operation{OperationID: "removeEdit", Method: http.MethodDelete, Path: "/api/v1/tray/edits/{id}", Summary: "Take an edit out of your tray"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.RemoveEdit(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "reopenEdit", Method: http.MethodPost, Path: "/api/v1/edits/{id}/reopen", Summary: "Put a returned edit back into your tray"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.Reopen(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "sendChange", Method: http.MethodPost, Path: "/api/v1/changes", Summary: "Send edits of your tray as one change", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *sendInput) (*createdOutput, error) {
			id, err := s.store.Send(ctx, personOf(ctx).ID, in.Key, strings.TrimSpace(in.Body.Title), in.Body.Edits)
			return &createdOutput{created{id}}, err
		})
}

// phoneMark is what Secret.PhoneHash makes.
var phoneMark = regexp.MustCompile(`^[0-9a-f]{24}$`)

// checkEdit makes sure that an edit is good before it reaches the tray.
func (s *Server) checkEdit(ctx context.Context, in editInput) (store.NewEdit, error) {
	e := store.NewEdit{Field: change.Field(in.Field), Scope: in.Scope, Value: in.Value, Reason: strings.TrimSpace(in.Reason)}
	p, err := s.store.Package(ctx, in.Package)
	if err != nil {
		return e, fmt.Errorf("package %q: %w", in.Package, err)
	}
	e.Package = p.ID
	if err := change.Check(e.Field, e.Scope, e.Value); err != nil {
		return e, badRequest(err)
	}
	if e.Field != change.Trial {
		return e, nil
	}
	var t change.TrialValue
	if err := json.Unmarshal(e.Value, &t); err != nil {
		return e, badRequest(err)
	}
	build, err := uuid.Parse(t.Build)
	if err != nil {
		return e, badRequest(fmt.Errorf("build %q is not an id", t.Build))
	}
	found, err := s.store.BuildExists(ctx, build)
	if err != nil {
		return e, err
	}
	if !found {
		return e, fmt.Errorf("build %s: %w", build, store.ErrNotFound)
	}
	if name, ok := strings.CutPrefix(t.Phone, "called:"); ok {
		t.Phone = s.secret.PhoneHash(personOf(ctx).ID.String() + "\n" + strings.TrimSpace(name))
		if e.Value, err = json.Marshal(t); err != nil {
			return e, err
		}
	} else if !phoneMark.MatchString(t.Phone) {
		// A serial number, sent as it is, must never be stored.
		return e, badRequest(errors.New("the phone is neither the mark of a captured one nor called:NAME"))
	}
	return e, nil
}
