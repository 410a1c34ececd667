package server

import (
	"context"
	"errors"
	"fmt"
	"mime/multipart"
	"net/http"
	"os"
	"reflect"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"roster/core/android"
	"roster/store"
)

// maxUpload bounds one upload as a whole, in bytes; android.MaxSource bounds
// each file of it.
const maxUpload = 2 * android.MaxSource

// uploaded is what became of an upload.
type uploaded struct {
	store.CaptureSummary
	Complete bool           `json:"complete"`
	Missing  string         `json:"missing"`
	Notes    []android.Note `json:"notes" nullable:"false" doc:"Lines that were not understood, and files that were left out"`
	Omitted  int            `json:"omitted" doc:"How many more such lines there were"`
}

type captureOutput struct{ Body store.Capture }

type intakeOutput struct{ Body store.Intake }

func (s *Server) captureRoutes() {
	s.uploadRoute()
	route(s, Technician, huma.Operation{OperationID: "getCapture", Method: http.MethodGet, Path: "/api/v1/captures/{id}", Summary: "One capture"},
		func(ctx context.Context, in *idInput) (*captureOutput, error) {
			c, err := s.store.Capture(ctx, in.ID)
			return &captureOutput{c}, err
		})
	route(s, Technician, huma.Operation{OperationID: "getIntake", Method: http.MethodGet, Path: "/api/v1/captures/{id}/intake", Summary: "What a capture means: compared with what was known"},
		func(ctx context.Context, in *idInput) (*intakeOutput, error) {
			i, err := s.store.Intake(ctx, in.ID)
			return &intakeOutput{i}, err
		})
	s.plain(http.MethodGet, "/api/v1/packages/:name/icon", Technician, s.icon)
}

// uploadRoute takes files as they stream in, which huma can't: it is added to
// the router by itself, and to the description by hand.
func (s *Server) uploadRoute() {
	const path = "/api/v1/captures"
	s.plain(http.MethodPost, path, Technician, func(c *gin.Context) {
		out, err := s.upload(c.Request.Context(), c.Request)
		if err != nil {
			s.fail(c, err)
			return
		}
		c.JSON(http.StatusCreated, out)
	})
	s.describeForm(huma.Operation{OperationID: "uploadCapture", Method: http.MethodPost, Path: path,
		Summary: "Send in saved outputs of one phone, a bug report or a capture file"},
		Technician, http.StatusCreated, reflect.TypeFor[uploaded]())
}

// upload reads the files of a form. Each lies, while it is read, in a file
// without a name, of which nothing stays.
func (s *Server) upload(ctx context.Context, r *http.Request) (*uploaded, error) {
	form, done, err := s.formOf(ctx, r, maxUpload)
	if err != nil {
		return nil, err
	}
	defer done()
	var sources []android.Source
	var spooled []*os.File
	defer func() {
		for _, f := range spooled {
			f.Close()
		}
	}()
	err = eachFile(form, "put them into a zip", func(part *multipart.Part) error {
		file, size, err := received(part)
		if err != nil {
			return err
		}
		spooled = append(spooled, file)
		sources = append(sources, android.Source{Name: part.FileName(), Size: size, Data: whileWanted{ctx, file}})
		return nil
	})
	if err != nil {
		return nil, err
	}
	if len(sources) == 0 {
		return nil, badRequest(errors.New("no file came: send each as a part that is named files. Nothing was stored"))
	}
	c, err := android.ReadSources(sources)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
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
	if err := s.store.AddNames(ctx, namesIn(c)); err != nil {
		return nil, err
	}
	out := &uploaded{CaptureSummary: summary, Complete: c.Complete, Missing: c.Missing}
	if out.Notes, out.Omitted = c.Notes(); out.Notes == nil {
		out.Notes = []android.Note{}
	}
	return out, nil
}

// namesIn are the labels that a portable capture carries.
func namesIn(c *android.Capture) []store.NewName {
	var list []store.NewName
	for _, p := range c.Packages {
		if len(p.Labels) > 0 {
			list = append(list, store.NewName{Name: string(p.Name), VersionCode: p.VersionCode, Signer: p.Signer, Labels: p.Labels})
		}
	}
	return list
}

// icon shows a package's picture. It came from a phone: it is served as a
// picture and as nothing else.
func (s *Server) icon(c *gin.Context) {
	ctx := c.Request.Context()
	data, kind, err := s.store.Icon(ctx, c.Param("name"))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Content-Security-Policy", "default-src 'none'; sandbox")
	c.Header("Cache-Control", "private, max-age=86400")
	c.Data(http.StatusOK, kind, data)
}
