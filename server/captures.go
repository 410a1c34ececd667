package server

import (
	"context"
	"fmt"
	"io"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"roster/core/android"
	"roster/store"
)

// maxUpload bounds one upload, in bytes.
const maxUpload = 64 << 20

type uploadInput struct {
	RawBody huma.MultipartFormFiles[struct {
		Files []huma.FormFile `form:"files" required:"true"`
	}]
}

type uploadOutput struct {
	Body struct {
		store.CaptureSummary
		Complete bool           `json:"complete"`
		Missing  string         `json:"missing"`
		Notes    []android.Note `json:"notes" nullable:"false" doc:"Lines that were not understood"`
		Omitted  int            `json:"omitted" doc:"How many more such lines there were"`
	}
}

type captureOutput struct{ Body store.Capture }

func (s *Server) captureRoutes() {
	route(s, Technician, huma.Operation{OperationID: "uploadCapture", Method: http.MethodPost, Path: "/api/v1/captures", Summary: "Send in saved outputs of one phone: getprop, pm list packages, dumpsys package",
		DefaultStatus: http.StatusCreated, MaxBodyBytes: maxUpload}, s.upload)
	route(s, Technician, huma.Operation{OperationID: "getCapture", Method: http.MethodGet, Path: "/api/v1/captures/{id}", Summary: "One capture"},
		func(ctx context.Context, in *idInput) (*captureOutput, error) {
			c, err := s.store.Capture(ctx, in.ID)
			return &captureOutput{c}, err
		})
}

func (s *Server) upload(ctx context.Context, in *uploadInput) (*uploadOutput, error) {
	var files []android.Source
	var total int64
	for _, f := range in.RawBody.Data().Files {
		if total += f.Size; total > maxUpload {
			return nil, problem(http.StatusRequestEntityTooLarge, "too-large", fmt.Sprintf("The files are over %d MB together. Nothing was stored.", maxUpload>>20))
		}
		data, err := io.ReadAll(f)
		if err != nil {
			return nil, err
		}
		files = append(files, android.TextSource(f.Filename, data))
	}
	c, err := android.ReadSources(files)
	if err != nil {
		return nil, badRequest(fmt.Errorf("%w. Nothing was stored", err))
	}
	if len(c.Packages) == 0 {
		return nil, badRequest(fmt.Errorf("no package was found (%s). Nothing was stored", c.Missing))
	}
	summary, err := s.store.AddCapture(ctx, store.NewCapture{Capture: c, Phone: s.secret.PhoneHash(c.Identity.Serial), Person: personOf(ctx).ID, Source: "file"})
	if err != nil {
		return nil, err
	}
	out := &uploadOutput{}
	out.Body.CaptureSummary, out.Body.Complete, out.Body.Missing = summary, c.Complete, c.Missing
	out.Body.Notes, out.Body.Omitted = c.Notes()
	if out.Body.Notes == nil {
		out.Body.Notes = []android.Note{}
	}
	return out, nil
}
