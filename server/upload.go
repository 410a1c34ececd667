package server

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"mime/multipart"
	"net"
	"net/http"
	"os"
	"reflect"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"
)

// maxFiles bounds the files of one upload.
const maxFiles = 100

// Uploads take disk while they come in and a processor while they are read.
const (
	uploadsAtOnce      = 4
	uploadsOfOnePerson = 2
)

var uploadsBusy = problem(http.StatusServiceUnavailable, "busy", fmt.Sprintf(
	"%d uploads are being read already, or %d of yours. Nothing was stored; send this one again when they are done.",
	uploadsAtOnce, uploadsOfOnePerson)).after(5 * time.Second)

// describeForm adds a route that takes files as they stream in to the API's
// description, with what it answers where all is well.
func (s *Server) describeForm(op huma.Operation, access Access, status int, answer reflect.Type) {
	api := s.api.OpenAPI()
	body := func(kind string, schema *huma.Schema) map[string]*huma.MediaType {
		return map[string]*huma.MediaType{kind: {Schema: schema}}
	}
	files := &huma.Schema{Type: "array", Items: &huma.Schema{Type: "string", Format: "binary"}}
	op.Description = "Form field: files, as often as there are files. For: " + string(access) + "."
	op.RequestBody = &huma.RequestBody{Required: true, Content: body("multipart/form-data",
		&huma.Schema{Type: "object", Properties: map[string]*huma.Schema{"files": files}})}
	op.Responses = map[string]*huma.Response{
		strconv.Itoa(status): {Description: http.StatusText(status), Content: body("application/json",
			api.Components.Schemas.Schema(answer, true, ""))},
		"default": {Description: "Error", Content: body("application/problem+json",
			api.Components.Schemas.Schema(reflect.TypeFor[Problem](), true, ""))},
	}
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

// eachFile takes the files of a form one by one, as they come in. Where there are
// more than maxFiles, it is an error that says what to do instead.
func eachFile(form *multipart.Reader, instead string, take func(*multipart.Part) error) error {
	for n := 0; ; {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return uploadProblem(err)
		}
		if part.FormName() != "files" {
			continue
		}
		if n++; n > maxFiles {
			return badRequest(fmt.Errorf("more than %d files; %s. Nothing was stored", maxFiles, instead))
		}
		if err := take(part); err != nil {
			return err
		}
	}
}

// received spools what somebody sends, who may be slow: neither memory nor a
// transaction waits for them. What it may be at most is the form's limit.
func received(from io.Reader) (*os.File, int64, error) {
	return spool(math.MaxInt64, func(w io.Writer) error {
		if _, err := io.Copy(w, from); err != nil {
			return uploadProblem(err)
		}
		return nil
	})
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
