package server

import (
	"context"
	"encoding/json"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/run"
	"roster/server/worker"
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

type newBackupInput struct {
	ID     uuid.UUID `path:"id"`
	Handle string    `path:"handle" maxLength:"64"`
	Body   struct {
		Packages []android.PackageName `json:"packages" minItems:"1" maxItems:"2000" nullable:"false"`
		Settings bool                  `json:"settings" doc:"Save a list of the phone's settings, too"`
		Resume   uuid.UUID             `json:"resume,omitzero" doc:"The backup to go on with"`
	}
}

type restoreInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Packages []android.PackageName `json:"packages" minItems:"1" maxItems:"2000" nullable:"false"`
	}
}

// backupMade names a backup and the job that is about it.
type backupMade struct {
	Backup uuid.UUID `json:"backup"`
	Job    uuid.UUID `json:"job"`
}

type backupMadeOutput struct{ Body backupMade }

// keptBackup is a backup with what came of it.
type keptBackup struct {
	store.Backup
	Result bench.BackupEnd `json:"result"`
}

func (s *Server) backupRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listBackups", Method: http.MethodGet, Path: "/api/v1/benches/{id}/phones/{handle}/backups", Summary: "What was saved of a phone's packages, newest first"}, s.listBackups)
	route(s, Technician, huma.Operation{OperationID: "makeBackup", Method: http.MethodPost, Path: "/api/v1/benches/{id}/phones/{handle}/backups", Summary: "Save package files on the bench's computer, or go on with that", DefaultStatus: http.StatusAccepted}, s.makeBackup)
	route(s, Technician, huma.Operation{OperationID: "verifyBackup", Method: http.MethodPost, Path: "/api/v1/backups/{id}/verify", Summary: "Check every file of a backup against its size and SHA-256", DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *idInput) (*backupMadeOutput, error) {
			b, err := s.store.BackupByID(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			r := bench.Request{Kind: bench.KindVerify, Backup: b.ID}
			if err := s.canDo(ctx, b.BenchID, r); err != nil {
				return nil, err
			}
			job, err := s.store.AddJob(ctx, personOf(ctx).ID, worker.Ask(b.BenchID, r))
			return &backupMadeOutput{backupMade{b.ID, job}}, err
		})
	route(s, Technician, huma.Operation{OperationID: "restoreBackup", Method: http.MethodPost, Path: "/api/v1/backups/{id}/restore", Summary: "Install packages from a backup on the phone that it is of", DefaultStatus: http.StatusAccepted}, s.restoreBackup)
}

func (s *Server) listBackups(ctx context.Context, in *fitsInput) (*listOutput[keptBackup], error) {
	p, err := s.phoneOn(ctx, in.ID, in.Handle)
	if err != nil {
		return nil, err
	}
	list, err := s.store.Backups(ctx, p.Mark, 50)
	if err != nil {
		return nil, err
	}
	out := make([]keptBackup, len(list))
	for i, b := range list {
		out[i].Backup = b
		if err := json.Unmarshal(b.Result, &out[i].Result); err != nil {
			return nil, err
		}
		if out[i].Result.Wrong == nil {
			out[i].Result.Wrong = []bench.Faulty{}
		}
	}
	return listOf(out, nil)
}

func (s *Server) makeBackup(ctx context.Context, in *newBackupInput) (*backupMadeOutput, error) {
	r := bench.Request{Kind: bench.KindBackup, Phone: in.Handle, Settings: in.Body.Settings, Backup: in.Body.Resume}
	if err := s.canDo(ctx, in.ID, r); err != nil {
		return nil, err
	}
	p, err := s.phoneOn(ctx, in.ID, in.Handle)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(in.Body.Packages))
	for i, name := range in.Body.Packages {
		if !name.Valid() {
			return nil, problem(http.StatusUnprocessableEntity, "bad-request", "One of them is not a package name.")
		}
		names[i] = string(name)
		r.Wanted = append(r.Wanted, bench.Wanted{Name: name})
	}
	r.With = p.Fingerprint
	person := personOf(ctx).ID
	if r.Backup == uuid.Nil {
		made := store.Backup{Phone: p.Mark, PhoneName: p.Name, BenchID: in.ID, Packages: names, Settings: in.Body.Settings}
		backup, job, err := s.store.AddBackup(ctx, made, person, func(id uuid.UUID) store.Ask {
			r.Backup = id
			return worker.Ask(in.ID, r)
		})
		return &backupMadeOutput{backupMade{backup, job}}, err
	}
	b, err := s.store.BackupByID(ctx, r.Backup)
	if err != nil {
		return nil, err
	}
	if b.BenchID != in.ID || b.Phone != p.Mark {
		return nil, problem(http.StatusConflict, "another-phone", "That backup is of another phone, or lies on another bench.")
	}
	job, err := s.store.AddJob(ctx, person, worker.Ask(in.ID, r))
	return &backupMadeOutput{backupMade{r.Backup, job}}, err
}

func (s *Server) restoreBackup(ctx context.Context, in *restoreInput) (*backupMadeOutput, error) {
	b, err := s.store.BackupByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	here, err := s.whereIs(ctx, b.Phone)
	if err != nil {
		return nil, err
	}
	if here.Bench != b.BenchID {
		return nil, problem(http.StatusConflict, "another-bench", "The backup lies on "+b.Bench+": attach the phone there.")
	}
	r := bench.Request{Kind: bench.KindRestore, Phone: here.Handle, Backup: b.ID}
	for _, name := range in.Body.Packages {
		if !name.Valid() {
			return nil, problem(http.StatusUnprocessableEntity, "bad-request", "One of them is not a package name.")
		}
		r.Wanted = append(r.Wanted, bench.Wanted{Name: name})
	}
	job, err := s.store.AddJob(ctx, personOf(ctx).ID, worker.Ask(here.Bench, r))
	return &backupMadeOutput{backupMade{b.ID, job}}, err
}
