package server

import (
	"context"
	"encoding/json"
	"errors"
	"maps"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/run"
	"roster/server/worker"
	"roster/store"
)

// linkHello is the first event on a link, and is sent again at each beat.
type linkHello struct {
	Bench string `json:"bench"`
}

type linkJobInput[T any] struct {
	ID   uuid.UUID `path:"id"`
	Body T
}

type ordersOutput struct{ Body run.Orders }

type linkViewInput struct{ Body bench.LinkView }

// linkRoutes are what a bench elsewhere talks to: it asks for requests and
// sends what comes of them. See bench.Link.
func (s *Server) linkRoutes() {
	events := huma.Operation{OperationID: "linkRequests", Method: http.MethodGet, Path: "/api/v1/link/requests", Summary: "What this bench is asked for, as it comes"}
	declare(&events, OfBench)
	sse.Register(s.api, events, map[string]any{"hello": linkHello{}, "request": bench.LinkRequest{}, "cancel": bench.LinkCancel{}}, s.linkRequests)
	route(s, OfBench, huma.Operation{OperationID: "linkView", Method: http.MethodPost, Path: "/api/v1/link/view", Summary: "What this bench sees"},
		func(ctx context.Context, in *linkViewInput) (*struct{}, error) {
			return nil, s.store.SeeBench(ctx, benchOf(ctx).ID, s.work.Marked(in.Body.View), in.Body.Running)
		})
	route(s, OfBench, huma.Operation{OperationID: "linkLeave", Method: http.MethodPost, Path: "/api/v1/link/leave", Summary: "This bench is being stopped"},
		func(ctx context.Context, _ *struct{}) (*struct{}, error) {
			return nil, s.store.LeaveBench(ctx, benchOf(ctx).ID)
		})
	route(s, OfBench, huma.Operation{OperationID: "linkProgress", Method: http.MethodPost, Path: "/api/v1/link/jobs/{id}/progress", Summary: "How far a request is", MaxBodyBytes: 1 << 20},
		func(ctx context.Context, in *linkJobInput[json.RawMessage]) (*struct{}, error) {
			r, err := s.ofBench(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			return nil, r.Tell(ctx, in.Body)
		})
	route(s, OfBench, huma.Operation{OperationID: "linkCapture", Method: http.MethodPost, Path: "/api/v1/link/jobs/{id}/capture", Summary: "A capture, whole or not", MaxBodyBytes: 32 << 20, SkipValidateBody: true},
		func(ctx context.Context, in *linkJobInput[bench.LinkCapture]) (*struct{}, error) {
			if len(in.Body.Serial) > 200 {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "serial: no serial number is longer than 200 characters.")
			}
			r, err := s.ofBench(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			c, err := android.ReadSources([]android.Source{android.TextSource("capture", in.Body.Capture)})
			if err != nil {
				return nil, badRequest(err)
			}
			return nil, r.Captured(ctx, in.Body.Serial, c)
		})
	s.linkTextRoute()
	route(s, OfBench, huma.Operation{OperationID: "linkNames", Method: http.MethodPost, Path: "/api/v1/link/jobs/{id}/names", Summary: "What package files said", MaxBodyBytes: 32 << 20, SkipValidateBody: true},
		func(ctx context.Context, in *linkJobInput[bench.LinkNames]) (*struct{}, error) {
			if err := in.Body.Check(); err != nil {
				return nil, badRequest(err)
			}
			r, err := s.ofBench(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			return nil, r.Named(ctx, in.Body.Names)
		})
	route(s, OfBench, huma.Operation{OperationID: "linkRun", Method: http.MethodPost, Path: "/api/v1/link/jobs/{id}/run", Summary: "What came of steps of a run, for the next ones", MaxBodyBytes: 4 << 20},
		func(ctx context.Context, in *linkJobInput[run.Report]) (*ordersOutput, error) {
			r, err := s.ofBench(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			orders, err := r.Advance(ctx, in.Body)
			if errors.Is(err, run.ErrSuperseded) {
				err = problem(http.StatusGone, "superseded", "This run is no longer this bench's.")
			}
			return &ordersOutput{orders}, err
		})
	route(s, OfBench, huma.Operation{OperationID: "linkEnd", Method: http.MethodPost, Path: "/api/v1/link/jobs/{id}/end", Summary: "How a request ended", MaxBodyBytes: 4 << 20},
		func(ctx context.Context, in *linkJobInput[bench.LinkEnd]) (*struct{}, error) {
			r, err := s.ofBench(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			err = r.End(ctx, in.Body.Result, android.Printable(in.Body.Problem, 1000))
			if err != nil && !worker.Passing(ctx, err) {
				err = problem(http.StatusUnprocessableEntity, "unstorable", "What came of this can't be stored, and counts as failed. The server's log says why.")
			}
			return nil, err
		})
}

// ofBench finds a job that the asking bench is doing.
func (s *Server) ofBench(ctx context.Context, id uuid.UUID) (*worker.Results, error) {
	j, err := s.store.Job(ctx, id)
	if err != nil {
		return nil, err
	}
	b := benchOf(ctx)
	if j.BenchID == nil || *j.BenchID != b.ID {
		return nil, problem(http.StatusForbidden, "refused", "This job is not of this bench.")
	}
	if j.Ended() {
		return nil, problem(http.StatusConflict, "not-open", "This job has ended.")
	}
	return s.work.Results(j, b.ID), nil
}

// linkRequests sends a bench the jobs that wait for it, and stops those that
// somebody cancels.
func (s *Server) linkRequests(ctx context.Context, _ *struct{}, send sse.Sender) {
	b := benchOf(ctx)
	w := s.stream(ctx)
	defer w.end()
	sent := map[uuid.UUID]bool{}
	for {
		if send.Data(linkHello{b.Name}) != nil {
			return
		}
		for {
			job, err := s.store.ClaimJob(ctx, b.ID)
			if err != nil {
				if !errors.Is(err, store.ErrNotFound) && ctx.Err() == nil {
					s.log.Warn("jobs can't be taken up for a bench", "bench", b.Name, "err", err)
				}
				break
			}
			var r bench.Request
			if err := json.Unmarshal(job.Request, &r); err != nil {
				s.work.EndJobPatiently(ctx, job, nil, "The request can't be read: "+err.Error())
				continue
			}
			sent[job.ID] = true
			if send.Data(bench.LinkRequest{ID: job.ID, Request: r}) != nil {
				return
			}
		}
		ended, err := s.store.EndedJobs(ctx, slices.Collect(maps.Keys(sent)))
		if err != nil && ctx.Err() == nil {
			s.log.Warn("nobody can tell which jobs were cancelled", "bench", b.Name, "err", err)
		}
		for id, state := range ended {
			delete(sent, id)
			if state == "cancelled" && send.Data(bench.LinkCancel{ID: id}) != nil {
				return
			}
		}
		does := func(job string) bool {
			id, err := uuid.Parse(job)
			return err == nil && sent[id]
		}
		if !w.next(worker.ConcernsBench(b.ID, does)) {
			return
		}
	}
}
