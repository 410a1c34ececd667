package server

import (
	"context"
	"errors"
	"mime/multipart"
	"net/http"
	"net/url"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/core/android"
	"roster/server/site"
	"roster/store"
)

// tellRoutes are the pages on which strangers tell, and find again what they told.
// They work without JavaScript, and from a static export elsewhere.
func (s *Server) tellRoutes() {
	s.plain(http.MethodGet, "/tell", Public, func(c *gin.Context) { s.sendPage(c, s.in(c).TellOfUnlisted) })
	s.plain(http.MethodPost, "/tell", Public, s.tellByForm)
	s.plain(http.MethodGet, "/told/:token", Public, s.told)
	s.plain(http.MethodPost, "/told/:token", Public, s.tellMore)
}

// maxFilesTold bounds the files that come along with a report.
const maxFilesTold = 10

// form reads what a form sent; it has answered where that can't be read.
func (s *Server) form(c *gin.Context) bool {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxTold)
	err := c.Request.ParseForm()
	if err == nil && strings.HasPrefix(c.ContentType(), "multipart/") {
		err = c.Request.ParseMultipartForm(maxTold) // all of it in memory: it is no more than that
	}
	if err == nil {
		return true
	}
	p := problem(http.StatusBadRequest, "bad-request", "What was sent can't be read.")
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		p = problem(http.StatusRequestEntityTooLarge, "too-large", "That is too much: leave out the log or the files, or a part of them.")
	}
	s.publicProblem(c, "", p)
	return false
}

func (s *Server) tellByForm(c *gin.Context) {
	if !s.form(c) {
		return
	}
	get := c.Request.PostForm.Get
	files, err := filesTold(c.Request.MultipartForm)
	if err != nil {
		s.publicProblem(c, "", err)
		return
	}
	token, err := s.takeReport(c.Request.Context(), reportBody{
		Release: get("release"), Fingerprint: strings.TrimSpace(get("fingerprint")), Phone: get("phone"), Outcome: store.ReportOutcome(get("outcome")),
		Packages: strings.Fields(get("packages")), Function: get("function"), Since: get("since"), Words: get("words"), Log: get("log"),
		ByHand: get("byHand") != "", Capture: get("capture"), files: files,
	})
	if err != nil {
		s.publicProblem(c, "", err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/told/"+token+"?in="+url.QueryEscape(site.Known(get("language"))))
}

// filesTold are the files of a form, nil for none; a field that was left empty
// comes as a file of no bytes.
func filesTold(form *multipart.Form) (files []android.Source, err error) {
	if form == nil {
		return nil, nil
	}
	for _, head := range form.File["files"] {
		if head.Size == 0 {
			continue
		}
		if len(files) == maxFilesTold {
			return nil, badReport("files: at most %d; put them into a zip.", maxFilesTold)
		}
		file, err := head.Open()
		if err != nil {
			return nil, err
		}
		files = append(files, android.Source{Name: head.Filename, Size: head.Size, Data: file})
	}
	return files, nil
}

func (s *Server) told(c *gin.Context) {
	s.sendPage(c, func() (site.File, error) {
		r, err := s.store.ReportByToken(c.Request.Context(), c.Param("token"))
		if err != nil {
			return site.File{}, err
		}
		return s.in(c).ToldPage(r, c.Request.URL.RequestURI())
	})
}

func (s *Server) tellMore(c *gin.Context) {
	if !s.form(c) {
		return
	}
	ctx := c.Request.Context()
	words := plainText(c.Request.PostForm.Get("words"))
	err := s.addWords(ctx, c.Param("token"), words)
	if err != nil {
		s.publicProblem(c, "", err)
		return
	}
	c.Redirect(http.StatusSeeOther, c.Request.URL.RequestURI())
}

func (s *Server) addWords(ctx context.Context, token, words string) error {
	if words == "" || len(words) > store.MaxReportWords {
		return problem(http.StatusUnprocessableEntity, "bad-request", "Say something, in at most 4,000 characters.")
	}
	r, err := s.store.ReportByToken(ctx, token)
	if err != nil {
		return err
	}
	return s.store.NoteReport(ctx, r.ID, uuid.Nil, words)
}

// in is the site in the language that a request asks for.
func (s *Server) in(c *gin.Context) *site.Site {
	if code := c.Query("in"); code != "" {
		return s.press.site.In(site.Known(code))
	}
	return s.press.site.In(site.Wished(c.GetHeader("Accept-Language")))
}

// sendPage sends a page that is one person's.
func (s *Server) sendPage(c *gin.Context, page func() (site.File, error)) {
	f, err := page()
	if err != nil {
		s.publicProblem(c, "", err)
		return
	}
	c.Header("Cache-Control", "no-store")
	c.Header("Referrer-Policy", "no-referrer")
	c.Data(http.StatusOK, f.Type, f.Body)
}
