package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/run"
	"roster/store"
)

type checkInput struct {
	ID     uuid.UUID `path:"id"`
	Number int       `path:"number" minimum:"1"`
	Body   struct {
		Answer      run.Answer  `json:"answer" enum:"works,broken,not-tried,"`
		Note        string      `json:"note" maxLength:"2000"`
		Attachments []uuid.UUID `json:"attachments,omitempty" maxItems:"10" nullable:"false"`
	}
}

type halvingInput struct {
	ID     uuid.UUID `path:"id"`
	Number int       `path:"number" minimum:"1"`
	Body   struct {
		Works bool `json:"works" doc:"Whether it works again with what was put back"`
		Round int  `json:"round" minimum:"0" doc:"How many questions were answered before this one: an answer given twice counts once"`
	}
}

type huntOutput struct{ Body run.Hunt }

// draft is what a run comes to as evidence.
type draft struct {
	Drafts   []run.Drafted  `json:"drafts" nullable:"false"`
	Withheld []run.Withheld `json:"withheld" nullable:"false"`
}

type draftOutput struct{ Body draft }

type draftedOutput struct {
	Body struct {
		Added    int            `json:"added" doc:"Edits that went into the tray; what was drafted before is not drafted again"`
		Withheld []run.Withheld `json:"withheld" nullable:"false"`
	}
}

// aftermathRoutes are what comes after a run: what was tried, what is to blame
// for what is broken, and the evidence.
func (s *Server) aftermathRoutes() {
	route(s, Technician, huma.Operation{OperationID: "answerCheck", Method: http.MethodPut, Path: "/api/v1/runs/{id}/checks/{number}", Summary: "Say what came of trying something after a run"},
		func(ctx context.Context, in *checkInput) (*struct{}, error) {
			b := in.Body
			return nil, s.store.AnswerCheck(ctx, in.ID, in.Number, personOf(ctx).ID, store.CheckAnswer{Answer: b.Answer, Note: b.Note, Attachments: b.Attachments})
		})
	route(s, Technician, huma.Operation{OperationID: "beginHalving", Method: http.MethodPost, Path: "/api/v1/runs/{id}/checks/{number}/halving", Summary: "Narrow down which package of a run is to blame for what is broken"}, s.beginHalving)
	route(s, Technician, huma.Operation{OperationID: "answerHalving", Method: http.MethodPost, Path: "/api/v1/runs/{id}/checks/{number}/halving/answer", Summary: "Say whether it works with what was put back"}, s.answerHalving)
	route(s, Technician, huma.Operation{OperationID: "previewDraft", Method: http.MethodGet, Path: "/api/v1/runs/{id}/draft", Summary: "The trials that a run comes to, and of which packages nothing can be said yet"},
		func(ctx context.Context, in *idInput) (*draftOutput, error) {
			_, d, err := s.draftOf(ctx, in.ID)
			return &draftOutput{d}, err
		})
	route(s, Technician, huma.Operation{OperationID: "draftRun", Method: http.MethodPost, Path: "/api/v1/runs/{id}/draft", Summary: "Put the trials of a run into your tray"},
		func(ctx context.Context, in *idInput) (*draftedOutput, error) {
			r, d, err := s.draftOf(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			out := &draftedOutput{}
			out.Body.Withheld = d.Withheld
			out.Body.Added, err = s.store.DraftRun(ctx, r, personOf(ctx).ID, d.Drafts)
			return out, err
		})
}

func (s *Server) draftOf(ctx context.Context, id uuid.UUID) (store.Run, draft, error) {
	r, err := s.store.RunByID(ctx, id)
	if err != nil {
		return r, draft{}, err
	}
	if r.State == run.Going || !r.Settled {
		return r, draft{}, problem(http.StatusConflict, "not-ended", "This run has not ended, or nobody has looked at its phone since: nothing can be said of it yet.")
	}
	f, err := s.store.RunRecord(ctx, r)
	if err != nil {
		return r, draft{}, err
	}
	drafts, withheld := run.Draft(f)
	return r, draft{drafts, withheld}, nil
}

// beginHalving ranks what the run has off and asks the first question.
func (s *Server) beginHalving(ctx context.Context, in *stepInput) (*huntOutput, error) {
	r, check, err := s.brokenCheck(ctx, in.ID, in.Number)
	if err != nil {
		return nil, err
	}
	if r.State != run.Finished {
		return nil, problem(http.StatusConflict, "not-ended", "Finish or put back this run first.")
	}
	steps, err := s.store.RunSteps(ctx, r.ID, 0)
	if err != nil {
		return nil, err
	}
	off := run.Off(journal(steps))
	if len(off) == 0 {
		return nil, problem(http.StatusConflict, "nothing-off", "This run has nothing off the phone: it is not to blame.")
	}
	names := make([]string, len(off))
	for i, j := range off {
		names[i] = string(j.Package)
	}
	pointers, err := s.store.Pointers(ctx, r.BuildID, names)
	if err != nil {
		return nil, err
	}
	for _, loss := range r.Document().Costs {
		for _, name := range loss.Packages {
			pointers.Carries[name] = append(pointers.Carries[name], loss.Function)
		}
	}
	hunt := run.Hunt{Check: check.Number, Text: check.Text, Function: check.Function, Suspects: run.Suspects(check.Function, off, pointers), Rounds: []run.Round{}}
	hunt.Begin()
	return s.move(ctx, r.ID, hunt)
}

func (s *Server) answerHalving(ctx context.Context, in *halvingInput) (*huntOutput, error) {
	r, check, err := s.brokenCheck(ctx, in.ID, in.Number)
	if err != nil {
		return nil, err
	}
	switch {
	case r.State == run.Going || !r.Settled:
		return nil, problem(http.StatusConflict, "running", "What is to be tried is still being put back. Wait until it is.")
	case r.State != run.Finished: // it would be answered for what the phone has not got
		return nil, problem(http.StatusConflict, "not-ended", "What is to be tried is not all back on the phone: continue the run first.")
	}
	for _, h := range r.Hunts {
		if h.Check != check.Number || h.Over {
			continue
		}
		if len(h.Rounds) != in.Body.Round {
			return nil, problem(http.StatusConflict, "answered", "That question was answered before. Look what is being asked now.")
		}
		h.Answer(in.Body.Works)
		return s.move(ctx, r.ID, h)
	}
	return nil, problem(http.StatusConflict, "not-open", "Nothing is being narrowed down for this check.")
}

func (s *Server) brokenCheck(ctx context.Context, id uuid.UUID, number int) (store.Run, run.Check, error) {
	r, err := s.store.RunByID(ctx, id)
	if err != nil {
		return r, run.Check{}, err
	}
	for _, c := range r.Checks {
		if c.Number == number {
			if c.Answer != run.Broken {
				return r, c.Check, problem(http.StatusConflict, "not-broken", "Only what is broken can be narrowed down.")
			}
			return r, c.Check, nil
		}
	}
	return r, run.Check{}, store.ErrNotFound
}

// move writes how far a halving is, and brings the phone to what is asked.
func (s *Server) move(ctx context.Context, id uuid.UUID, hunt run.Hunt) (*huntOutput, error) {
	err := s.resume(ctx, id, store.Resume{Hunt: &hunt, Steps: func(list []run.Journal) []run.Step { return hunt.Moves(list) }})
	return &huntOutput{hunt}, err
}

func journal(steps []store.RunStep) []run.Journal {
	list := make([]run.Journal, len(steps))
	for i, st := range steps {
		list[i] = st.Journal
	}
	return list
}
