package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/foreign"
	"roster/store"
)

type readListInput struct {
	RawBody []byte `contentType:"application/octet-stream"`
}

type readList struct {
	foreign.Table
	// Values has for each column up to 60 different values.
	Values [][]string `json:"values" nullable:"false"`
	Of     int        `json:"of" doc:"How many rows there are; only the first are shown"`
	// Mapping is how a list of this shape was read the last time.
	Mapping *foreign.Mapping `json:"mapping,omitempty"`
}

type readListOutput struct{ Body readList }

// listBody is a list with how it is to be read. It travels whole each time, so
// that no server has to keep it.
type listBody struct {
	Text    string          `json:"text" maxLength:"8388608"`
	Mapping foreign.Mapping `json:"mapping"`
	Maker   string          `json:"maker,omitempty" maxLength:"80" doc:"Where the list's grades hold; nothing for everywhere"`
	Model   string          `json:"model,omitempty" maxLength:"80"`
	Groups  []string        `json:"groups,omitempty" enum:"new,contradicts" nullable:"false" doc:"What to send"`
}

type listInput struct {
	Key  string `header:"Idempotency-Key" maxLength:"100"`
	Body listBody
}

// importRow is what would become of one entry.
type importRow struct {
	Place string `json:"place"`
	Name  string `json:"name"`
	Label string `json:"label"`
	// Group is new, known, unknown or contradicts.
	Group  string        `json:"group" enum:"new,known,unknown,contradicts"`
	Quote  string        `json:"quote"`
	Theirs evidence.Load `json:"theirs"`
	Ours   evidence.Load `json:"ours"`
	Why    string        `json:"why"`
	entry  foreign.Entry
	known  store.KnownPackage
}

type importPreview struct {
	Rows     []importRow       `json:"rows" nullable:"false"`
	Problems []foreign.Trouble `json:"problems" nullable:"false"`
}

type importPreviewOutput struct{ Body importPreview }

// maxListBytes is a list with room for how JSON writes it.
const maxListBytes = 3 * foreign.MaxBytes

func (s *Server) importRoutes() {
	route(s, Technician, huma.Operation{OperationID: "readList", Method: http.MethodPost, Path: "/api/v1/imports/read", Summary: "Find the rows and columns of a list from elsewhere", MaxBodyBytes: maxListBytes}, s.readList)
	route(s, Technician, huma.Operation{OperationID: "previewImport", Method: http.MethodPost, Path: "/api/v1/imports/preview", Summary: "What would become of a list; nothing is written", MaxBodyBytes: maxListBytes},
		func(ctx context.Context, in *listInput) (*importPreviewOutput, error) {
			p, _, _, err := s.previewImport(ctx, in.Body)
			return &importPreviewOutput{p}, err
		})
	route(s, Technician, huma.Operation{OperationID: "importList", Method: http.MethodPost, Path: "/api/v1/imports", Summary: "Send a list from elsewhere as one change of sources", DefaultStatus: http.StatusCreated, MaxBodyBytes: maxListBytes}, s.importList)
}

func (s *Server) readList(ctx context.Context, in *readListInput) (*readListOutput, error) {
	t, err := foreign.Read(ctx, in.RawBody)
	if err != nil {
		return nil, badRequest(err)
	}
	out := &readListOutput{readList{Table: *t, Values: make([][]string, len(t.Columns)), Of: len(t.Rows)}}
	for i := range t.Columns {
		out.Body.Values[i] = t.Values(i, 60)
	}
	out.Body.Rows = t.Rows[:min(len(t.Rows), 40)]
	out.Body.Mapping, err = s.store.Mapping(ctx, t.Shape())
	return out, err
}

func (s *Server) previewImport(ctx context.Context, in listBody) (p importPreview, t *foreign.Table, at catalog.Scope, err error) {
	p = importPreview{Rows: []importRow{}, Problems: []foreign.Trouble{}}
	if t, err = foreign.Read(ctx, []byte(in.Text)); err != nil {
		return p, nil, at, badRequest(err)
	}
	entries, problems, err := in.Mapping.Entries(t)
	if err != nil {
		return p, nil, at, badRequest(err)
	}
	p.Problems = append(append(p.Problems, t.Problems...), problems...)
	at = catalog.Scope{Kind: catalog.Everywhere}
	if in.Maker != "" {
		if at, err = s.store.ScopeByNames(ctx, in.Maker, in.Model, ""); err != nil {
			return p, nil, at, err
		}
	}
	names := make([]string, len(entries))
	for i, e := range entries {
		names[i] = string(e.Name)
	}
	known, err := s.store.KnownTo(ctx, names, strings.TrimSpace(in.Mapping.Title), at)
	if err != nil {
		return p, nil, at, err
	}
	for _, e := range entries {
		raw, err := json.Marshal(e.Source)
		if err == nil {
			err = change.Check(change.Source, at, raw)
		}
		if err != nil {
			p.Problems = append(p.Problems, foreign.Trouble{Place: e.Place, Words: err.Error()})
			continue
		}
		k, there := known[string(e.Name)]
		p.Rows = append(p.Rows, groupRow(e, k, there))
	}
	return p, t, at, nil
}

// groupRow says what would become of an entry, and why.
func groupRow(e foreign.Entry, k store.KnownPackage, there bool) importRow {
	r := importRow{Place: e.Place, Name: string(e.Name), Label: k.Label, Group: "new", Quote: e.Source.Quote, Theirs: e.Source.Load, Ours: k.Load, entry: e, known: k}
	switch {
	case !there:
		r.Group, r.Why = "unknown", "no capture has shown this package"
		r.Ours = ""
	case slices.Contains(k.Says, e.Source.Load):
		r.Group, r.Why = "known", "this list has said that before"
	case e.Source.Load != "" && e.Source.Load.MoreLenientThan(k.Load) && k.Load != evidence.Unproven:
		r.Group, r.Why = "contradicts", fmt.Sprintf("more lenient than the catalogue; %d of %d phones were harmed", k.Harmed, k.Phones)
	case e.Source.Load != "" && k.Harmed > 0 && e.Source.Load.MoreLenientThan(k.Suggested):
		r.Group, r.Why = "contradicts", fmt.Sprintf("%d of %d phones were harmed", k.Harmed, k.Phones)
	}
	return r
}

func (s *Server) importList(ctx context.Context, in *listInput) (*createdOutput, error) {
	title := strings.TrimSpace(in.Body.Mapping.Title)
	sending := sendingOf(in.Key, "Import of "+title, fmt.Sprintf("Imported from %s. Each row is a source: nothing of it counts as a trial.", title), in.Body)
	sending.ImportedFrom = title
	if id, ok, err := s.store.Answered(ctx, personOf(ctx).ID, sending); ok || err != nil {
		return &createdOutput{created{id}}, err
	}
	p, t, at, err := s.previewImport(ctx, in.Body)
	if err != nil {
		return nil, err
	}
	groups := in.Body.Groups
	if len(groups) == 0 {
		groups = []string{"new"}
	}
	var edits []store.NewEdit
	for _, r := range p.Rows {
		if !slices.Contains(groups, r.Group) {
			continue
		}
		more, err := importEdits(r, at)
		if err != nil {
			return nil, err
		}
		edits = append(edits, more...)
	}
	if len(edits) == 0 || len(edits) > 5000 {
		return nil, problem(http.StatusUnprocessableEntity, "bad-request", fmt.Sprintf("This would send %d edits; a change has 1 to 5000.", len(edits)))
	}
	id, err := s.store.SendNew(ctx, personOf(ctx).ID, sending, edits)
	if err != nil {
		return nil, err
	}
	return &createdOutput{created{id}}, s.store.KeepMapping(ctx, personOf(ctx).ID, t.Shape(), in.Body.Mapping)
}

// importEdits are a source and, where the list has another name, an alias.
func importEdits(r importRow, at catalog.Scope) ([]store.NewEdit, error) {
	raw, err := json.Marshal(r.entry.Source)
	if err != nil {
		return nil, err
	}
	edits := []store.NewEdit{{Package: r.known.ID, Field: change.Source, Scope: at, Value: raw, Reason: "from " + r.entry.Source.Title + ", " + r.Place}}
	label := r.entry.Label
	if label == "" || label == r.Label || slices.Contains(r.known.Aliases, label) {
		return edits, nil
	}
	if raw, err = json.Marshal(append(slices.Clone(r.known.Aliases), label)); err != nil {
		return nil, err
	}
	everywhere := catalog.Scope{Kind: catalog.Everywhere}
	if change.Check(change.Aliases, everywhere, raw) == nil {
		edits = append(edits, store.NewEdit{Package: r.known.ID, Field: change.Aliases, Scope: everywhere, Value: raw, Reason: "called so by " + r.entry.Source.Title})
	}
	return edits, nil
}
