package server

import (
	"context"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"roster/core/evidence"
	"roster/store"
)

// packageTrials are the trials of a package, and what each counts in a scope. The
// Dossier tells what they come to; most who read that open none of them.
type packageTrials struct {
	Trials      []store.Trial      `json:"trials" nullable:"false" doc:"The newest, at most 500"`
	Attachments []store.Attachment `json:"attachments" nullable:"false" doc:"The files that they name"`
	Weighed     []weighed          `json:"weighed" nullable:"false"`
}

// weighed is the part that one trial, or several of one phone, have in the figures of
// a method.
type weighed struct {
	Method   string   `json:"method" enum:"quieten,disable,remove-for-user,remove-from-image"`
	Trials   []string `json:"trials" nullable:"false"`
	Distance int      `json:"distance"`
	Transfer float64  `json:"transfer"`
	Weight   float64  `json:"weight"`
	Outcome  string   `json:"outcome"`
}

type packageTrialsInput struct {
	ScopeInput
	Name string `path:"name" maxLength:"255"`
}

type packageTrialsOutput struct{ Body packageTrials }

// maxTrials is how many trials one answer carries.
const maxTrials = 500

func (s *Server) packageTrials(ctx context.Context, in *packageTrialsInput) (*packageTrialsOutput, error) {
	ctx = store.MayLag(ctx)
	sc, p, err := s.packageIn(ctx, in.ScopeInput, in.Name)
	if err != nil {
		return nil, err
	}
	out := &packageTrialsOutput{packageTrials{Weighed: []weighed{}}}
	var trials []evidence.Trial
	var y evidence.Yardstick
	loading, within := errgroup.WithContext(ctx)
	loading.Go(func() (err error) { out.Body.Trials, err = s.store.Trials(within, p.ID, maxTrials); return })
	loading.Go(func() (err error) { trials, y, err = s.store.Evidence(within, p.ID); return })
	if err := loading.Wait(); err != nil {
		return nil, err
	}
	all := evidence.GatherAll(trials)
	for _, m := range evidence.Methods {
		f := all.Of(m).From(sc.Target, y, &evidence.Limits{})
		for _, w := range f.Counted {
			out.Body.Weighed = append(out.Body.Weighed, weighed{string(m), w.Merged, int(w.Distance), w.Transfer, w.Weight, string(w.Outcome)})
		}
	}
	files := []uuid.UUID{}
	for _, t := range out.Body.Trials {
		files = append(files, t.Attachments...)
	}
	out.Body.Attachments, err = s.store.Attachments(ctx, files)
	return out, err
}
