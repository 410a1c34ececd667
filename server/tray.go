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
	Field   string          `json:"field" enum:"load,trial,source,description,origin,functions,labels,aliases,substitutes,countries"`
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
			edits, err := s.checkEdits(ctx, in.Body.Edits)
			if err != nil {
				return nil, err
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

// checkEdits makes sure that edits are good before they reach the tray; the
// error says which is not.
func (s *Server) checkEdits(ctx context.Context, list []editInput) ([]store.NewEdit, error) {
	names, builds := make([]string, len(list)), []uuid.UUID{}
	trials := make([]change.TrialValue, len(list))
	for i, e := range list {
		names[i] = e.Package
		if err := change.Check(change.Field(e.Field), e.Scope, e.Value); err != nil {
			return nil, badRequest(fmt.Errorf("edit %d: %w", i+1, err))
		}
		if change.Field(e.Field) != change.Trial {
			continue
		}
		if err := json.Unmarshal(e.Value, &trials[i]); err != nil {
			return nil, badRequest(fmt.Errorf("edit %d: %w", i+1, err))
		}
		build, err := uuid.Parse(trials[i].Build)
		if err != nil {
			return nil, badRequest(fmt.Errorf("edit %d: build %q is not an id", i+1, trials[i].Build))
		}
		builds = append(builds, build)
	}
	packages, known, err := s.store.Known(ctx, names, builds)
	if err != nil {
		return nil, err
	}
	edits := make([]store.NewEdit, len(list))
	for i, e := range list {
		id, ok := packages[e.Package]
		if !ok {
			return nil, fmt.Errorf("edit %d: package %q: %w", i+1, e.Package, store.ErrNotFound)
		}
		edits[i] = store.NewEdit{Package: id, Field: change.Field(e.Field), Scope: e.Scope, Value: e.Value, Reason: strings.TrimSpace(e.Reason)}
		switch change.Field(e.Field) {
		case change.Trial:
			err = s.finishTrial(ctx, &edits[i], trials[i], known)
		case change.Source:
			var v change.SourceValue
			if err = json.Unmarshal(e.Value, &v); err == nil && v.Attachment != "" {
				edits[i].Attachments, err = attachmentIDs([]string{v.Attachment})
			}
		}
		if err != nil {
			err = fmt.Errorf("edit %d: %w", i+1, err)
			if errors.Is(err, store.ErrNotFound) {
				return nil, err
			}
			return nil, badRequest(err)
		}
	}
	return edits, nil
}

// finishTrial checks what a trial refers to and hides its phone.
func (s *Server) finishTrial(ctx context.Context, e *store.NewEdit, t change.TrialValue, known map[uuid.UUID]bool) (err error) {
	if !known[uuid.MustParse(t.Build)] {
		return fmt.Errorf("build %s: %w", t.Build, store.ErrNotFound)
	}
	if err := notYet(t.On); err != nil {
		return err
	}
	if e.Attachments, err = attachmentIDs(t.Attachments); err != nil {
		return err
	}
	if name, ok := strings.CutPrefix(t.Phone, "called:"); ok {
		t.Phone = s.calledPhone(personOf(ctx).ID, name)
		e.Value, err = json.Marshal(t)
		return err
	}
	if !phoneMark.MatchString(t.Phone) {
		// A serial number, sent as it is, must never be stored.
		return errors.New("the phone is neither the mark of a captured one nor called:NAME")
	}
	return nil
}

func attachmentIDs(list []string) ([]uuid.UUID, error) {
	ids := make([]uuid.UUID, len(list))
	for i, text := range list {
		var err error
		if ids[i], err = uuid.Parse(text); err != nil {
			return nil, fmt.Errorf("%q is not the id of a file", text)
		}
	}
	return ids, nil
}
