package server

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
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
// by a name or serial number, which the server hashes. A trial's build is an
// id or a fingerprint.
type editInput struct {
	Package string        `json:"package" maxLength:"255"`
	Field   string        `json:"field" enum:"load,trial,source,description,origin,functions,labels,aliases,substitutes,countries,links,translations,debugging"`
	Scope   catalog.Scope `json:"scope,omitempty"`
	// At is the scope by names, for who does not know ids.
	At     *scopeNames     `json:"at,omitempty"`
	Value  json.RawMessage `json:"value"`
	Reason string          `json:"reason,omitempty" maxLength:"2000"`
}

// scopeNames is a scope as an address has it.
type scopeNames struct {
	Maker string `json:"maker" minLength:"1" maxLength:"80"`
	Model string `json:"model,omitempty" maxLength:"80"`
	Build string `json:"build,omitempty" maxLength:"300" doc:"A fingerprint"`
}

type editsInput struct {
	Body struct {
		Edits []editInput `json:"edits" minItems:"1" maxItems:"5000" nullable:"false"`
	}
}

type addedEdits struct {
	Items []uuid.UUID `json:"items" nullable:"false"`
	// Displaced are edits of the same fields that lost their place.
	Displaced []store.Displaced `json:"displaced" nullable:"false"`
}

type addedOutput struct{ Body addedEdits }

type sendInput struct {
	Key  string `header:"Idempotency-Key" maxLength:"100" doc:"The same key sends once, however often it is tried"`
	Body struct {
		Title string      `json:"title" maxLength:"200" minLength:"1"`
		Words string      `json:"words,omitempty" maxLength:"5000" doc:"Why the whole is sent"`
		Edits []uuid.UUID `json:"edits" minItems:"1" maxItems:"5000" nullable:"false"`
	}
}

// wholeChange is a change with its edits: what roster send sends.
type wholeChange struct {
	Format string      `json:"format,omitempty" enum:"roster-edits/1"`
	Title  string      `json:"title" maxLength:"200" minLength:"1"`
	Words  string      `json:"words,omitempty" maxLength:"5000" doc:"Why the whole is sent"`
	Edits  []editInput `json:"edits" minItems:"1" maxItems:"5000" nullable:"false"`
}

type sendWholeInput struct {
	Key  string `header:"Idempotency-Key" maxLength:"100"`
	Body wholeChange
}

type reasonInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Reason string `json:"reason" maxLength:"2000"`
	}
}

type checkedOutput struct{ Body store.Checked }

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
		func(ctx context.Context, in *editsInput) (*addedOutput, error) {
			edits, err := s.checkEdits(ctx, in.Body.Edits)
			if err != nil {
				return nil, err
			}
			ids, displaced, err := s.store.AddEdits(ctx, personOf(ctx).ID, edits)
			return &addedOutput{addedEdits{ids, displaced}}, err
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
			sending := sendingOf(in.Key, in.Body.Title, in.Body.Words, in.Body)
			sending.Edits = in.Body.Edits
			id, err := s.store.Send(ctx, personOf(ctx).ID, sending)
			return &createdOutput{created{id}}, err
		})
	route(s, Technician, huma.Operation{OperationID: "sendWhole", Method: http.MethodPost, Path: "/api/v1/changes/whole", Summary: "Send a change with its edits at once, all or none", DefaultStatus: http.StatusCreated, MaxBodyBytes: 16 << 20},
		func(ctx context.Context, in *sendWholeInput) (*createdOutput, error) {
			sending := sendingOf(in.Key, in.Body.Title, in.Body.Words, in.Body)
			if id, ok, err := s.store.Answered(ctx, personOf(ctx).ID, sending); ok || err != nil {
				return &createdOutput{created{id}}, err
			}
			edits, err := s.checkEdits(ctx, in.Body.Edits)
			if err != nil {
				return nil, err
			}
			id, err := s.store.SendNew(ctx, personOf(ctx).ID, sending, edits)
			return &createdOutput{created{id}}, err
		})
	route(s, Technician, huma.Operation{OperationID: "checkTray", Method: http.MethodPost, Path: "/api/v1/tray/check", Summary: "What a reviewer would ask about your unsent edits"},
		func(ctx context.Context, in *knockOnInput) (*checkedOutput, error) {
			edits, err := s.trayEdits(ctx, in.Body.Edits)
			if err != nil {
				return nil, err
			}
			checked, err := s.store.CheckSending(ctx, personOf(ctx).ID, edits)
			return &checkedOutput{checked}, err
		})
	route(s, Technician, huma.Operation{OperationID: "trayKnockOn", Method: http.MethodPost, Path: "/api/v1/tray/knock-on", Summary: "What your unsent edits would do to profiles, releases and figures"},
		func(ctx context.Context, in *knockOnInput) (*knockOnOutput, error) {
			edits, err := s.trayEdits(ctx, in.Body.Edits)
			if err != nil {
				return nil, err
			}
			k, err := s.store.KnockOn(ctx, personOf(ctx).ID, edits)
			return &knockOnOutput{k}, err
		})
	route(s, Technician, huma.Operation{OperationID: "setReason", Method: http.MethodPut, Path: "/api/v1/tray/edits/{id}/reason", Summary: "Say why an unsent edit is made"},
		func(ctx context.Context, in *reasonInput) (*struct{}, error) {
			return nil, s.store.SetReason(ctx, personOf(ctx).ID, in.ID, strings.TrimSpace(in.Body.Reason))
		})
}

// sendingOf is a sending with what it says of itself. Body is all that was
// sent, by which it is told from another with the same key.
func sendingOf(key, title, words string, body any) store.Sending {
	raw, err := json.Marshal(body)
	if err != nil {
		panic(err) // it was read from JSON
	}
	sum := sha256.Sum256(raw)
	return store.Sending{Key: key, Content: hex.EncodeToString(sum[:]), Title: strings.TrimSpace(title), Words: strings.TrimSpace(words)}
}

// trayEdits are the person's unsent edits, or those of them that are named.
func (s *Server) trayEdits(ctx context.Context, ids []uuid.UUID) ([]store.Edit, error) {
	edits, err := s.store.Tray(ctx, personOf(ctx).ID)
	return pick(edits, "in-tray", ids), err
}

// phoneMark is what Secret.PhoneHash makes.
var phoneMark = regexp.MustCompile(`^[0-9a-f]{24}$`)

// checkEdits makes sure that edits are good before they reach the tray; the
// error says which is not.
func (s *Server) checkEdits(ctx context.Context, list []editInput) ([]store.NewEdit, error) {
	if err := s.resolve(ctx, list); err != nil {
		return nil, err
	}
	names, builds := make([]string, len(list)), []uuid.UUID{}
	trials := make([]change.TrialValue, len(list))
	for i, e := range list {
		names[i] = e.Package
		var err error
		if e.Scope, e.Value, err = change.Canonical(change.Field(e.Field), e.Scope, e.Value); err != nil {
			return nil, badRequest(fmt.Errorf("edit %d: %w", i+1, err))
		}
		list[i] = e
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

// resolve turns names of makers, models and builds into ids.
func (s *Server) resolve(ctx context.Context, list []editInput) error {
	scopes, builds := map[scopeNames]catalog.Scope{}, map[string]string{}
	for i := range list {
		e := &list[i]
		if e.At != nil {
			at, ok := scopes[*e.At]
			if !ok {
				var err error
				if at, err = s.store.ScopeByNames(ctx, e.At.Maker, e.At.Model, e.At.Build); err != nil {
					return fmt.Errorf("edit %d: %w", i+1, err)
				}
				scopes[*e.At] = at
			}
			e.Scope, e.At = at, nil
		}
		if e.Scope.Kind == "" {
			e.Scope.Kind = catalog.Everywhere
		}
		if e.Field != string(change.Trial) {
			continue
		}
		var fields map[string]json.RawMessage
		var build string
		if json.Unmarshal(e.Value, &fields) != nil || json.Unmarshal(fields["build"], &build) != nil || !strings.Contains(build, "/") {
			continue
		}
		if _, ok := builds[build]; !ok {
			at, err := s.store.ScopeByNames(ctx, "", "", build)
			if err != nil {
				return fmt.Errorf("edit %d: %w", i+1, err)
			}
			builds[build] = at.ID
		}
		fields["build"], _ = json.Marshal(builds[build])
		var err error
		if e.Value, err = json.Marshal(fields); err != nil {
			return err
		}
	}
	return nil
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
