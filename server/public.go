package server

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"

	"roster/server/site"
	"roster/store"
)

// pressed is a public file as it is sent, plain and compressed.
type pressed struct {
	site.File
	gzipped          []byte
	etag, gzipEtag   string
	length, gzLength string
}

// press keeps public files ready to be sent. They are written anew after
// anything was published, withdrawn or signed with another key: events of this
// kind reach every server of the installation.
type press struct {
	site  *site.Site
	mu    sync.RWMutex
	files map[string]*pressed
	// edition counts how often everything was thrown away, so that a file
	// that was written before is not kept after.
	edition int
}

// maxPressed bounds what is kept; there is no end to wrong addresses, but those
// are never kept.
const maxPressed = 20_000

func (p *press) forget() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.files, p.edition = map[string]*pressed{}, p.edition+1
}

// file finds what stands at an address.
func (p *press) file(ctx context.Context, path string) (*pressed, error) {
	p.mu.RLock()
	f, edition := p.files[path], p.edition
	p.mu.RUnlock()
	if f != nil {
		return f, nil
	}
	plain, err := p.site.File(ctx, path)
	if err != nil {
		return nil, err
	}
	sum := sha256.Sum256(plain.Body)
	var b bytes.Buffer
	w, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(plain.Body); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	f = &pressed{File: plain, gzipped: b.Bytes(), etag: fmt.Sprintf(`"%x"`, sum[:12]), gzipEtag: fmt.Sprintf(`"%x-z"`, sum[:12]), length: strconv.Itoa(len(plain.Body)), gzLength: strconv.Itoa(b.Len())}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.edition == edition && len(p.files) < maxPressed {
		p.files[path] = f
	}
	return f, nil
}

// watch throws away what may no longer be so, until ctx ends.
func (s *Server) watchPress(ctx context.Context) {
	changes, end := s.events.watch()
	defer end()
	for {
		select {
		case e := <-changes:
			if e.Topic == "" || e.Topic == "releases" {
				s.press.forget()
			}
		case <-ctx.Done():
			return
		}
	}
}

func (s *Server) publicRoutes() {
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		for _, path := range []string{"/r", "/r.json", "/r/*address", "/feed.atom", "/minisign.pub", "/keys", "/keys.json", "/keys/*key", "/schema/release.json", "/schema/capture.json"} {
			s.plain(method, path, Public, s.public)
		}
	}
}

// public hands out a public file. Any cache may keep it and ask whether it is
// still so: a withdrawal has to be seen.
func (s *Server) public(c *gin.Context) {
	path := c.Request.URL.Path
	if len(path) > 2 {
		path = strings.TrimRight(path, "/")
	}
	f, err := s.press.file(c.Request.Context(), path)
	if err != nil {
		s.publicProblem(c, site.Ending(path), err)
		return
	}
	h := c.Writer.Header()
	h.Set("Cache-Control", "public, no-cache")
	h.Set("Vary", "Accept-Encoding")
	body, etag, length := f.Body, f.etag, f.length
	if strings.Contains(c.GetHeader("Accept-Encoding"), "gzip") {
		body, etag, length = f.gzipped, f.gzipEtag, f.gzLength
		h.Set("Content-Encoding", "gzip")
	}
	h.Set("ETag", etag)
	if match := c.GetHeader("If-None-Match"); match != "" && (match == "*" || strings.Contains(match, etag)) {
		h.Del("Content-Encoding")
		c.Writer.WriteHeader(http.StatusNotModified)
		return
	}
	h.Set("Content-Type", f.Type)
	h.Set("Content-Length", length)
	if f.Name != "" {
		h.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", f.Name))
	}
	c.Writer.WriteHeader(http.StatusOK)
	if c.Request.Method != http.MethodHead {
		_, _ = c.Writer.Write(body)
	}
}

// publicProblem answers a person with a page, a program with words.
func (s *Server) publicProblem(c *gin.Context, ending string, err error) {
	var p *Problem
	errors.As(s.explain(context.WithoutCancel(c.Request.Context()), err), &p)
	if errors.Is(err, store.ErrNotFound) {
		p = problem(http.StatusNotFound, "not-found", "There is no release at this address.")
	}
	c.Header("Cache-Control", "no-store")
	if ending != "" {
		c.String(p.Status, "%s\n", p.Detail)
		return
	}
	page, err := site.Problem(p.Title, p.Detail)
	if err != nil {
		s.log.Error("a page could not be written", "err", err)
		c.String(http.StatusInternalServerError, "The page could not be written.\n")
		return
	}
	c.Data(p.Status, "text/html; charset=utf-8", page)
}
