package server

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/server/worker"
	"roster/store"
)

// benchLine is a bench on the Bench page.
type benchLine struct {
	store.Bench
	View bench.View `json:"view"`
}

type benchesOutput struct {
	Body struct {
		Items []benchLine `json:"items" nullable:"false"`
	}
}

type newBenchInput struct {
	Body struct {
		Name string `json:"name" minLength:"1" maxLength:"60" doc:"What the bench is called"`
	}
}

type newBenchOutput struct {
	Body struct {
		ID    uuid.UUID `json:"id"`
		Token string    `json:"token" doc:"Shown this once"`
	}
}

type benchRequestInput struct {
	ID   uuid.UUID `path:"id"`
	Body bench.Request
}

type jobOutput struct{ Body store.Job }

func (s *Server) benchRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listBenches", Method: http.MethodGet, Path: "/api/v1/benches", Summary: "Computers with phones, and what they see"},
		func(ctx context.Context, _ *struct{}) (*benchesOutput, error) {
			out := &benchesOutput{}
			var err error
			out.Body.Items, err = s.benches(ctx)
			return out, err
		})
	watch := huma.Operation{OperationID: "watchBenches", Method: http.MethodGet, Path: "/api/v1/benches/events", Summary: "The benches, again at each change"}
	declare(&watch, Technician)
	sse.Register(s.api, watch, map[string]any{"benches": []benchLine{}}, s.watchBenches)
	route(s, Maintainer, huma.Operation{OperationID: "addBench", Method: http.MethodPost, Path: "/api/v1/benches", Summary: "Let a computer elsewhere offer its phones", DefaultStatus: http.StatusCreated}, s.addBench)
	route(s, Maintainer, huma.Operation{OperationID: "revokeBench", Method: http.MethodDelete, Path: "/api/v1/benches/{id}", Summary: "End a bench's access for good"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.RevokeBench(ctx, in.ID, personOf(ctx).ID)
		})
	route(s, Technician, huma.Operation{OperationID: "openBrowser", Method: http.MethodPost, Path: "/api/v1/benches/browser", Summary: "Make the browser that you are signed in with a bench, until its tab is closed or you sign out", DefaultStatus: http.StatusCreated}, s.openBrowser)
	route(s, Technician, huma.Operation{OperationID: "askBench", Method: http.MethodPost, Path: "/api/v1/benches/{id}/requests", Summary: "Ask a bench for something that it knows to do", DefaultStatus: http.StatusAccepted}, s.askBench)
	route(s, Technician, huma.Operation{OperationID: "getJob", Method: http.MethodGet, Path: "/api/v1/jobs/{id}", Summary: "How far long work is"},
		func(ctx context.Context, in *idInput) (*jobOutput, error) {
			j, err := s.store.Job(ctx, in.ID)
			return &jobOutput{j}, err
		})
	route(s, Technician, huma.Operation{OperationID: "cancelJob", Method: http.MethodDelete, Path: "/api/v1/jobs/{id}", Summary: "Stop long work that you began"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			j, err := s.store.Job(ctx, in.ID)
			if err == nil && j.PersonID != personOf(ctx).ID {
				err = problem(http.StatusForbidden, "refused", "Only the person who began this can cancel it.")
			}
			if err != nil {
				return nil, err
			}
			return nil, s.store.CancelJob(ctx, in.ID)
		})
	events := huma.Operation{OperationID: "watchJob", Method: http.MethodGet, Path: "/api/v1/jobs/{id}/events", Summary: "A job, again at each step until it ends"}
	declare(&events, Technician)
	sse.Register(s.api, events, map[string]any{"job": store.Job{}}, s.watchJob)
	route(s, Technician, huma.Operation{OperationID: "readLog", Method: http.MethodPost, Path: "/api/v1/opened", Summary: "Find in pasted lines of a phone's log which app was opened", MaxBodyBytes: 4 << 20}, readLog)
}

func (s *Server) benches(ctx context.Context) ([]benchLine, error) {
	list, err := s.store.Benches(ctx)
	if err != nil {
		return nil, err
	}
	lines := []benchLine{}
	for _, b := range list {
		line := benchLine{Bench: b}
		if line.View, err = worker.ViewOf(b); err != nil {
			return nil, err
		}
		if line.View.Phones == nil {
			line.View.Phones = []bench.Phone{}
		}
		if line.View.Try == nil {
			line.View.Try = []string{}
		}
		if line.View.StandIns == nil {
			line.View.StandIns = []bench.StandIn{}
		}
		lines = append(lines, line)
	}
	return lines, nil
}

func (s *Server) watchBenches(ctx context.Context, _ *struct{}, send sse.Sender) {
	w := s.stream(ctx)
	defer w.end()
	for {
		list, err := s.benches(w.ctx)
		if err != nil || !w.may() || send.Data(list) != nil {
			return
		}
		if !w.next(func(e store.Event) bool { return e.Topic == store.BenchChanged }) { // or one has fallen silent
			return
		}
	}
}

func (s *Server) addBench(ctx context.Context, in *newBenchInput) (*newBenchOutput, error) {
	token, text, err := newToken(benchTokenPrefix)
	if err != nil {
		return nil, err
	}
	out := &newBenchOutput{}
	out.Body.Token = text
	out.Body.ID, err = s.store.AddBench(ctx, android.Printable(strings.TrimSpace(in.Body.Name), 60), token, personOf(ctx).ID)
	return out, err
}

type openBrowserInput struct {
	Body struct {
		Browser uuid.UUID `json:"browser" doc:"A random number by which it is known again"`
	}
}

// openBrowser makes a browser a bench of whoever is signed in there.
func (s *Server) openBrowser(ctx context.Context, in *openBrowserInput) (*newBenchOutput, error) {
	session := connectionOf(ctx).token
	if session == nil {
		return nil, problem(http.StatusForbidden, "refused", "A browser is a bench for as long as its person is signed in there; a program with a token is none.")
	}
	token, text, err := newToken(benchTokenPrefix)
	if err != nil {
		return nil, err
	}
	out := &newBenchOutput{}
	out.Body.Token = text
	out.Body.ID, err = s.store.OpenBrowser(ctx, personOf(ctx), in.Body.Browser, token, session)
	return out, err
}

// askBench makes a job of a request. For names, the packages that are wanted
// are those of the phone's latest capture whose files nobody has read.
func (s *Server) askBench(ctx context.Context, in *benchRequestInput) (*createdOutput, error) {
	r := in.Body
	byThemselves := []string{
		bench.KindRun, bench.KindLook, bench.KindBackup, bench.KindVerify, bench.KindRestore, bench.KindDiscard, bench.KindRoot,
	}
	if slices.Contains(byThemselves, r.Kind) {
		return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Runs and backups are asked for as runs and backups.")
	}
	if err := s.mayReach(ctx, r); err != nil {
		return nil, err
	}
	if err := s.canDo(ctx, in.ID, r); err != nil {
		return nil, err
	}
	if err := s.mayLabel(ctx, in.ID, r); err != nil {
		return nil, err
	}
	if r.Kind == bench.KindMeasure {
		p, err := s.phoneOn(ctx, in.ID, r.Phone)
		if err != nil {
			return nil, err
		}
		if r.With = p.Mark; r.With == "" {
			return nil, problem(http.StatusConflict, "no-label", "This phone tells nothing that it could be known by again: give it a label first.")
		}
	}
	if r.Kind == bench.KindNames {
		capture, err := uuid.Parse(r.With)
		if err != nil {
			return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Names are read for a capture: with has to be its id.")
		}
		list, err := s.store.Unnamed(ctx, capture)
		if err != nil {
			return nil, err
		}
		r.Wanted = []bench.Wanted{}
		for _, u := range list {
			r.Wanted = append(r.Wanted, bench.Wanted{Name: android.PackageName(u.Name), VersionCode: u.VersionCode, Signer: u.Signer})
		}
	} else {
		r.Wanted = nil
	}
	id, err := s.store.AddJob(ctx, personOf(ctx).ID, worker.Ask(in.ID, r))
	return &createdOutput{created{id}}, err
}

// mayReach refuses a request to connect to what the person may not have a bench
// connect to: it would tell them who answers in a network that is not theirs.
func (s *Server) mayReach(ctx context.Context, r bench.Request) error {
	if r.Kind != bench.KindConnect && r.Kind != bench.KindPair || Maintainer.Allows(personOf(ctx).Role) {
		return nil
	}
	rules, _, err := s.store.InstallationRules(ctx)
	if err != nil || rules.Reaches(r.Address) {
		return err
	}
	return problem(http.StatusForbidden, "out-of-reach",
		"Technicians have benches connect to phones in the networks that the keeper lists, and this address is in none of them. Ask a maintainer, or the keeper to list its network.")
}

// mayLabel refuses a label for a phone that another one has, wherever that is.
func (s *Server) mayLabel(ctx context.Context, id uuid.UUID, r bench.Request) error {
	if r.Kind != bench.KindLabel {
		return nil
	}
	if err := bench.CheckLabel(r.With); err != nil {
		return badRequest(err)
	}
	mark := s.secret.PhoneHash(bench.LabelIdentity(r.With))
	attached, err := s.work.Attached(ctx)
	if err != nil {
		return err
	}
	if at, ok := attached[mark]; ok && at != (worker.PhoneAt{Bench: id, Handle: r.Phone}) {
		return problem(http.StatusConflict, "label-taken",
			"Another phone that is attached has this label. Take one that no other phone has, and write it on its back.")
	}
	p, err := s.phoneOn(ctx, id, r.Phone)
	if err != nil {
		return err
	}
	other, err := s.store.OtherModelOf(ctx, mark, p.Maker, p.Device)
	if err != nil || other == "" {
		return err
	}
	return problem(http.StatusConflict, "label-taken",
		"A "+other+" was captured under this label, and this is another model. Take a label that no other phone has, and write it on its back.")
}

// theirs refuses to ask another person's browser for something: what is done with
// the phones there they do themselves.
func theirs(ctx context.Context, b store.Bench) error {
	if b.PersonID == nil || *b.PersonID == personOf(ctx).ID {
		return nil
	}
	return problem(http.StatusForbidden, "not-yours", "This phone hangs on "+b.Name+": what is done with it there they do themselves.")
}

// canDo refuses at once what a bench could not do now.
func (s *Server) canDo(ctx context.Context, id uuid.UUID, r bench.Request) error {
	b, err := s.store.BenchByID(ctx, id)
	if err != nil {
		return err
	}
	if err := theirs(ctx, b); err != nil {
		return err
	}
	if b.Away {
		return problem(http.StatusConflict, "bench-away", "The bench "+b.Name+" is away. Start it, then try again.")
	}
	ofAPhone := []string{
		bench.KindCapture, bench.KindNames, bench.KindWatch, bench.KindLabel, bench.KindRun, bench.KindLook,
		bench.KindBackup, bench.KindRestore, bench.KindRoot, bench.KindMeasure,
	}
	if !slices.Contains(ofAPhone, r.Kind) {
		return nil
	}
	view, err := worker.ViewOf(b)
	if err != nil {
		return err
	}
	for _, p := range view.Phones {
		if p.Handle != r.Phone {
			continue
		}
		if !p.Ready {
			return problem(http.StatusConflict, "phone-not-ready", "The phone "+p.Wrong+". "+p.Next)
		}
		return nil
	}
	return problem(http.StatusConflict, "phone-gone", "This phone is no longer attached. Plug it in again.")
}

func (s *Server) watchJob(ctx context.Context, in *idInput, send sse.Sender) {
	w := s.stream(ctx)
	defer w.end()
	for {
		j, err := s.store.Job(w.ctx, in.ID)
		if err != nil || !w.may() || send.Data(j) != nil || j.Ended() {
			return
		}
		if !w.next(func(e store.Event) bool { return e.ID == in.ID.String() }) {
			return
		}
	}
}

type logInput struct {
	Body struct {
		Text string `json:"text" maxLength:"4000000" doc:"Lines of logcat"`
	}
}

type openedOutput struct {
	Body struct {
		Opened []android.Opened `json:"opened" nullable:"false"`
	}
}

func readLog(_ context.Context, in *logInput) (*openedOutput, error) {
	out := &openedOutput{}
	out.Body.Opened = android.ReadOpened([]byte(in.Body.Text))
	return out, nil
}
