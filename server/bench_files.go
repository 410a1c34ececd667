package server

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/bench"
	"roster/core/android"
	"roster/core/profile"
	"roster/server/worker"
)

// maxHanded bounds the package files that somebody gives to a bench at once.
const maxHanded = 1 << 30

type jobMade struct {
	Job uuid.UUID `json:"job"`
}

type handedInput struct {
	ID uuid.UUID `path:"id"`
}

// filesRoutes hand package files to benches, which put them in on phones: a release
// pins them, and holds none.
func (s *Server) filesRoutes() {
	const path = "/api/v1/benches/{id}/files"
	s.plain(http.MethodPost, "/api/v1/benches/:id/files", Technician, func(c *gin.Context) {
		made, err := s.giveFiles(c.Request.Context(), c.Param("id"), c.Request)
		if err != nil {
			s.fail(c, err)
			return
		}
		c.JSON(http.StatusAccepted, made)
	})
	s.describeForm(huma.Operation{OperationID: "giveFiles", Method: http.MethodPost, Path: path,
		Summary:    "Give a bench package files that releases put in",
		Parameters: []*huma.Param{{Name: "id", In: "path", Required: true, Schema: &huma.Schema{Type: "string", Format: "uuid"}}}},
		Technician, http.StatusAccepted, reflect.TypeFor[jobMade]())
	const reading = "/api/v1/package-files"
	s.plain(http.MethodPost, reading, Technician, func(c *gin.Context) {
		read, err := s.readFiles(c.Request.Context(), c.Request)
		if err != nil {
			s.fail(c, err)
			return
		}
		c.JSON(http.StatusOK, read)
	})
	s.describeForm(huma.Operation{OperationID: "readPackageFiles", Method: http.MethodPost, Path: reading,
		Summary: "What package files say of themselves and of who signed them: nothing is stored"},
		Technician, http.StatusOK, reflect.TypeFor[bench.Taken]())
	route(s, OfBench, huma.Operation{OperationID: "linkFile", Method: http.MethodGet, Path: "/api/v1/link/files/{id}",
		Summary: "A package file that waits for this bench"},
		func(ctx context.Context, in *handedInput) (*huma.StreamResponse, error) {
			r, size, err := s.store.HandedFile(ctx, benchOf(ctx).ID, in.ID)
			if err != nil {
				return nil, err
			}
			return &huma.StreamResponse{Body: func(c huma.Context) {
				defer r.Close()
				c.SetHeader("Content-Type", "application/vnd.android.package-archive")
				c.SetHeader("Content-Length", fmt.Sprint(size))
				if _, err := io.Copy(c.BodyWriter(), r); err != nil && ctx.Err() == nil {
					s.log.Warn("a package file for a bench broke off", "file", in.ID, "err", err)
				}
			}}, nil
		})
}

// giveFiles takes the files of a form as they come in; see maxHanded.
func (s *Server) giveFiles(ctx context.Context, to string, r *http.Request) (*jobMade, error) {
	id, err := uuid.Parse(to)
	if err != nil {
		return nil, badRequest(fmt.Errorf("%q is no bench", android.Printable(to, 60)))
	}
	form, done, err := s.formOf(ctx, r, maxHanded)
	if err != nil {
		return nil, err
	}
	defer done()
	list, err := s.handFiles(ctx, id, form)
	if err == nil && len(list) == 0 {
		err = badRequest(errors.New("no file came: send each as a part that is named files. Nothing was stored"))
	}
	var job uuid.UUID
	if err == nil {
		job, err = s.store.AddJob(ctx, personOf(ctx).ID, worker.Ask(id, bench.Request{Kind: bench.KindFiles, Files: list}))
	}
	if err != nil {
		if wrong := s.store.DropHandedFiles(context.WithoutCancel(ctx), fileIDs(list)); wrong != nil {
			s.log.Warn("package files that no bench will fetch can't be deleted; they go within a day", "err", wrong)
		}
		return nil, err
	}
	return &jobMade{job}, nil
}

// readFiles says what the package files of a form are, for whoever pins them.
func (s *Server) readFiles(ctx context.Context, r *http.Request) (*bench.Taken, error) {
	form, done, err := s.formOf(ctx, r, maxHanded)
	if err != nil {
		return nil, err
	}
	defer done()
	read := &bench.Taken{Packages: []profile.Given{}, Wrong: []string{}}
	var list []profile.GivenPart
	err = eachFile(form, "send them in several goes", func(part *multipart.Part) error {
		one, wrong, err := readFile(part)
		if wrong != nil {
			read.Wrong = append(read.Wrong, fmt.Sprintf("%s: %v", one.File, wrong))
		} else if err == nil {
			list = append(list, one)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	good, wrong := profile.Gather(list)
	read.Packages = append(read.Packages, good...)
	for _, err := range wrong {
		read.Wrong = append(read.Wrong, err.Error())
	}
	return read, ctx.Err()
}

// readFile reads a package file, of which nothing stays; what is wrong with it is
// for whoever sent it.
func readFile(part *multipart.Part) (one profile.GivenPart, wrong, err error) {
	one.File = android.Printable(part.FileName(), 200)
	sum := sha256.New()
	file, size, err := received(io.TeeReader(part, sum))
	if err != nil {
		return one, nil, err
	}
	defer file.Close()
	f, wrong := android.ReadPackageFile(file, size)
	if wrong != nil {
		return one, wrong, nil
	}
	one.PackageFile, one.Size, one.SHA256 = *f, size, hex.EncodeToString(sum.Sum(nil))
	return one, nil, nil
}

// handFiles stores the files of a form for a bench. What it returns with an error
// was stored.
func (s *Server) handFiles(ctx context.Context, to uuid.UUID, form *multipart.Reader) (list []bench.HandedFile, err error) {
	err = eachFile(form, "send them in several goes", func(part *multipart.Part) error {
		name := android.Printable(part.FileName(), 200)
		if !strings.HasSuffix(strings.ToLower(name), ".apk") {
			return badRequest(fmt.Errorf("%q: give package files (.apk). Nothing was stored", name))
		}
		file, _, err := received(part)
		if err != nil {
			return err
		}
		defer file.Close()
		id, size, err := s.store.AddHandedFile(ctx, to, name, file)
		if err == nil {
			list = append(list, bench.HandedFile{ID: id, Name: name, Size: size})
		}
		return err
	})
	return list, err
}

func fileIDs(list []bench.HandedFile) []uuid.UUID {
	ids := make([]uuid.UUID, len(list))
	for i, f := range list {
		ids[i] = f.ID
	}
	return ids
}
