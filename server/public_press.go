package server

import (
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"golang.org/x/sync/singleflight"

	"roster/server/site"
	"roster/store"
)

// pressed is a public file as it is sent, plain and compressed.
type pressed struct {
	site.File
	gzipped []byte
	// spoken is true for an English page that there is in other languages, too.
	spoken bool
	// plain and packed are the headers of both, made once.
	plain, packed headers
}

// headers are what is sent with a file, ready to be put into a response: all
// of them, or those that go with the word that the reader has it already.
type headers struct {
	etag       string
	all, known []header
}

type header struct {
	name   string
	values []string
}

// headersOf are those of a file's bytes, sent as they are or compressed.
func headersOf(f site.File, etag, vary string, length int, packed bool) headers {
	h := headers{etag: etag, known: []header{{"Cache-Control", []string{"public, no-cache"}}, {"Vary", []string{vary}}, {"Etag", []string{etag}}}}
	h.all = append(slices.Clone(h.known), header{"Content-Type", []string{f.Type}}, header{"Content-Length", []string{strconv.Itoa(length)}})
	if packed {
		h.all = append(h.all, header{"Content-Encoding", []string{"gzip"}})
	}
	if f.Name != "" {
		h.all = append(h.all, header{"Content-Disposition", []string{fmt.Sprintf("attachment; filename=%q", f.Name)}})
	}
	return h
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
	// writing is what is written at the moment: once, however many wait for it.
	writing singleflight.Group
}

// writingTakes bounds how long a file is written, whoever has left meanwhile.
const writingTakes = 30 * time.Second

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
	written, err, _ := p.writing.Do(fmt.Sprint(edition, " ", path), func() (any, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), writingTakes)
		defer cancel()
		return p.write(ctx, path, edition)
	})
	if err != nil {
		return nil, err
	}
	return written.(*pressed), nil
}

// write writes a file, and keeps it unless something has changed meanwhile.
func (p *press) write(ctx context.Context, path string, edition int) (*pressed, error) {
	plain, err := p.site.File(store.MayLag(ctx), path)
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
	etag := fmt.Sprintf("%x", sum[:12])
	vary := "Accept-Encoding"
	spoken := site.Translated(path)
	if spoken {
		vary += ", Accept-Language"
	}
	f := &pressed{
		File: plain, gzipped: b.Bytes(), spoken: spoken,
		plain:  headersOf(plain, `"`+etag+`"`, vary, len(plain.Body), false),
		packed: headersOf(plain, `"`+etag+`-z"`, vary, b.Len(), true),
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.edition == edition && len(p.files) < maxPressed {
		p.files[path] = f
	}
	return f, nil
}

// What public files tell of, and what profiles are composed from.
var (
	PublicTopics = []store.Topic{store.Missed, store.ReleasesChanged, store.ChangesChanged, store.CoverageCounted, store.ReportsChanged}
	basisTopics  = []store.Topic{store.Missed, store.ChangesChanged, store.CapturesChanged, store.RulesChanged, store.ReleasesChanged}
)

func (s *Server) publicRoutes() {
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		for _, path := range []string{"/r", "/r.json", "/r/*address", "/run/:number", "/feed.atom", "/offline.js", "/coverage", "/coverage.json", "/coverage/:maker", "/minisign.pub", "/keys", "/keys.json", "/keys/*key", "/schema/release.json", "/schema/capture.json"} {
			s.plain(method, path, Public, s.public)
		}
		for _, l := range site.Languages[1:] {
			for _, path := range []string{"/r", "/r/*address", "/run/:number", "/coverage", "/coverage/:maker", "/keys"} {
				s.plain(method, "/"+l.Code+path, Public, s.public)
			}
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
	if wished := site.Wished(c.GetHeader("Accept-Language")); wished != "en" && wishes(c.Request) && site.Translated(path) {
		c.Header("Vary", "Accept-Language")
		c.Header("Cache-Control", "no-store")
		c.Redirect(http.StatusFound, site.InLanguage(wished, path))
		return
	}
	f, err := s.press.file(c.Request.Context(), path)
	if err != nil {
		s.publicProblem(c, site.Ending(path), err)
		return
	}
	f.send(c.Writer, c.Request)
}

// wishes reports whether a browser may have its wish for a language: whoever chose
// one, or comes from another page of ours, has it.
func wishes(r *http.Request) bool {
	from, err := url.Parse(r.Referer())
	return !r.URL.Query().Has("in") && (err != nil || from.Host != r.Host)
}

// english reports whether what a request may be answered with is what it asks for,
// whatever its browser's language.
func english(r *http.Request) bool {
	wish := r.Header.Get("Accept-Language")
	return wish == "" || strings.HasPrefix(wish, "en") || !wishes(r) || site.Wished(wish) == "en"
}

// ready answers a request for a public file that was handed out before, and
// reports whether it did. Most of what the world asks for ends here.
func (p *press) ready(w http.ResponseWriter, r *http.Request) bool {
	if r.Method != http.MethodGet && r.Method != http.MethodHead {
		return false
	}
	p.mu.RLock()
	f := p.files[r.URL.Path]
	p.mu.RUnlock()
	if f == nil || f.spoken && !english(r) {
		return false
	}
	f.send(w, r)
	return true
}

// send writes the file, or that the reader has it already.
func (f *pressed) send(w http.ResponseWriter, r *http.Request) {
	body, h := f.Body, &f.plain
	if strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		body, h = f.gzipped, &f.packed
	}
	out := w.Header()
	if match := r.Header.Get("If-None-Match"); match != "" && (match == "*" || strings.Contains(match, h.etag)) {
		for _, one := range h.known {
			out[one.name] = one.values
		}
		w.WriteHeader(http.StatusNotModified)
		return
	}
	for _, one := range h.all {
		out[one.name] = one.values
	}
	w.WriteHeader(http.StatusOK)
	if r.Method != http.MethodHead {
		_, _ = w.Write(body)
	}
}

// publicProblem answers a person with a page, a program with words.
func (s *Server) publicProblem(c *gin.Context, ending string, err error) {
	var p *Problem
	errors.As(s.explain(c.Request.Context(), err), &p)
	if errors.Is(err, store.ErrNotFound) {
		p = problem(http.StatusNotFound, "not-found", "There is nothing at this address.")
	}
	c.Header("Cache-Control", "no-store")
	if ending != "" {
		c.String(p.Status, "%s\n", p.Detail)
		return
	}
	code, _ := site.SplitLanguage(c.Request.URL.Path)
	detail := p.Detail
	if p.Status == http.StatusNotFound {
		detail = ""
	}
	page, err := site.Problem(code, detail)
	if err != nil {
		s.log.Error("a page could not be written", "err", err)
		c.String(http.StatusInternalServerError, "The page could not be written.\n")
		return
	}
	c.Data(p.Status, "text/html; charset=utf-8", page)
}
