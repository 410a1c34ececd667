package server

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	_ "image/jpeg" // the kinds of pictures that are taken
	_ "image/png"
	"mime"
	"net/http"
	"path"
	"strings"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/core/android"
	"roster/store"
)

// maxAttachment bounds one attached file, in bytes.
const maxAttachment = 4 << 20

type attachmentInput struct {
	Name    string `query:"name" required:"true" minLength:"1" maxLength:"200"`
	RawBody []byte `contentType:"application/octet-stream"`
}

type attachmentOutput struct{ Body store.Attachment }

func (s *Server) attachmentRoutes() {
	route(s, Technician, huma.Operation{OperationID: "addAttachment", Method: http.MethodPost, Path: "/api/v1/attachments", Summary: "Keep a log or a picture for evidence", DefaultStatus: http.StatusCreated,
		Description: "Text, PNG or JPEG of at most 4 MB. It is thrown away after a day unless an edit names it.", MaxBodyBytes: maxAttachment + 1},
		func(ctx context.Context, in *attachmentInput) (*attachmentOutput, error) {
			kind, err := attachmentType(in.RawBody)
			if err != nil {
				return nil, badRequest(fmt.Errorf("%s: %w. Nothing was stored", android.Printable(in.Name, 100), err))
			}
			a, err := s.store.AddAttachment(ctx, personOf(ctx).ID, fileName(in.Name), kind, in.RawBody)
			return &attachmentOutput{a}, err
		})
	s.plain(http.MethodGet, "/api/v1/attachments/:id", Technician, s.attachment)
}

// fileName keeps the last part of a name, without what could not be printed.
func fileName(name string) string {
	name = android.Printable(path.Base(strings.ReplaceAll(name, `\`, "/")), 100)
	if name == "" || name == "." || name == "/" {
		return "file"
	}
	return name
}

// maxPixels bounds a picture's size once it is unpacked.
const maxPixels = 50_000_000

// attachmentType tells what a file is by its content, not by its name.
func attachmentType(content []byte) (string, error) {
	if len(content) == 0 {
		return "", errors.New("the file is empty")
	}
	if len(content) > maxAttachment {
		return "", fmt.Errorf("the file is over %d MB", maxAttachment>>20)
	}
	if config, format, err := image.DecodeConfig(bytes.NewReader(content)); err == nil {
		if config.Width*config.Height > maxPixels {
			return "", errors.New("the picture has over 50 million pixels")
		}
		return "image/" + format, nil
	}
	if utf8.Valid(content) && bytes.IndexByte(content, 0) < 0 {
		return "text/plain", nil
	}
	return "", errors.New("it is neither text nor a PNG or JPEG picture")
}

// attachment serves a file as what it was found to be and as nothing else.
func (s *Server) attachment(c *gin.Context) {
	ctx := c.Request.Context()
	id, err := uuid.Parse(c.Param("id"))
	if err != nil {
		writeProblem(c, problem(http.StatusNotFound, "not-found", "There is no such file."))
		return
	}
	a, content, err := s.store.AttachmentContent(ctx, personOf(ctx).ID, id)
	if err != nil {
		s.fail(c, err)
		return
	}
	kind := a.Type
	if kind == "text/plain" {
		kind += "; charset=utf-8"
	}
	c.Header("Content-Security-Policy", "default-src 'none'; sandbox")
	c.Header("Content-Disposition", mime.FormatMediaType("inline", map[string]string{"filename": a.Name}))
	c.Header("Cache-Control", "private, max-age=86400, immutable")
	c.Data(http.StatusOK, kind, content)
}
