package server

import (
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/core/android"
)

// The bounds of what a phone says in a capture, in bytes: as it comes, and as it
// is. A phone with a thousand packages says some ten million.
const (
	maxLinkText = 32 << 20
	maxUnpacked = 200 << 20
)

// linkTextRoute takes what a phone says as it is, from a bench that computes
// slowly. It is read while it comes in, which huma can't: it is added to the
// router by itself, and to the description by hand.
func (s *Server) linkTextRoute() {
	const path = "/api/v1/link/jobs/{id}/text"
	s.plain(http.MethodPost, strings.Replace(path, "{id}", ":id", 1), OfBench, func(c *gin.Context) {
		if err := s.linkText(c.Request.Context(), c); err != nil {
			s.fail(c, err)
			return
		}
		c.Status(http.StatusNoContent)
	})
	api := s.api.OpenAPI()
	text := &huma.Schema{Type: "string"}
	wrong := api.Components.Schemas.Schema(reflect.TypeFor[Problem](), true, "")
	api.AddOperation(&huma.Operation{OperationID: "linkText", Method: http.MethodPost, Path: path,
		Summary: "What a phone says in a capture, for the server to read", Description: "Compressed with gzip. For: bench.",
		Parameters: []*huma.Param{
			{Name: "id", In: "path", Required: true, Schema: &huma.Schema{Type: "string", Format: "uuid"}},
			{Name: "serial", In: "query", Schema: text}, {Name: "broken", In: "query", Schema: text},
		},
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"text/plain": {Schema: text}}},
		Responses: map[string]*huma.Response{"204": {Description: "No Content"},
			"default": {Description: "Error", Content: map[string]*huma.MediaType{"application/problem+json": {Schema: wrong}}}},
	})
}

func (s *Server) linkText(ctx context.Context, c *gin.Context) error {
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		return badRequest(fmt.Errorf("%q is no job", android.Printable(c.Param("id"), 60)))
	}
	serial := c.Query("serial")
	if len(serial) > 200 {
		return problem(http.StatusUnprocessableEntity, "bad-request", "serial: no serial number is longer than 200 characters.")
	}
	results, err := s.ofBench(ctx, id)
	if err != nil {
		return err
	}
	packed, err := gzip.NewReader(http.MaxBytesReader(nil, c.Request.Body, maxLinkText))
	if err != nil {
		return badRequest(fmt.Errorf("what the phone says has to come compressed with gzip: %w", err))
	}
	var reading android.Reading
	text := &io.LimitedReader{R: packed, N: maxUnpacked + 1}
	err = reading.Read("", text)
	var large *http.MaxBytesError
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &large), text.N <= 0:
		return problem(http.StatusRequestEntityTooLarge, "too-large", "This is more than any phone says. Nothing was stored.")
	case err != nil:
		return badRequest(err)
	}
	capture, err := reading.Capture()
	if err != nil {
		return badRequest(err)
	}
	if c.Query("broken") != "" {
		capture.Broken()
	}
	return results.Captured(ctx, serial, capture)
}
