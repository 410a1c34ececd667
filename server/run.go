package server

import (
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/evidence"
	"roster/core/gain"
	"roster/core/profile"
	"roster/core/run"
	"roster/server/worker"
	"roster/store"
)

// RunOf names what is to be run: a release, or a profile as a draft.
type RunOf struct {
	Release uuid.UUID `json:"release,omitzero" doc:"The release; or give a profile"`
	Profile uuid.UUID `json:"profile,omitzero" doc:"The profile, as a draft"`
}

type rehearsalInput struct {
	Body struct {
		RunOf
		Capture uuid.UUID   `json:"capture" doc:"A fresh capture of the phone"`
		Choices run.Choices `json:"choices"`
		Root    uuid.UUID   `json:"root,omitzero" doc:"The job that asked the phone for root"`
	}
}

// rehearsed is a rehearsal with what it was of.
type rehearsed struct {
	run.Rehearsal
	Title   string                         `json:"title"`
	Draft   bool                           `json:"draft"`
	Number  int                            `json:"number"`
	Build   uuid.UUID                      `json:"build"`
	Version string                         `json:"version"`
	Model   string                         `json:"model"`
	Checks  []string                       `json:"checks" nullable:"false" doc:"What is to be tried afterwards"`
	Labels  map[android.PackageName]string `json:"labels"`
}

type rehearsalOutput struct{ Body rehearsed }

type newRunInput struct {
	Body struct {
		RunOf
		Capture uuid.UUID   `json:"capture"`
		Choices run.Choices `json:"choices"`
		Root    uuid.UUID   `json:"root,omitzero" doc:"The job that asked the phone for root"`
		Bench   uuid.UUID   `json:"bench"`
		Phone   string      `json:"phone" maxLength:"64" doc:"The phone's handle on that bench"`
	}
}

type runOutput struct{ Body runBody }

// runBody is a run with its steps, or those that changed.
type runBody struct {
	Run   store.Run       `json:"run"`
	Steps []store.RunStep `json:"steps" nullable:"false"`
	// Own is what the release's own runs come to; nil for a draft.
	Own *run.Own `json:"own,omitempty"`
	// Gain is what the run brought, nil where it was not measured; Brings what the
	// release did on all phones that were, see GET /releases/{id}/gain.
	Gain   *store.Gain                   `json:"gain,omitempty"`
	Brings map[gain.Quantity]gain.Figure `json:"brings,omitempty"`
	// Here is where the phone is attached now, nil where it is nowhere.
	Here *worker.PhoneAt `json:"here,omitempty"`
}

type runsInput struct {
	ScopeInput
	Phone   string    `query:"phone" maxLength:"64" doc:"Keyed hash of the serial number"`
	Release uuid.UUID `query:"release"`
	Profile uuid.UUID `query:"profile"`
	Open    bool      `query:"open" doc:"Only those that are going or can be gone on with"`
	Before  int64     `query:"before" minimum:"0" doc:"Continue after the run of this number"`
	Limit   int       `query:"limit" minimum:"1" maximum:"200" default:"50"`
}

type putBackInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Packages []android.PackageName `json:"packages,omitempty" maxItems:"2000" doc:"None for all that the run changed"`
	}
}

type stepInput struct {
	ID     uuid.UUID `path:"id"`
	Number int       `path:"number" minimum:"1"`
}

func (s *Server) runRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listFits", Method: http.MethodGet, Path: "/api/v1/benches/{id}/phones/{handle}/fits", Summary: "Releases and drafts for a phone, the best fit first"}, s.fits)
	route(s, Technician, huma.Operation{OperationID: "rehearse", Method: http.MethodPost, Path: "/api/v1/rehearsals", Summary: "What a run would do to a captured phone; nothing is changed"},
		func(ctx context.Context, in *rehearsalInput) (*rehearsalOutput, error) {
			r, err := s.rehearse(ctx, in.Body.RunOf, in.Body.Capture, in.Body.Root, in.Body.Choices)
			if err != nil {
				return nil, err
			}
			return &rehearsalOutput{r.rehearsed}, nil
		})
	route(s, Technician, huma.Operation{
		OperationID: "askForRoot", Method: http.MethodPost, Path: "/api/v1/benches/{id}/phones/{handle}/root", DefaultStatus: http.StatusAccepted,
		Summary: "Ask a phone, and its owner, for root, and how what a release takes out of the image lies there",
	}, s.askForRoot)
	route(s, Technician, huma.Operation{OperationID: "startRun", Method: http.MethodPost, Path: "/api/v1/runs", Summary: "Run a release, or a draft, on a phone", DefaultStatus: http.StatusCreated}, s.startRun)
	route(s, Technician, huma.Operation{OperationID: "listRuns", Method: http.MethodGet, Path: "/api/v1/runs", Summary: "Runs, newest first"},
		func(ctx context.Context, in *runsInput) (*listOutput[store.RunLine], error) {
			sc, err := s.scope(ctx, in.ScopeInput)
			if err != nil {
				return nil, err
			}
			return listOf(s.store.Runs(ctx, store.RunQuery{Phone: in.Phone, Release: in.Release, Profile: in.Profile, Scope: sc, Open: in.Open, Before: in.Before, Limit: in.Limit}))
		})
	route(s, Technician, huma.Operation{OperationID: "getRun", Method: http.MethodGet, Path: "/api/v1/runs/{id}", Summary: "A run with every step"},
		func(ctx context.Context, in *idInput) (*runOutput, error) {
			b, err := s.runSince(ctx, in.ID, 0)
			return &runOutput{b}, err
		})
	events := huma.Operation{OperationID: "watchRun", Method: http.MethodGet, Path: "/api/v1/runs/{id}/events", Summary: "A run as it happens: all steps at first, then those that change"}
	declare(&events, Technician)
	sse.Register(s.api, events, map[string]any{"run": runBody{}}, s.watchRun)
	route(s, Technician, huma.Operation{OperationID: "stopRun", Method: http.MethodPost, Path: "/api/v1/runs/{id}/stop", Summary: "Stop when what is under way is done"},
		func(ctx context.Context, in *idInput) (*struct{}, error) { return nil, s.store.StopRun(ctx, in.ID) })
	route(s, Technician, huma.Operation{OperationID: "continueRun", Method: http.MethodPost, Path: "/api/v1/runs/{id}/continue", Summary: "Go on with a run on the phone, wherever it is attached"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.resume(ctx, in.ID, store.Resume{})
		})
	route(s, Technician, huma.Operation{OperationID: "putBackRun", Method: http.MethodPost, Path: "/api/v1/runs/{id}/put-back", Summary: "Put back what a run changed, all or by name"},
		func(ctx context.Context, in *putBackInput) (*struct{}, error) {
			return nil, s.resume(ctx, in.ID, store.Resume{Undo: true, Names: in.Body.Packages})
		})
	route(s, Technician, huma.Operation{OperationID: "lookAtRun", Method: http.MethodPost, Path: "/api/v1/runs/{id}/look", Summary: "Look at the phone again: what came back, what is unknown", DefaultStatus: http.StatusAccepted}, s.lookAgain)
	route(s, Technician, huma.Operation{OperationID: "leaveStep", Method: http.MethodPost, Path: "/api/v1/runs/{id}/steps/{number}/leave", Summary: "Leave out a step that waits"},
		func(ctx context.Context, in *stepInput) (*struct{}, error) {
			return nil, s.store.SkipStep(ctx, in.ID, in.Number)
		})
	route(s, Technician, huma.Operation{OperationID: "doInstead", Method: http.MethodPost, Path: "/api/v1/runs/{id}/steps/{number}/instead",
		Summary: "Do a gentler thing to what could not be removed"}, s.insteadOf)
	route(s, Technician, huma.Operation{OperationID: "listMet", Method: http.MethodGet, Path: "/api/v1/runs/{id}/steps/{number}/met", Summary: "What other phones of the model did at this step"},
		func(ctx context.Context, in *stepInput) (*listOutput[store.StepHistory], error) {
			r, err := s.store.RunByID(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			steps, err := s.store.RunSteps(ctx, in.ID, 0)
			if err != nil {
				return nil, err
			}
			for _, st := range steps {
				if st.Number == in.Number && st.Package != "" {
					return listOf(s.store.MetBy(ctx, r.BuildID, string(st.Package)))
				}
			}
			return listOf([]store.StepHistory{}, nil)
		})
}

// ofRun finds the document that is to be run.
func (s *Server) ofRun(ctx context.Context, of RunOf) (d *profile.Document, profileID uuid.UUID, release *uuid.UUID, err error) {
	if of.Release != uuid.Nil {
		r, err := s.store.ReleaseByID(ctx, of.Release)
		if err != nil {
			return nil, uuid.Nil, nil, err
		}
		if r.State == "withdrawn" {
			return nil, uuid.Nil, nil, problem(http.StatusConflict, "withdrawn", "This release was withdrawn: "+r.Reason)
		}
		d, err := profile.ParseDocument(r.Document)
		if err != nil {
			return nil, uuid.Nil, nil, err
		}
		p, err := s.store.ProfileOf(ctx, r.ID)
		return d, p, &r.ID, err
	}
	p, err := s.store.Profile(ctx, of.Profile)
	if err != nil {
		return nil, uuid.Nil, nil, err
	}
	d, err = s.store.Draft(ctx, p)
	return d, p.ID, nil, err
}

// prepared is a rehearsal with all that a run needs to begin.
type prepared struct {
	rehearsed
	document *profile.Document
	profile  uuid.UUID
	release  *uuid.UUID
	phone    string
	identity android.Identity
}

func (s *Server) rehearse(ctx context.Context, of RunOf, capture, root uuid.UUID, c run.Choices) (prepared, error) {
	d, p, release, err := s.ofRun(ctx, of)
	if err != nil {
		return prepared{}, err
	}
	subject, build, phone, err := s.store.Subject(ctx, capture)
	if err != nil {
		return prepared{}, err
	}
	if subject.Images, err = s.imagesOf(ctx, root, phone); err != nil {
		return prepared{}, err
	}
	out := prepared{document: d, profile: p, release: release, phone: phone, identity: subject.Identity}
	out.rehearsed = rehearsed{Rehearsal: run.Rehearse(d, subject, c), Title: d.Edition.Name, Draft: release == nil, Build: build, Version: subject.Identity.Incremental, Model: subject.Identity.MarketName, Checks: []string{}, Labels: map[android.PackageName]string{}}
	if release != nil {
		out.Number = d.Number
		marks, err := s.store.NotFor(ctx, []uuid.UUID{*release})
		if err != nil {
			return prepared{}, err
		}
		for _, n := range marks[*release] {
			if n.BuildID == build {
				out.Stops = append(out.Stops, run.Stop{Code: run.MarkedAsNotFor, Words: "this release is marked as not for " + n.Name() + ": " + n.Why})
			}
		}
	}
	for _, one := range d.Checks() {
		out.Checks = append(out.Checks, one.Text)
	}
	for _, c := range out.Consequences {
		for _, name := range slices.Concat(c.Packages, c.Stay) {
			if l := subject.Labels[name]; l != "" {
				out.Labels[name] = l
			}
		}
	}
	return out, nil
}

func (s *Server) startRun(ctx context.Context, in *newRunInput) (*createdOutput, error) {
	b := in.Body
	p, err := s.rehearse(ctx, b.RunOf, b.Capture, b.Root, b.Choices)
	if err != nil {
		return nil, err
	}
	if len(p.Stops) > 0 {
		return nil, problem(http.StatusConflict, "stops", "Nothing was done: "+run.StopWords(p.Stops)+".")
	}
	if err := s.canDo(ctx, b.Bench, bench.Request{Kind: bench.KindRun, Phone: b.Phone}); err != nil {
		return nil, err
	}
	here, err := s.phoneOn(ctx, b.Bench, b.Phone)
	if err != nil {
		return nil, err
	}
	if here.Mark == "" {
		return nil, problem(http.StatusConflict, "no-label", "This phone tells no serial number of its own. Give it a label on the Bench, capture it again, and rehearse.")
	}
	if here.Mark != p.phone {
		return nil, problem(http.StatusConflict, "another-phone", "The phone that is attached there is not the one that this was rehearsed for. Capture it, and rehearse again.")
	}
	person := personOf(ctx).ID
	id, err := s.store.StartRun(ctx, store.NewRun{Profile: p.profile, Release: p.release, Document: p.document, Build: p.Build, Capture: b.Capture, Phone: p.phone, Name: p.Model, Form: p.identity.Form,
		Bench: b.Bench, Person: person, Choices: b.Choices, Ask: func(id uuid.UUID) store.Ask {
			return worker.Ask(b.Bench, bench.Request{Kind: bench.KindRun, Phone: b.Phone, Run: id, Attempt: 1, Keys: run.Keys(run.Plan(p.document, b.Choices))})
		}})
	return &createdOutput{created{id}}, err
}

// resume makes a run go on where its phone is attached.
func (s *Server) resume(ctx context.Context, id uuid.UUID, r store.Resume) error {
	line, err := s.store.RunByID(ctx, id)
	if err != nil {
		return err
	}
	here, err := s.whereIs(ctx, line.Phone)
	if err != nil {
		return err
	}
	r.Bench = here.Bench
	r.Ask = func(attempt int, keys []run.Key) store.Ask {
		return worker.Ask(here.Bench, bench.Request{Kind: bench.KindRun, Phone: here.Handle, Run: id, Attempt: attempt, Keys: keys})
	}
	_, err = s.store.ResumeRun(ctx, id, personOf(ctx).ID, r)
	return err
}

// insteadInput is a step and the gentler method that is to do it.
type insteadInput struct {
	ID     uuid.UUID       `path:"id"`
	Number int             `path:"number"`
	By     evidence.Method `query:"by" enum:"quieten,disable,remove-for-user" default:"disable"`
}

func (s *Server) insteadOf(ctx context.Context, in *insteadInput) (*struct{}, error) {
	going, err := s.store.AddInstead(ctx, in.ID, in.Number, in.By)
	if err != nil || going {
		return nil, err
	}
	steps, err := s.store.RunSteps(ctx, in.ID, 0)
	if err != nil {
		return nil, err
	}
	waits := 0
	for _, st := range steps {
		if st.State == run.Waiting {
			waits++
		}
	}
	if waits > 1 {
		return nil, nil // it is done when somebody goes on with the rest
	}
	return nil, s.resume(ctx, in.ID, store.Resume{})
}

func (s *Server) lookAgain(ctx context.Context, in *idInput) (*createdOutput, error) {
	r, err := s.store.RunByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	here, err := s.whereIs(ctx, r.Phone)
	if err != nil {
		return nil, err
	}
	id, err := s.work.AskForLook(ctx, r.ID, personOf(ctx).ID, here)
	return &createdOutput{created{id}}, err
}

// runSince is a run with the steps that changed after seq.
func (s *Server) runSince(ctx context.Context, id uuid.UUID, seq int64) (runBody, error) {
	r, err := s.store.RunByID(ctx, id)
	if err != nil {
		return runBody{}, err
	}
	b := runBody{Run: r}
	if b.Steps, err = s.store.RunSteps(ctx, id, seq); err != nil {
		return b, err
	}
	if r.ReleaseID != nil {
		own, err := s.store.OwnFigures(ctx, []uuid.UUID{*r.ReleaseID})
		if err != nil {
			return b, err
		}
		o := own[*r.ReleaseID]
		b.Own = &o
	}
	if err := s.addGain(ctx, &b); err != nil {
		return b, err
	}
	attached, err := s.work.Attached(ctx)
	if here, ok := attached[r.Phone]; ok {
		b.Here = &here
	}
	return b, err
}

// addGain adds what a run brought, and its release, where it was measured.
func (s *Server) addGain(ctx context.Context, b *runBody) (err error) {
	if b.Run.State == run.Going {
		return nil
	}
	if b.Gain, err = s.store.RunGain(ctx, b.Run.ID); err != nil || b.Gain == nil || b.Run.ReleaseID == nil {
		return err
	}
	many, err := s.store.GainOf(ctx, *b.Run.ReleaseID)
	if many != nil {
		b.Brings = many.Figures
	}
	return err
}

// watchRun sends a run as it happens, whichever server its bench talks to.
// Changes that come close together are sent together.
func (s *Server) watchRun(ctx context.Context, in *idInput, send sse.Sender) {
	w := s.stream(ctx)
	defer w.end()
	var seq int64
	for first := true; ; first = false {
		after := seq
		if first {
			after = 0
		}
		b, err := s.runSince(w.ctx, in.ID, after)
		if err != nil || !w.may() || send.Data(b) != nil {
			return
		}
		seq = b.Run.Seq
		// Where the phone is, too: its bench may have it again, or be gone.
		if !w.next(func(e store.Event) bool { return e.ID == in.ID.String() || e.Topic == store.BenchChanged }) {
			return
		}
		time.Sleep(30 * time.Millisecond)
	}
}

// phoneOn finds a phone that a bench sees by its handle.
func (s *Server) phoneOn(ctx context.Context, id uuid.UUID, handle string) (bench.Phone, error) {
	b, err := s.store.BenchByID(ctx, id)
	if err != nil {
		return bench.Phone{}, err
	}
	view, err := worker.ViewOf(b)
	if err != nil {
		return bench.Phone{}, err
	}
	for _, p := range view.Phones {
		if p.Handle == handle {
			return p, nil
		}
	}
	return bench.Phone{}, problem(http.StatusConflict, "phone-gone", "This phone is no longer attached. Plug it in again.")
}

// whereIs finds the bench on which a phone is attached and ready.
func (s *Server) whereIs(ctx context.Context, mark string) (worker.PhoneAt, error) {
	attached, err := s.work.Attached(ctx)
	if err != nil {
		return worker.PhoneAt{}, err
	}
	if here, ok := attached[mark]; ok {
		b, err := s.store.BenchByID(ctx, here.Bench)
		if err == nil {
			err = theirs(ctx, b)
		}
		return here, err
	}
	return worker.PhoneAt{}, problem(http.StatusConflict, "phone-gone", "The phone is not attached to any bench. Plug it in; then try again.")
}
