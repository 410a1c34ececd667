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
	s.describeForm(huma.Operation{OperationID: "giveFiles", Method: http.MethodPost, Path: path, Summary: "Give a bench package files that releases put in",
		Parameters: []*huma.Param{{Name: "id", In: "path", Required: true, Schema: &huma.Schema{Type: "string", Format: "uuid"}}}}, Technician, "202", reflect.TypeFor[jobMade]())
	const reading = "/api/v1/package-files"
	s.plain(http.MethodPost, reading, Technician, func(c *gin.Context) {
		read, err := s.readFiles(c.Request.Context(), c.Request)
		if err != nil {
			s.fail(c, err)
			return
		}
		c.JSON(http.StatusOK, read)
	})
	s.describeForm(huma.Operation{OperationID: "readPackageFiles", Method: http.MethodPost, Path: reading, Summary: "What package files say of themselves and of who signed them: nothing is stored"}, Technician, "200", reflect.TypeFor[bench.Taken]())
	route(s, OfBench, huma.Operation{OperationID: "linkFile", Method: http.MethodGet, Path: "/api/v1/link/files/{id}", Summary: "A package file that waits for this bench"},
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
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, uploadProblem(err)
		}
		if part.FormName() != "files" || len(list) == maxFiles {
			continue
		}
		one, err := readFile(part)
		if err != nil {
			read.Wrong = append(read.Wrong, fmt.Sprintf("%s: %v", one.File, err))
			continue
		}
		list = append(list, one)
	}
	good, wrong := profile.Gather(list)
	read.Packages = append(read.Packages, good...)
	for _, err := range wrong {
		read.Wrong = append(read.Wrong, err.Error())
	}
	return read, ctx.Err()
}

// readFile reads a package file by way of a file without a name, of which nothing
// stays.
func readFile(part *multipart.Part) (one profile.GivenPart, err error) {
	one.File = android.Printable(part.FileName(), 200)
	file, err := nameless()
	if err != nil {
		return one, err
	}
	defer file.Close()
	sum := sha256.New()
	if one.Size, err = io.Copy(io.MultiWriter(file, sum), part); err != nil {
		return one, err
	}
	f, err := android.ReadPackageFile(file, one.Size)
	if err != nil {
		return one, err
	}
	one.PackageFile, one.SHA256 = *f, hex.EncodeToString(sum.Sum(nil))
	return one, nil
}

// handFiles stores the files of a form for a bench. What it returns with an error
// was stored.
func (s *Server) handFiles(ctx context.Context, to uuid.UUID, form *multipart.Reader) (list []bench.HandedFile, err error) {
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return list, nil
		}
		if err != nil {
			return list, uploadProblem(err)
		}
		if part.FormName() != "files" {
			continue
		}
		name := android.Printable(part.FileName(), 200)
		if !strings.HasSuffix(strings.ToLower(name), ".apk") || len(list) == maxFiles {
			return list, badRequest(fmt.Errorf("%q: give package files (.apk), at most %d at once. Nothing was stored", name, maxFiles))
		}
		id, size, err := s.handFile(ctx, to, name, part)
		if err != nil {
			return list, err
		}
		list = append(list, bench.HandedFile{ID: id, Name: name, Size: size})
	}
}

// handFile stores a file for a bench by way of a file without a name: who sends it
// may be slow, and no transaction waits for them.
func (s *Server) handFile(ctx context.Context, to uuid.UUID, name string, part io.Reader) (id uuid.UUID, size int64, err error) {
	file, err := nameless()
	if err != nil {
		return id, 0, err
	}
	defer file.Close()
	if _, err := io.Copy(file, part); err != nil {
		return id, 0, uploadProblem(err)
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return id, 0, err
	}
	return s.store.AddHandedFile(ctx, to, name, file)
}

func fileIDs(list []bench.HandedFile) []uuid.UUID {
	ids := make([]uuid.UUID, len(list))
	for i, f := range list {
		ids[i] = f.ID
	}
	return ids
}
