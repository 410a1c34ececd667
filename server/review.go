package server

import (
	"context"
	"encoding/json"
	"net/http"
	"strconv"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/change"
	"roster/core/evidence"
	"roster/store"
)

type changesInput struct {
	State  string `query:"state" enum:"sent,accepted,returned,turned-down,taken-back"`
	Mine   bool   `query:"mine" doc:"Only your own"`
	Cursor int64  `query:"cursor" doc:"Number of the last change of the page before"`
	Limit  int    `query:"limit" minimum:"1" maximum:"200" default:"50"`
}

// reviewedEdit is an edit as a reviewer sees it.
type reviewedEdit struct {
	store.Edit
	// Verdict is how the edit meets the catalogue as it is now.
	Verdict string `json:"verdict" enum:"applies,nothing,conflict"`
	// Before and After are the package's figures at the edit's scope, as they
	// are and as they would be with all open trials of this change.
	Before      sideFigures `json:"before"`
	After       sideFigures `json:"after"`
	MoreLenient bool        `json:"moreLenient" doc:"The load is more lenient than the evidence suggests"`
}

type sideFigures struct {
	Figures
	Strip     string `json:"strip"`
	Suggested string `json:"suggested"`
}

type reviewedChange struct {
	store.Change
	Own    bool           `json:"own"`
	Review []reviewedEdit `json:"review" nullable:"false"`
}

type reviewedOutput struct {
	ETag string `header:"ETag"`
	Body reviewedChange
}

type decideInput struct {
	ID      uuid.UUID `path:"id"`
	IfMatch string    `header:"If-Match" required:"true" doc:"The revision that you saw, as in the change's ETag"`
	Body    struct {
		Decisions []store.Decision `json:"decisions" minItems:"1" maxItems:"5000" nullable:"false"`
	}
}

func (s *Server) reviewRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listChanges", Method: http.MethodGet, Path: "/api/v1/changes", Summary: "Changes; open ones oldest first"},
		func(ctx context.Context, in *changesInput) (*listOutput[store.Change], error) {
			q := store.ChangeQuery{State: in.State, After: in.Cursor, Limit: in.Limit}
			if in.Mine {
				q.Author = personOf(ctx).ID
			}
			return listOf(s.store.Changes(ctx, q))
		})
	route(s, Technician, huma.Operation{OperationID: "getChange", Method: http.MethodGet, Path: "/api/v1/changes/{id}", Summary: "A change with its edits and their evidence"},
		func(ctx context.Context, in *idInput) (*reviewedOutput, error) { return s.change(ctx, in.ID) })
	route(s, Reviewer, huma.Operation{OperationID: "decideChange", Method: http.MethodPost, Path: "/api/v1/changes/{id}/decisions", Summary: "Accept, return or turn down edits, all or none"},
		func(ctx context.Context, in *decideInput) (*reviewedOutput, error) {
			revision, err := revisionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			for _, d := range in.Body.Decisions {
				if d.Verdict == "returned" && d.Words == "" {
					return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Say what is missing: an edit is returned with words.")
				}
			}
			if err := s.store.Decide(ctx, personOf(ctx).ID, in.ID, revision, in.Body.Decisions); err != nil {
				return nil, err
			}
			return s.change(ctx, in.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "takeBackChange", Method: http.MethodPost, Path: "/api/v1/changes/{id}/take-back", Summary: "Withdraw a change that you sent"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.TakeBack(ctx, personOf(ctx).ID, in.ID)
		})
}

// revisionOf reads an If-Match header such as "3".
func revisionOf(etag string) (int, error) {
	text, err := strconv.Unquote(etag)
	if err != nil {
		text = etag
	}
	n, err := strconv.Atoi(text)
	if err != nil {
		return 0, problem(http.StatusUnprocessableEntity, "bad-request", "If-Match must hold the revision that you saw, such as \"3\".")
	}
	return n, nil
}

func etagOf(revision int) string { return strconv.Quote(strconv.Itoa(revision)) }

func (s *Server) change(ctx context.Context, id uuid.UUID) (*reviewedOutput, error) {
	c, edits, err := s.store.Change(ctx, id)
	if err != nil {
		return nil, err
	}
	basis, err := s.store.ChangeEvidence(ctx, c.AuthorID, edits)
	if err != nil {
		return nil, err
	}
	out := &reviewedOutput{ETag: etagOf(c.Revision), Body: reviewedChange{Change: c, Own: c.AuthorID == personOf(ctx).ID, Review: make([]reviewedEdit, len(edits))}}
	for i, e := range edits {
		r := reviewedEdit{Edit: e, Verdict: string(change.Applies)}
		if !change.Field(e.Field).Adds() {
			r.Verdict = string(change.Merge(e.Base, e.Now, e.Value))
		}
		b := basis[e.ID]
		r.Before, r.After = sideOf(b.Now, b.Method, b.Target, b.Yardstick), sideOf(b.Then, b.Method, b.Target, b.Yardstick)
		if e.Field == string(change.Load) {
			var v change.LoadValue
			if err := json.Unmarshal(e.Value, &v); err == nil && e.State == "open" {
				r.MoreLenient = v.Load.MoreLenientThan(evidence.Load(r.After.Suggested))
			}
		}
		out.Body.Review[i] = r
	}
	return out, nil
}

func sideOf(trials []evidence.Trial, method evidence.Method, target evidence.Firmware, y evidence.Yardstick) sideFigures {
	f := evidence.Weigh(trials, method, target, y)
	return sideFigures{figuresOf(f), evidence.Strip(trials, method, target), string(evidence.SuggestedLoad(f, y.Thresholds))}
}
