package server

import (
	"bytes"
	"context"
	"embed"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/render"
	"roster/store"
)

//go:embed pages
var pageFiles embed.FS

var pages = template.Must(template.New("").Funcs(template.FuncMap{
	"percent":  evidence.Percent,
	"loadWord": func(l evidence.Load) string { return loadWords[l] },
	"date":     func(t time.Time) string { return t.UTC().Format("2 January 2006") },
	"words":    func(slug string) string { return strings.ReplaceAll(slug, "-", " ") },
	"front":    front,
	"back":     func(name string) string { return strings.TrimPrefix(name, front(name)) },
	"breaks":   breaks,
}).ParseFS(pageFiles, "pages/*.html"))

var loadWords = map[evidence.Load]string{
	evidence.Loose: "Loose", evidence.LeanedOn: "Leaned on", evidence.TiedIn: "Tied in",
	evidence.LoadBearing: "Load-bearing", evidence.Unproven: "Unproven",
}

// front is the shared namespace of a package name, which is shown dimmed.
func front(name string) string {
	parts := strings.Split(name, ".")
	n := min(2, len(parts)-1)
	if n < 1 {
		return ""
	}
	return strings.Join(parts[:n], ".") + "."
}

// breaks lets a package name break behind its dots and nowhere else.
func breaks(name string) template.HTML {
	return template.HTML(strings.ReplaceAll(template.HTMLEscapeString(name), ".", ".<wbr>"))
}

func releasePath(maker, model, edition string, number int) string {
	return fmt.Sprintf("/r/%s/%s/%s/%d", maker, model, edition, number)
}

// form is one way in which a release is handed out.
type form struct {
	contentType string
	render      func(store.Release, *profile.Document) ([]byte, error)
}

// forms by the ending of the address, the longest first.
var forms = []struct {
	ending string
	form
}{
	{".json.minisig", form{"text/plain; charset=utf-8", func(r store.Release, _ *profile.Document) ([]byte, error) { return []byte(r.Signature), nil }}},
	{".undo.sh", form{"text/x-shellscript; charset=utf-8", func(r store.Release, d *profile.Document) ([]byte, error) { return render.ShellUndo(d, r.SHA256) }}},
	{".json", form{"application/json", func(r store.Release, _ *profile.Document) ([]byte, error) { return r.Document, nil }}},
	{".sh", form{"text/x-shellscript; charset=utf-8", func(r store.Release, d *profile.Document) ([]byte, error) { return render.Shell(d, r.SHA256) }}},
	{".txt", form{"text/plain; charset=utf-8", func(_ store.Release, d *profile.Document) ([]byte, error) { return render.Names(d), nil }}},
}

func (s *Server) publicRoutes() {
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		s.plain(method, "/r/*address", Public, s.release)
		s.plain(method, "/r", Public, s.releaseIndex)
		s.plain(method, "/schema/release.json", Public, func(c *gin.Context) {
			c.Data(http.StatusOK, "application/schema+json", profile.Schema)
		})
		s.plain(method, "/schema/capture.json", Public, func(c *gin.Context) {
			c.Data(http.StatusOK, "application/schema+json", android.CaptureSchema)
		})
		s.plain(method, "/minisign.pub", Public, s.publicKey)
	}
}

// address takes /maker/model/edition[/number][ending] apart.
func address(path string) (maker, model, edition string, number int, ending string, ok bool) {
	path = strings.Trim(path, "/")
	for _, f := range forms {
		if rest, found := strings.CutSuffix(path, f.ending); found {
			path, ending = rest, f.ending
			break
		}
	}
	parts := strings.Split(path, "/")
	if len(parts) < 3 || len(parts) > 4 {
		return "", "", "", 0, "", false
	}
	if len(parts) == 4 {
		n, err := strconv.Atoi(parts[3])
		if err != nil || n < 1 || n > 1_000_000 {
			return "", "", "", 0, "", false
		}
		number = n
	}
	return parts[0], parts[1], parts[2], number, ending, true
}

func (s *Server) release(c *gin.Context) {
	if strings.Trim(c.Param("address"), "/") == "" {
		s.releaseIndex(c)
		return
	}
	maker, model, edition, number, ending, ok := address(c.Param("address"))
	if !ok {
		s.publicProblem(c, ending, store.ErrNotFound)
		return
	}
	r, err := s.store.Release(c.Request.Context(), maker, model, edition, number)
	if err != nil {
		s.publicProblem(c, ending, err)
		return
	}
	doc, err := profile.ParseDocument(r.Document)
	if err != nil {
		s.publicProblem(c, ending, err)
		return
	}
	c.Header("ETag", fmt.Sprintf(`"%s-%s%s"`, r.SHA256[:16], r.State, ending))
	c.Header("Cache-Control", "no-cache")
	if ending == "" {
		s.page(c, http.StatusOK, "release.html", pageOf(r, doc))
		return
	}
	at := slices.IndexFunc(forms, func(f struct {
		ending string
		form
	}) bool {
		return f.ending == ending
	})
	body, err := forms[at].render(r, doc)
	if err != nil {
		s.publicProblem(c, ending, err)
		return
	}
	c.Header("Content-Type", forms[at].contentType)
	c.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%s-%d%s"`, model, edition, r.Number, ending))
	http.ServeContent(c.Writer, c.Request, "", time.Time{}, bytes.NewReader(body))
}

// releasePage is what the page of a release shows.
type releasePage struct {
	store.Release
	Doc   *profile.Document
	Path  string
	File  string
	Costs []cost
}

// cost is a function that goes, with what takes it.
type cost struct {
	Function string
	Steps    []profile.Step
}

func pageOf(r store.Release, d *profile.Document) releasePage {
	p := releasePage{Release: r, Doc: d, Path: releasePath(r.Maker, r.Model, r.Edition, r.Number), File: fmt.Sprintf("%s-%s-%d", r.Model, r.Edition, r.Number)}
	at := map[string]int{}
	for _, step := range d.Steps {
		for _, f := range step.Costs {
			i, ok := at[f]
			if !ok {
				i = len(p.Costs)
				at[f] = i
				p.Costs = append(p.Costs, cost{Function: f})
			}
			p.Costs[i].Steps = append(p.Costs[i].Steps, step)
		}
	}
	return p
}

func (s *Server) releaseIndex(c *gin.Context) {
	list, err := s.store.Releases(c.Request.Context(), store.Scope{}, maxList)
	if err != nil {
		s.publicProblem(c, "", err)
		return
	}
	list = slices.DeleteFunc(list, func(r store.ReleaseLine) bool { return r.State == "replaced" })
	c.Header("Cache-Control", "no-cache")
	s.page(c, http.StatusOK, "releases.html", list)
}

func (s *Server) publicKey(c *gin.Context) {
	k, err := s.store.KeyInUse(c.Request.Context())
	if err != nil {
		s.publicProblem(c, ".pub", err)
		return
	}
	c.Data(http.StatusOK, "text/plain; charset=utf-8", KeyFile(k.ID, k.Public))
}

func (s *Server) page(c *gin.Context, status int, name string, data any) {
	var b bytes.Buffer
	if err := pages.ExecuteTemplate(&b, name, data); err != nil {
		s.log.Error("a page could not be written", "page", name, "err", err)
		c.String(http.StatusInternalServerError, "The page could not be written.\n")
		return
	}
	if etag := c.Writer.Header().Get("ETag"); etag != "" && c.GetHeader("If-None-Match") == etag {
		c.Status(http.StatusNotModified)
		return
	}
	c.Data(status, "text/html; charset=utf-8", b.Bytes())
}

// publicProblem answers a person with a page, a program with words.
func (s *Server) publicProblem(c *gin.Context, ending string, err error) {
	var p *Problem
	errors.As(s.explain(context.WithoutCancel(c.Request.Context()), err), &p)
	if errors.Is(err, store.ErrNotFound) {
		p = problem(http.StatusNotFound, "not-found", "There is no release at this address.")
	}
	if ending != "" {
		c.String(p.Status, "%s\n", p.Detail)
		return
	}
	s.page(c, p.Status, "problem.html", p)
}
