package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"reflect"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"roster/core/android"
	"roster/store"
)

// maxUpload bounds one upload as a whole, in bytes; android.MaxSource bounds
// each file of it.
const maxUpload = 2 * android.MaxSource

// maxFiles bounds the files of one upload.
const maxFiles = 100

// Uploads take disk while they come in and a processor while they are read.
const (
	uploadsAtOnce      = 4
	uploadsOfOnePerson = 2
)

var uploadsBusy = problem(http.StatusServiceUnavailable, "busy", fmt.Sprintf("%d uploads are being read already, or %d of yours. Nothing was stored; send this one again when they are done.", uploadsAtOnce, uploadsOfOnePerson)).after(5 * time.Second)

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
	s.describeForm(huma.Operation{OperationID: "uploadCapture", Method: http.MethodPost, Path: path, Summary: "Send in saved outputs of one phone, a bug report or a capture file"}, Technician, "201", reflect.TypeFor[uploaded]())
}

// describeForm adds a route that takes files as they stream in to the API's
// description, with what it answers where all is well.
func (s *Server) describeForm(op huma.Operation, access Access, status string, answer reflect.Type) {
	api := s.api.OpenAPI()
	op.Description = "Form field: files, as often as there are files. For: " + string(access) + "."
	op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"multipart/form-data": {Schema: &huma.Schema{Type: "object", Properties: map[string]*huma.Schema{
		"files": {Type: "array", Items: &huma.Schema{Type: "string", Format: "binary"}}}}}}}
	code, _ := strconv.Atoi(status)
	op.Responses = map[string]*huma.Response{status: {Description: http.StatusText(code), Content: map[string]*huma.MediaType{
		"application/json": {Schema: api.Components.Schemas.Schema(answer, true, "")}}},
		"default": {Description: "Error", Content: map[string]*huma.MediaType{"application/problem+json": {Schema: api.Components.Schemas.Schema(reflect.TypeFor[Problem](), true, "")}}}}
	api.AddOperation(&op)
}

// formOf begins to read a form of at most limit bytes with files, of which only so
// many are read at once; done has to be called when it was read.
func (s *Server) formOf(ctx context.Context, r *http.Request, limit int64) (form *multipart.Reader, done func(), err error) {
	done, ok := s.uploads.enter(personOf(ctx).ID)
	if !ok {
		return nil, nil, uploadsBusy
	}
	if r.ContentLength > limit {
		err = uploadProblem(&http.MaxBytesError{Limit: limit})
	} else {
		r.Body = http.MaxBytesReader(nil, r.Body, limit)
		if form, err = r.MultipartReader(); err != nil {
			err = badRequest(fmt.Errorf("send the files as a form (multipart/form-data): %w", err))
		}
	}
	if err != nil {
		done()
		return nil, nil, err
	}
	return form, done, nil
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
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, uploadProblem(err)
		}
		if part.FormName() != "files" {
			continue
		}
		if len(sources) == maxFiles {
			return nil, badRequest(fmt.Errorf("more than %d files; put them into a zip. Nothing was stored", maxFiles))
		}
		file, err := nameless()
		if err != nil {
			return nil, err
		}
		defer file.Close()
		n, err := io.Copy(file, part)
		if err != nil {
			return nil, uploadProblem(err)
		}
		sources = append(sources, android.Source{Name: part.FileName(), Size: n, Data: whileWanted{ctx, file}})
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

// whileWanted reads for as long as somebody waits for what is read.
type whileWanted struct {
	ctx context.Context
	io.ReaderAt
}

func (w whileWanted) ReadAt(p []byte, at int64) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.ReaderAt.ReadAt(p, at)
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

// nameless makes a temporary file that nobody else can open, and that is gone
// when it is closed.
func nameless() (*os.File, error) {
	file, err := os.CreateTemp("", "roster-spool-")
	if err != nil {
		return nil, err
	}
	if err := os.Remove(file.Name()); err != nil {
		file.Close()
		return nil, err
	}
	return file, nil
}

func uploadProblem(err error) error {
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return problem(http.StatusRequestEntityTooLarge, "too-large", fmt.Sprintf("The files are over %d MB together. Nothing was stored.", large.Limit>>20))
	}
	var slow net.Error
	if errors.As(err, &slow) && slow.Timeout() {
		return problem(http.StatusRequestTimeout, "too-slow", "The files stopped coming in. Nothing was stored; send them again.")
	}
	return badRequest(fmt.Errorf("the upload broke off (%w). Nothing was stored", err))
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
