package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/change"
	"roster/core/evidence"
	"roster/store"
)

type changesInput struct {
	State  change.State `query:"state" enum:"sent,accepted,returned,turned-down,taken-back"`
	Mine   bool         `query:"mine" doc:"Only your own"`
	Author string       `query:"author" format:"uuid" doc:"Only this person's"`
	Cursor string       `query:"cursor" maxLength:"200" doc:"Where the page before ended"`
	Limit  int          `query:"limit" minimum:"1" maximum:"200" default:"50"`
}

type changesPage struct {
	Items []store.Change `json:"items" nullable:"false"`
	Next  string         `json:"next" doc:"Cursor of the next page, empty on the last"`
}

type changesOutput struct{ Body changesPage }

// reviewedEdit is an edit as a reviewer sees it.
type reviewedEdit struct {
	store.Edit
	// Verdict is how the edit meets the catalogue as it is now.
	Verdict string `json:"verdict" enum:"applies,nothing,conflict"`
	// Before and After are the package's figures at the edit's scope, as they
	// are and as they would be with all open trials of this change.
	Before sideFigures `json:"before"`
	After  sideFigures `json:"after"`
	// Alone are the figures with this trial and no other of the change; left out
	// where there is no other.
	Alone *sideFigures `json:"alone,omitempty"`
	// Needs is how many reviewers have to accept it, Why the reasons to want
	// more than one.
	Needs int      `json:"needs"`
	Why   []string `json:"why" nullable:"false"`
	// InForce is the load that holds at its scope without it; left out of edits
	// of all else.
	InForce *store.LoadInForce `json:"inForce,omitempty"`
	// Moved says what has happened since the reader last looked: new, decided,
	// catalogue or said; "" where nothing has.
	Moved string `json:"moved" enum:",new,decided,catalogue,said"`
}

type sideFigures struct {
	Figures
	Strip     string `json:"strip"`
	Suggested string `json:"suggested"`
}

type reviewedChange struct {
	store.Change
	store.Talk
	Own    bool           `json:"own"`
	Alone  bool           `json:"alone" doc:"You may decide about your own: this installation has nobody else"`
	Review []reviewedEdit `json:"review" nullable:"false"`
	// At is when this was read: what a look notes.
	At time.Time `json:"at"`
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

type someEdits struct {
	Edits []uuid.UUID `json:"edits,omitempty" maxItems:"5000" nullable:"false" doc:"Only these edits; none asks for all open ones"`
}

type knockOnInput struct{ Body someEdits }

type changeKnockOnInput struct {
	ID   uuid.UUID `path:"id"`
	Body someEdits
}

type knockOnOutput struct{ Body store.KnockOn }

type rulesBody struct {
	IfMatch string `header:"If-Match" required:"true"`
	Body    change.ReviewRules
}

type rulesOutput struct {
	ETag string `header:"ETag"`
	Body change.ReviewRules
}

func (s *Server) reviewRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listChanges", Method: http.MethodGet, Path: "/api/v1/changes", Summary: "Changes; open ones in the order of the queue, others newest first"}, s.changes)
	route(s, Technician, huma.Operation{OperationID: "getChange", Method: http.MethodGet, Path: "/api/v1/changes/{id}", Summary: "A change with its edits, their evidence and what was said"},
		func(ctx context.Context, in *idInput) (*reviewedOutput, error) { return s.change(ctx, in.ID) })
	route(s, Technician, huma.Operation{OperationID: "changeKnockOn", Method: http.MethodPost, Path: "/api/v1/changes/{id}/knock-on", Summary: "What a change would do to profiles, releases and figures; nothing is written"},
		func(ctx context.Context, in *changeKnockOnInput) (*knockOnOutput, error) {
			author, edits, err := s.store.ChangeEdits(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			k, err := s.store.KnockOn(ctx, author, pick(edits, "open", in.Body.Edits))
			return &knockOnOutput{k}, err
		})
	route(s, Reviewer, huma.Operation{OperationID: "decideChange", Method: http.MethodPost, Path: "/api/v1/changes/{id}/decisions", Summary: "Accept, return or turn down edits, all or none"}, s.decide)
	route(s, Technician, huma.Operation{OperationID: "takeBackChange", Method: http.MethodPost, Path: "/api/v1/changes/{id}/take-back", Summary: "Withdraw a change that you sent"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.TakeBack(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "getReviewRules", Method: http.MethodGet, Path: "/api/v1/review-rules", Summary: "How many reviewers edits need"},
		func(ctx context.Context, _ *struct{}) (*rulesOutput, error) {
			r, revision, err := s.store.ReviewRules(ctx)
			return &rulesOutput{etagOf(revision), r}, err
		})
	route(s, Keeper, huma.Operation{OperationID: "setReviewRules", Method: http.MethodPut, Path: "/api/v1/review-rules", Summary: "Change how many reviewers edits need"},
		func(ctx context.Context, in *rulesBody) (*rulesOutput, error) {
			revision, err := revisionOf(in.IfMatch)
			if err != nil {
				return nil, err
			}
			if err := in.Body.Check(); err != nil {
				return nil, badRequest(err)
			}
			err = s.store.SetReviewRules(ctx, personOf(ctx).ID, revision, in.Body)
			return &rulesOutput{etagOf(revision + 1), in.Body}, err
		})
}

// pick are the edits in a state, or those of them that are named.
func pick(edits []store.Edit, state change.State, ids []uuid.UUID) []store.Edit {
	wanted := map[uuid.UUID]bool{}
	for _, id := range ids {
		wanted[id] = true
	}
	var list []store.Edit
	for _, e := range edits {
		if e.State == state && (len(ids) == 0 || wanted[e.ID]) {
			list = append(list, e)
		}
	}
	return list
}

func (s *Server) changes(ctx context.Context, in *changesInput) (*changesOutput, error) {
	q := store.ChangeQuery{State: in.State, Reader: personOf(ctx).ID, Limit: in.Limit + 1}
	if in.Author != "" {
		var err error
		if q.Author, err = uuid.Parse(in.Author); err != nil {
			return nil, badRequest(err)
		}
	}
	if in.Mine {
		q.Author = personOf(ctx).ID
	}
	if in.Cursor != "" {
		raw, err := base64.RawURLEncoding.DecodeString(in.Cursor)
		if err != nil || json.Unmarshal(raw, &q.After) != nil {
			return nil, problem(http.StatusUnprocessableEntity, "bad-request", "The cursor is not one of this list.")
		}
	}
	list, err := s.store.Changes(ctx, q)
	out := &changesOutput{changesPage{Items: list}}
	if len(list) > in.Limit {
		out.Body.Items = list[:in.Limit]
		place, err := json.Marshal(list[in.Limit-1].Place())
		if err != nil {
			return nil, err
		}
		out.Body.Next = base64.RawURLEncoding.EncodeToString(place)
	}
	return out, err
}

// revisionOf reads an If-Match header such as "3".
func revisionOf(etag string) (int, error) {
	text, err := strconv.Unquote(etag)
	if err != nil {
		text = etag
	}
	n, err := strconv.ParseInt(text, 10, 32)
	if err != nil {
		return 0, problem(http.StatusUnprocessableEntity, "bad-request", "If-Match must hold the revision that you saw, such as \"3\".")
	}
	return int(n), nil
}

func etagOf(revision int) string { return strconv.Quote(strconv.Itoa(revision)) }

func (s *Server) decide(ctx context.Context, in *decideInput) (*reviewedOutput, error) {
	revision, err := revisionOf(in.IfMatch)
	if err != nil {
		return nil, err
	}
	for _, d := range in.Body.Decisions {
		if d.Verdict == change.Returned && d.Words == "" {
			return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Say what is missing: an edit is returned with words.")
		}
	}
	if err := s.store.Decide(ctx, personOf(ctx).ID, in.ID, revision, in.Body.Decisions); err != nil {
		return nil, err
	}
	return s.change(ctx, in.ID)
}

func (s *Server) change(ctx context.Context, id uuid.UUID) (*reviewedOutput, error) {
	reader := personOf(ctx).ID
	at := time.Now()
	c, edits, err := s.store.Change(ctx, reader, id)
	if err != nil {
		return nil, err
	}
	out := &reviewedOutput{ETag: etagOf(c.Revision), Body: reviewedChange{Change: c, Own: c.AuthorID == reader, Review: make([]reviewedEdit, len(edits)), At: at}}
	if out.Body.Talk, err = s.store.TalkOf(ctx, reader, id); err != nil {
		return nil, err
	}
	rules, _, err := s.store.ReviewRules(ctx)
	if err != nil {
		return nil, err
	}
	if out.Body.Alone = rules.Alone && out.Body.Own; out.Body.Alone {
		if out.Body.Alone, err = s.store.OnlyReviewer(ctx, reader); err != nil {
			return nil, err
		}
	}
	now, err := s.store.EvidenceSnapshot(ctx, edits)
	if err != nil {
		return nil, err
	}
	var trials []store.Edit
	tried := map[uuid.UUID]int{}
	for _, e := range edits {
		if e.State == change.Open && e.Field == string(change.Trial) {
			trials = append(trials, e)
			tried[e.PackageID]++
		}
	}
	then := now.With(c.AuthorID, trials)
	for i, e := range edits {
		r := reviewedEdit{Edit: e, Verdict: verdictOf(e), Needs: 1, Why: []string{}, Moved: movedSince(e, out.Body.Talk)}
		r.Before, r.After = judgedSide(now, e), judgedSide(then, e)
		if e.State == change.Open && e.Field == string(change.Trial) && tried[e.PackageID] > 1 {
			alone := judgedSide(now.WithOnly(c.AuthorID, e), e)
			r.Alone = &alone
		}
		if e.Field == string(change.Load) {
			inForce := now.InForce(e.PackageID, e.Scope())
			r.InForce = &inForce
		}
		if e.State == change.Open {
			circumstance := now.Circumstance(e, then)
			circumstance.AuthorChanges = c.AuthorChanges
			var why []string
			r.Needs, why = rules.Needs(circumstance)
			r.Why = append(r.Why, why...)
		}
		out.Body.Review[i] = r
	}
	return out, nil
}

// verdictOf is how an edit meets the catalogue as it is now.
func verdictOf(e store.Edit) string {
	switch {
	case e.Takes != nil && e.Gone:
		return string(change.Nothing)
	case change.Field(e.Field).Adds():
		return string(change.Applies)
	case e.Settled != nil:
		return string(change.Merge(e.Base, e.Now, e.Settled))
	}
	return string(change.Merge(e.Base, e.Now, e.Value))
}

// movedSince is what happened to an edit after the reader last looked.
func movedSince(e store.Edit, t store.Talk) string {
	if t.LookedAt == nil {
		return ""
	}
	after := func(at *time.Time) bool { return at != nil && at.After(*t.LookedAt) }
	for _, c := range t.Comments {
		if c.Thread != nil && *c.Thread == e.Thread && after(&c.At) {
			return "said"
		}
	}
	switch {
	case e.Round > 1 && after(&e.CreatedAt):
		return "new"
	case e.State != change.Open && after(e.DecidedAt):
		return "decided"
	case e.State == change.Open && after(e.NowAt):
		return "catalogue"
	}
	return ""
}

// judgedSide is what the evidence comes to where an edit is judged from.
func judgedSide(j *store.EvidenceSnapshot, e store.Edit) sideFigures {
	if !e.Judged() {
		return sideFigures{Figures: figuresOf(evidence.Figures{Ceiling: 1, SevereCeiling: 1, Standing: evidence.Untried}), Suggested: string(evidence.Unproven)}
	}
	from, method := j.Target(e)
	f := j.Figures(e.PackageID, method, from)
	return sideFigures{figuresOf(f), j.Gathered(e.PackageID, method).Strip(from), string(j.Suggested(e.PackageID, method, from))}
}

func sideOf(trials []evidence.Trial, method evidence.Method, target evidence.Firmware, y evidence.Yardstick) sideFigures {
	f := evidence.Weigh(trials, method, target, y)
	return sideFigures{figuresOf(f), evidence.Strip(trials, method, target), string(evidence.SuggestedLoad(f, y.Thresholds))}
}
