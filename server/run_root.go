package server

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/run"
	"roster/server/worker"
)

type rootInput struct {
	ID     uuid.UUID `path:"id"`
	Handle string    `path:"handle" maxLength:"64"`
	Body   struct{ RunOf }
}

// askForRoot has a bench ask a phone for root; the job's id is what a rehearsal and
// a run then know of it.
func (s *Server) askForRoot(ctx context.Context, in *rootInput) (*createdOutput, error) {
	d, _, _, err := s.ofRun(ctx, in.Body.RunOf)
	if err != nil {
		return nil, err
	}
	here, err := s.phoneOn(ctx, in.ID, in.Handle)
	if err != nil {
		return nil, err
	}
	r := bench.Request{Kind: bench.KindRoot, Phone: in.Handle, With: here.Mark}
	for _, k := range run.Keys(run.Plan(d, run.Choices{})) {
		if k.Namespace == run.Image {
			r.Keys = append(r.Keys, k)
		}
	}
	if len(r.Keys) == 0 {
		return nil, problem(http.StatusConflict, "no-root-needed", "This takes nothing out of the image: it needs no root.")
	}
	if err := s.canDo(ctx, in.ID, r); err != nil {
		return nil, err
	}
	id, err := s.store.AddJob(ctx, personOf(ctx).ID, worker.Ask(in.ID, r))
	return &createdOutput{created{id}}, err
}

// imagesOf are how packages lie on the image of a phone, as the job told that asked
// it for root; none where there is no such job.
func (s *Server) imagesOf(ctx context.Context, id uuid.UUID, phone string) (map[android.PackageName]android.Image, error) {
	if id == uuid.Nil {
		return nil, nil
	}
	job, err := s.store.Job(ctx, id)
	if err != nil {
		return nil, err
	}
	var asked bench.Request
	var told bench.Rooted
	if err := json.Unmarshal(job.Request, &asked); err != nil {
		return nil, fmt.Errorf("the request of job %s: %w", id, err)
	}
	if job.Kind != bench.KindRoot || job.State != "done" || asked.With != phone || json.Unmarshal(job.Result, &told) != nil {
		return nil, problem(http.StatusConflict, "root-of-another",
			"This phone has not been asked for root, or it has not answered yet. Ask it, and rehearse again.")
	}
	images := map[android.PackageName]android.Image{}
	for name, text := range told.Images {
		if image, ok := android.ParseImage(text); ok && android.PackageName(name).Valid() {
			images[android.PackageName(name)] = image
		}
	}
	return images, nil
}
