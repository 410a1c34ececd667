package server

import (
	"context"
	"errors"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/google/uuid"

	"roster/bench"
	"roster/bench/adb"
	"roster/core/android"
	"roster/store"
)

type benchOutput struct{ Body benchView }

type connectInput struct {
	Body struct {
		Address string `json:"address" minLength:"3" maxLength:"200" doc:"Network address with port"`
	}
}

type connectOutput struct {
	Body struct {
		Words string `json:"words" doc:"What the adb server said"`
	}
}

type serialInput struct {
	Serial string `path:"serial" maxLength:"200"`
}

type jobOutput struct{ Body store.Job }

// captureTakes bounds a capture as a whole.
const captureTakes = 10 * time.Minute

func (s *Server) benchRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getBench", Method: http.MethodGet, Path: "/api/v1/bench", Summary: "Phones on this server's bench"},
		func(ctx context.Context, _ *struct{}) (*benchOutput, error) {
			v, _ := s.phones.snapshot()
			return &benchOutput{v}, nil
		})
	watch := huma.Operation{OperationID: "watchBench", Method: http.MethodGet, Path: "/api/v1/bench/events", Summary: "The bench, again at each change"}
	declare(&watch, Technician)
	sse.Register(s.api, watch, map[string]any{"bench": benchView{}}, func(ctx context.Context, _ *struct{}, send sse.Sender) {
		for ctx.Err() == nil && s.ctx.Err() == nil {
			v, changed := s.phones.snapshot()
			if send.Data(v) != nil {
				return
			}
			select {
			case <-changed:
			case <-time.After(20 * time.Second): // keeps proxies from closing it
			case <-ctx.Done():
			case <-s.ctx.Done():
			}
		}
	})
	route(s, Technician, huma.Operation{OperationID: "connectPhone", Method: http.MethodPost, Path: "/api/v1/bench/connect", Summary: "Reach a phone by its network address"},
		func(ctx context.Context, in *connectInput) (*connectOutput, error) {
			words, err := s.phones.client.Connect(ctx, strings.TrimSpace(in.Body.Address))
			if err != nil {
				return nil, benchProblem(err)
			}
			out := &connectOutput{}
			out.Body.Words = android.Printable(words, 300)
			return out, nil
		})
	route(s, Technician, huma.Operation{OperationID: "startCapture", Method: http.MethodPost, Path: "/api/v1/bench/phones/{serial}/captures", Summary: "Ask a phone what it has", DefaultStatus: http.StatusAccepted},
		func(ctx context.Context, in *serialInput) (*createdOutput, error) {
			id, err := s.startCapture(ctx, in.Serial)
			return &createdOutput{created{id}}, err
		})
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
}

func (s *Server) watchJob(ctx context.Context, in *idInput, send sse.Sender) {
	changes, stop := s.events.watch()
	defer stop()
	for {
		j, err := s.store.Job(ctx, in.ID)
		if err != nil || send.Data(j) != nil || j.State != "running" {
			return
		}
		for waiting := true; waiting; {
			select {
			case e := <-changes:
				waiting = e.Topic != "" && e.ID != in.ID.String()
			case <-time.After(10 * time.Second):
				waiting = false
			case <-ctx.Done():
				return
			case <-s.ctx.Done():
				return
			}
		}
	}
}

// startCapture begins a capture that goes on when its request has ended.
func (s *Server) startCapture(ctx context.Context, serial string) (uuid.UUID, error) {
	view, _ := s.phones.snapshot()
	for _, p := range view.Phones {
		if p.Serial != serial {
			continue
		}
		if !p.Ready {
			return uuid.Nil, problem(http.StatusConflict, "phone-not-ready", "The phone "+p.Wrong+". "+p.Next)
		}
		person := personOf(ctx).ID
		id, err := s.store.AddJob(ctx, "capture", person)
		if err == nil {
			s.background(func(ctx context.Context) { s.capture(ctx, id, serial, person) })
		}
		return id, err
	}
	return uuid.Nil, problem(http.StatusNotFound, "phone-gone", "No such phone is attached. Pull the cable, plug it in again and look at the list.")
}

func (s *Server) capture(ctx context.Context, job uuid.UUID, serial string, person uuid.UUID) {
	ctx, cancel := context.WithTimeout(ctx, captureTakes)
	defer cancel()
	log := s.log.With("job", job)
	go s.untilCancelled(ctx, job, cancel)
	finish := func(state string, result any, problem string) {
		// The job's end must be told even where its context has ended.
		end, done := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
		defer done()
		if err := s.store.EndJob(end, job, state, result, problem); err != nil {
			log.Error("the end of a capture could not be written down", "err", err)
		}
	}
	capture, asking := bench.Capture(ctx, s.phones.client, serial, func(p bench.Progress) {
		if err := s.store.TellJob(ctx, job, p); err != nil && ctx.Err() == nil {
			log.Warn("the progress of a capture could not be written down", "err", err)
		}
	})
	if ctx.Err() != nil {
		finish("failed", nil, "It was stopped before the phone had answered; nothing was stored.")
		return
	}
	if capture == nil {
		log.Warn("a capture failed", "err", asking)
		finish("failed", nil, captureWords(asking, 0))
		return
	}
	summary, err := s.store.AddCapture(ctx, store.NewCapture{Capture: capture, Phone: s.secret.PhoneHash(capture.Identity.Serial), Person: person, Source: "bench"})
	switch {
	case err != nil:
		var p *Problem
		errors.As(s.explain(ctx, err), &p)
		finish("failed", nil, p.Detail)
	case asking != nil:
		log.Warn("a capture is incomplete", "err", asking)
		finish("failed", summary, captureWords(asking, summary.Packages))
	default:
		finish("done", summary, "")
	}
}

// untilCancelled ends a capture's context when somebody cancels its job, on
// whichever server.
func (s *Server) untilCancelled(ctx context.Context, job uuid.UUID, cancel func()) {
	changes, stop := s.events.watch()
	defer stop()
	for {
		select {
		case <-ctx.Done():
			return
		case e := <-changes:
			if e.ID != job.String() {
				continue
			}
			if j, err := s.store.Job(ctx, job); err == nil && j.State != "running" {
				cancel()
			}
		}
	}
}

// captureWords says what happened to a capture, what was kept and what to do.
func captureWords(err error, kept int) string {
	what := "The phone could not be asked: " + err.Error() + "."
	switch {
	case errors.Is(err, adb.ErrGone):
		what = "The phone went away in the middle. Usually the cable: plug it in again and capture once more."
	case errors.Is(err, android.ErrFingerprint):
		what = "The phone does not say which firmware it has: " + err.Error() + "."
	}
	if kept > 0 {
		return what + " What it had said by then is stored, marked incomplete."
	}
	return what + " Nothing was stored."
}

func benchProblem(err error) error {
	var refused *adb.ServerError
	if errors.Is(err, adb.ErrNoServer) || errors.As(err, &refused) {
		wrong, next := bench.Trouble(err)
		return problem(http.StatusServiceUnavailable, "adb-away", wrong+" "+next)
	}
	return badRequest(err)
}
