package server

import (
	"context"
	"errors"
	"fmt"
	"mime/multipart"
	"net/http"
	"reflect"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"roster/core/starter"
	"roster/store"
	"roster/store/exchange"
)

// maxCatalogue bounds a catalogue that is brought in by the page, in bytes. A
// larger one is brought in by roster import.
const maxCatalogue = 2 << 30

type firstStart struct {
	store.FirstStart
	// Packages counts those that the starter catalogue describes.
	Packages int `json:"packages"`
	// Sample is true where a made-up world can be taken in, Filling while it comes in.
	Sample  bool `json:"sample"`
	Filling bool `json:"filling"`
}

type firstStartOutput struct{ Body firstStart }

// firstStartRoutes are for the keeper of an installation that has nothing yet.
func (s *Server) firstStartRoutes() {
	route(s, Keeper, huma.Operation{
		OperationID: "getFirstStart", Method: http.MethodGet, Path: "/api/v1/first-start",
		Summary: "What a new installation has of what it needs first",
	}, s.firstStart)
	route(s, Keeper, huma.Operation{
		OperationID: "takeStarter", Method: http.MethodPost, Path: "/api/v1/first-start/starter",
		Summary: "Send the starter catalogue, what the platform's own packages are, as one change for review", DefaultStatus: http.StatusCreated,
	}, s.takeStarter)
	route(s, Keeper, huma.Operation{
		OperationID: "takeSample", Method: http.MethodPost, Path: "/api/v1/first-start/sample",
		Summary: "Fill an installation that has nothing but people with a made-up world", DefaultStatus: http.StatusNoContent,
	}, s.takeSample)
	const path = "/api/v1/catalogue"
	s.plain(http.MethodPost, path, Keeper, func(c *gin.Context) {
		if err := s.importCatalogue(c.Request.Context(), c.Request); err != nil {
			s.fail(c, err)
			return
		}
		c.JSON(http.StatusCreated, struct{}{})
	})
	s.describeForm(huma.Operation{
		OperationID: "importCatalogue", Method: http.MethodPost, Path: path,
		Summary: "Bring an exported catalogue into an installation that has none",
	},
		Keeper, http.StatusCreated, reflect.TypeFor[struct{}]())
}

func (s *Server) firstStart(ctx context.Context, _ *struct{}) (*firstStartOutput, error) {
	f, err := s.store.FirstStart(ctx)
	if err != nil {
		return nil, err
	}
	edits, err := starter.Edits()
	if err != nil {
		return nil, err
	}
	names := map[string]bool{}
	for _, e := range edits {
		names[string(e.Package)] = true
	}
	return &firstStartOutput{firstStart{f, len(names), s.config.Sample != nil && !f.Ruled, s.filling.Load()}}, nil
}

func (s *Server) takeStarter(ctx context.Context, _ *struct{}) (*createdOutput, error) {
	edits, err := starter.Edits()
	if err != nil {
		return nil, err
	}
	f, err := s.store.FirstStart(ctx)
	if err != nil {
		return nil, err
	}
	if f.Starter != nil { // by whomever, and however often it is pressed
		return &createdOutput{created{*f.Starter}}, nil
	}
	words := "The open-source platform's own packages, as descriptions and sources. Nothing of it is a trial: every standing stays untried."
	sending := sendingOf("", starter.Title, words, nil)
	sending.ImportedFrom = starter.From
	id, err := s.store.TakeStarter(ctx, personOf(ctx).ID, sending, edits)
	if errors.Is(err, store.ErrEmptyTray) {
		return nil, problem(http.StatusConflict, "nothing-new", "The catalogue says all that the starter catalogue does.")
	}
	return &createdOutput{created{id}}, err
}

// takeSample fills the installation with the sample world. That is no transaction,
// and goes on when whoever asked has left: half of it would be no use.
func (s *Server) takeSample(ctx context.Context, _ *struct{}) (*struct{}, error) {
	if s.config.Sample == nil {
		return nil, problem(http.StatusNotFound, "not-found", "This program carries no sample world.")
	}
	if !s.filling.CompareAndSwap(false, true) {
		return nil, problem(http.StatusConflict, "busy", "The sample world is just coming in.")
	}
	defer s.filling.Store(false)
	f, err := s.store.FirstStart(ctx)
	if err != nil {
		return nil, err
	}
	if f.Captured {
		return nil, problem(http.StatusConflict, "not-empty", "There is a catalogue here already. Nothing was changed.")
	}
	if f.Ruled { // its changes were decided as the first rules have it
		return nil, problem(http.StatusConflict, "not-empty", "Rules were set here already, which the sample world may not keep. Nothing was changed.")
	}
	if err := s.config.Sample(context.WithoutCancel(ctx)); err != nil {
		s.log.Error("the sample world is in only in part: begin again with an empty database", "err", err)
		return nil, problem(http.StatusInternalServerError, "half-filled",
			"The sample world is in only in part; the server's log says why. Begin again with an empty database.")
	}
	return nil, s.store.Record(context.WithoutCancel(ctx), store.Act{Person: personOf(ctx).ID, Action: "catalogue.sample", Subject: "sample world"})
}

// importCatalogue brings the one file of a form in: all of it or nothing.
func (s *Server) importCatalogue(ctx context.Context, r *http.Request) error {
	form, done, err := s.formOf(ctx, r, maxCatalogue)
	if err != nil {
		return err
	}
	defer done()
	files := 0
	err = eachFile(form, "a catalogue is one file", func(part *multipart.Part) error {
		if files++; files > 1 {
			return badRequest(errors.New("a catalogue is one file; what came before the second is in"))
		}
		file, size, err := received(part)
		if err != nil {
			return err
		}
		defer file.Close()
		err = exchange.Read(ctx, s.store, whileWanted{ctx, file}, size)
		if errors.Is(err, store.ErrNotEmpty) {
			return problem(http.StatusConflict, "not-empty", "There is a catalogue here already. Nothing was changed.")
		}
		if err != nil && ctx.Err() == nil && s.databaseProblem(ctx, err) == nil {
			return badRequest(fmt.Errorf("%w. Nothing was changed", err))
		}
		return err
	})
	if err == nil && files == 0 {
		err = badRequest(errors.New("no file came: send it as a part that is named files. Nothing was changed"))
	}
	return err
}
