package server

import (
	"bytes"
	"io/fs"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"roster/web"
)

// Assets are the files of the built browser application.
func Assets() fs.FS { return web.Files() }

// application serves the built browser application: its files, and its page
// for every address that is nothing else's.
func (s *Server) application() {
	dist := Assets()
	page, err := fs.ReadFile(dist, "index.html")
	if err != nil {
		page = []byte("<!doctype html><title>Roster</title><p>The browser application is not built into this program. Run scripts/build.\n")
	}
	s.plain(http.MethodGet, "/assets/*file", Public, func(c *gin.Context) { serveAsset(c, dist) })
	s.engine.NoRoute(func(c *gin.Context) {
		path := c.Request.URL.Path
		if strings.HasPrefix(path, "/api/") || c.Request.Method != http.MethodGet && c.Request.Method != http.MethodHead {
			writeProblem(c, problem(http.StatusNotFound, "not-found", "There is nothing at this address."))
			return
		}
		c.Header("Cache-Control", "no-cache")
		for _, asked := range s.askedFirst(c.Request) {
			c.Writer.Header().Add("Link", "<"+asked+`>; rel=preload; as=fetch; crossorigin`)
		}
		http.ServeContent(c.Writer, c.Request, "index.html", time.Time{}, bytes.NewReader(page))
		c.Abort()
	})
	s.engine.NoMethod(func(c *gin.Context) {
		writeProblem(c, problem(http.StatusMethodNotAllowed, "method", "This address does not take "+c.Request.Method+"."))
	})
}

// askedFirst are the answers that the application asks for before it draws the page
// of an address: the browser fetches them while it reads the application.
func (s *Server) askedFirst(r *http.Request) []string {
	if _, err := r.Cookie(s.cookieName()); err != nil {
		return nil
	}
	asked := []string{"/api/v1/session"}
	if r.URL.Path == "/ledger" {
		asked = append(asked, ledgerAhead(r.URL.Query()))
	}
	return asked
}

// ledgerAhead is the address by which the application asks for the first rows of the
// Ledger, letter by letter: see page in web/src/places/ledger/ledger.ts.
func ledgerAhead(query url.Values) string {
	address := "/api/v1/ledger?"
	for _, name := range []string{"maker", "model", "build", "q", "sort", "group"} {
		if value := query.Get(name); value != "" {
			address += name + "=" + asBrowsersWrite.Replace(url.QueryEscape(value)) + "&"
		}
	}
	return address + "limit=500"
}

// asBrowsersWrite makes of what url.QueryEscape writes what encodeURIComponent does.
var asBrowsersWrite = strings.NewReplacer("+", "%20", "%21", "!", "%27", "'", "%28", "(", "%29", ")", "%2A", "*")

// serveAsset serves a built file, in its compressed form where the build made
// one and the browser takes it. Names carry a hash: they never change.
func serveAsset(c *gin.Context, dist fs.FS) {
	name := "assets" + c.Param("file")
	c.Header("Cache-Control", "public, max-age=31536000, immutable")
	if strings.Contains(c.GetHeader("Accept-Encoding"), "br") {
		if raw, err := fs.ReadFile(dist, name+".br"); err == nil {
			c.Header("Content-Encoding", "br")
			c.Header("Vary", "Accept-Encoding")
			http.ServeContent(c.Writer, c.Request, name, time.Time{}, bytes.NewReader(raw))
			return
		}
	}
	raw, err := fs.ReadFile(dist, name)
	if err != nil {
		c.Header("Cache-Control", "no-store")
		c.String(http.StatusNotFound, "no such file\n")
		return
	}
	http.ServeContent(c.Writer, c.Request, name, time.Time{}, bytes.NewReader(raw))
}
