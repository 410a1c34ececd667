package server

import (
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"net/netip"
	"reflect"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-contrib/gzip"
	"github.com/gin-gonic/gin"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/google/uuid"
	"github.com/hashicorp/golang-lru/v2/expirable"
	"github.com/prometheus/client_golang/prometheus"
	"go.opentelemetry.io/otel/trace"

	"roster/bench"
	"roster/bench/adb"
	"roster/core/people"
	"roster/core/profile"
	"roster/server/site"
	"roster/server/webhook"
	"roster/server/worker"
	"roster/store"
)

// Config is what a server needs to run.
type Config struct {
	Store  *store.Store
	Secret Secret
	Log    *slog.Logger
	// Traces is told how long each request takes; nil for nobody.
	Traces trace.TracerProvider
	// Sample fills an installation that has nothing but people with a made-up
	// world, for whoever wants to look around; nil where there is none.
	Sample func(context.Context) error
	// ADB is the adb server's address; "" for a server without phones.
	ADB string
	// ADBProgram starts an adb server where none answers.
	ADBProgram string
	// StandIns are simulated phones whose hands this server may lead.
	StandIns []bench.HandAt
	// Loose are stand-ins that hang on no computer, for browsers to attach.
	Loose []bench.HandAt
	// Backups is the folder of this computer in which its bench keeps what it
	// saves of phones.
	Backups string
	// PublicURL is where the installation is reached from outside, such as
	// https://roster.example, without a slash at its end.
	PublicURL string
	// TrustedProxies are those whose X-Forwarded-For and -Proto count; see
	// ParseProxies.
	TrustedProxies []netip.Prefix
	// Provider vouches for people beside their passwords.
	Provider Provider
	// Webhooks sends to receivers elsewhere.
	Webhooks webhook.Sender
	// Version is shown and written into the API's description.
	Version string
	// Demo, when not empty, is shown on the sign-in page.
	Demo []DemoSignIn
	// Pace is how slow clients may be; zero for DefaultPace.
	Pace Pace
	// NoReports leaves out what strangers could tell with.
	NoReports bool
	// Passwords is what new passwords are stored at; zero for the default.
	Passwords PasswordCost
}

// DemoSignIn is a sample person whose password is no secret.
type DemoSignIn struct {
	Login    string      `json:"login"`
	Password string      `json:"password"`
	Role     people.Role `json:"role"`
}

// Server answers HTTP for one installation. Several on one database are fine.
type Server struct {
	store     *store.Store
	secret    Secret
	log       *slog.Logger
	config    Config
	engine    *gin.Engine
	api       huma.API
	work      *worker.Worker
	press     *press
	bases     *expirable.LRU[basisKey, profile.Basis]
	pace      Pace
	passwords *passwords
	vouching  *vouching
	party     *webauthn.WebAuthn // nil where devices take no passkeys for its address
	started   time.Time
	requests  *prometheus.HistogramVec
	// readyPages are those of them that were ready before they were asked for.
	readyPages prometheus.Observer
	looked     lookedAt
	telling    chan struct{} // receivers may have to be told something
	uploads    *turnstile
	heard      *turnstile // large reports of strangers that come in
	along      *turnstile // what comes along with them, while it is read
	tellers    tellers
	exports    *turnstile
	// previewing is held while another yardstick is tried out: that takes all
	// trials there are, and more than one at a time would keep people waiting.
	previewing sync.Mutex
	// filling is true while the sample world comes in.
	filling atomic.Bool
}

// New makes a server and starts what it does in the background: bringing the
// database up to date, listening for events and watching phones.
func New(c Config) *Server {
	s := build(c)
	// What is kept at hand is thrown away when it may no longer be so. A cut line
	// is drawn over what was known when it was taken up.
	s.work.Go(func(ctx context.Context) { s.work.Hub.Each(ctx, PublicTopics, s.press.forget) })
	s.work.Go(func(ctx context.Context) { s.work.Hub.Each(ctx, basisTopics, s.bases.Purge) })
	s.work.Go(s.tellWebhooks)
	s.work.Go(func(ctx context.Context) { s.work.Hub.Each(ctx, PublicTopics, s.wakeWebhooks) })
	s.work.Start()
	return s
}

// build makes a server with its routes that does nothing by itself.
func build(c Config) *Server {
	gin.SetMode(gin.ReleaseMode)
	s := &Server{
		store: c.Store, secret: c.Secret, log: c.Log, config: c, engine: gin.New(),
		started: time.Now(), requests: newRequestTimes(), telling: make(chan struct{}, 1),
	}
	setup := bench.Setup{Key: c.Secret.derive("handles"), Hands: bench.Hands(c.StandIns), Saves: bench.Folder(c.Backups), Scratch: bench.Scratch, Log: c.Log}
	if c.ADB != "" {
		setup.Host = &adb.Client{Address: c.ADB, Program: c.ADBProgram}
	}
	s.work = worker.New(worker.Config{Store: c.Store, Log: c.Log, Station: bench.NewStation(setup), ADB: c.ADB, Mark: c.Secret.PhoneHash})
	reports := "/tell"
	if c.NoReports {
		reports = ""
	}
	public := &site.Site{
		Store: c.Store, Base: c.PublicURL, Assets: &site.Assets{FS: Assets()},
		Reports: reports, Salt: hex.EncodeToString(c.Secret.derive("reports")),
	}
	s.press = &press{site: public, files: map[string]*pressed{}}
	s.bases = expirable.NewLRU[basisKey, profile.Basis](keptBases, nil, basisKept)
	s.passwords = newPasswords(c.Passwords)
	s.vouching = newVouching(c.Provider, c.PublicURL)
	s.party = newRelyingParty(c.PublicURL)
	s.pace = c.Pace
	if s.pace == (Pace{}) {
		s.pace = DefaultPace
	}
	s.uploads, s.exports = newTurnstile(uploadsAtOnce, uploadsOfOnePerson), newTurnstile(exportsAtOnce, exportsOfOnePerson)
	s.heard, s.along = newTurnstile(heardAtOnce, heardAtOnce), newTurnstile(toldAtOnce, toldAtOnce)
	s.readyPages = s.requests.WithLabelValues("GET", "ready public pages", "2xx")
	s.middleware()
	s.routes()
	return s
}

// Close stops what runs in the background and waits for it.
func (s *Server) Close() { s.work.Close() }

// ServeHTTP answers a request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.secureHeaders(w, r)
	began := time.Now()
	if s.press.ready(w, r) {
		s.readyPages.Observe(time.Since(began).Seconds())
	} else {
		s.engine.ServeHTTP(w, s.paceBody(w, r))
	}
}

func (s *Server) middleware() {
	e := s.engine
	e.HandleMethodNotAllowed = true
	e.ForwardedByClientIP = false
	if s.config.Traces != nil {
		e.Use(s.trace(s.config.Traces))
	}
	e.Use(s.recover, s.timed, s.logRequests, refuseOddText)
	e.Use(s.refuseOutdated)
	// What is public is pressed already, and the same for everybody.
	s.publicRoutes()
	e.Use(gzip.Gzip(gzip.BestSpeed, gzip.WithExcludedPathsRegexs([]string{`/events$`, `/link/requests$`, `\.woff2$`, `^/assets/.*\.(js|css|wasm)$`})))
	e.Use(s.crossOrigin, s.whoIsIt, s.hearing)
}

// ledBy leads the names of types in the API's description whose packages have
// names that others have, too: a run has steps and jobs of its own, the Desk
// its lines.
var ledBy = map[string]string{"roster/core/run": "Bench", "roster/core/desk": "Desk"}

// schemaName names a type in the API's description.
func schemaName(t reflect.Type, hint string) string {
	name := huma.DefaultSchemaNamer(t, hint)
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	return ledBy[t.PkgPath()] + name
}

func (s *Server) routes() {
	config := huma.DefaultConfig("Roster", s.config.Version)
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[uuid.UUID](), reflect.TypeFor[idText]())
	config.Formats = map[string]huma.Format{"application/json": strictFormat, "json": strictFormat}
	config.OpenAPIPath = "/api/openapi"
	config.DocsPath = ""
	config.SchemasPath = ""
	config.CreateHooks = nil // no $schema links in answers
	config.Info.Description = "What preinstalled Android packages are, how safe each is to remove, and on which evidence. Errors are RFC 9457 problem documents; times are RFC 3339 in UTC."
	s.api = humagin.New(s.engine, config)
	s.api.UseMiddleware(s.requireAccess)
	s.sessionRoutes()
	s.providerRoutes()
	s.passwordLinkRoutes()
	s.passkeyRoutes()
	s.scopeRoutes()
	s.ledgerRoutes()
	s.viewRoutes()
	s.evidenceRoutes()
	s.attachmentRoutes()
	s.trayRoutes()
	s.reviewRoutes()
	s.talkRoutes()
	s.accountRoutes()
	s.installationRulesRoutes()
	s.peopleRoutes()
	s.auditRoutes()
	s.importRoutes()
	s.catalogueRoutes()
	s.firstStartRoutes()
	s.installationRoutes()
	s.webhookRoutes()
	s.profileRoutes()
	s.benchRoutes()
	s.standInRoutes()
	s.eventRoutes()
	s.linkRoutes()
	s.filesRoutes()
	s.runRoutes()
	s.gainRoutes()
	s.aftermathRoutes()
	s.reportRoutes()
	s.backupRoutes()
	s.captureRoutes()
	s.impactRoutes()
	s.deskRoutes()
	s.firmwareRoutes()
	s.plain(http.MethodGet, "/healthz", Public, func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	s.plain(http.MethodGet, "/readyz", Public, s.ready)
	s.application()
}

// ready reports whether requests can be answered, in words for whoever looks
// at two in the morning.
func (s *Server) ready(c *gin.Context) {
	ctx, cancel := context.WithTimeout(c.Request.Context(), 5*time.Second)
	defer cancel()
	if err := s.store.Ping(ctx); err != nil {
		s.log.Warn("not ready", "err", err)
		if newer := (*store.NewerError)(nil); errors.As(err, &newer) {
			writeProblem(c, outdated(newer))
			return
		}
		writeProblem(c, ofDatabase[store.DatabaseAway].problem)
		return
	}
	i, err := s.lately(ctx)
	if err != nil {
		s.log.Warn("ready, but the installation can't be looked at", "err", err)
		writeProblem(c, ofDatabase[store.DatabaseBusy].problem)
		return
	}
	c.JSON(http.StatusOK, gin.H{
		"status": "ready", "version": s.config.Version, "migration": i.Database.Migration, "replicas": i.Database.Replicas,
		"benches": gin.H{"connected": i.Work.Connected, "silent": i.Work.Silent},
	})
}

// refuseOutdated answers nothing from a database that a newer program has been
// at: nobody knows what its tables mean now.
func (s *Server) refuseOutdated(c *gin.Context) {
	newer := s.work.Outdated()
	if newer == nil || c.FullPath() == "/healthz" || c.FullPath() == "/readyz" {
		c.Next()
		return
	}
	writeProblem(c, outdated(newer))
}

func outdated(newer *store.NewerError) *Problem {
	return problem(http.StatusServiceUnavailable, "program-too-old", sentenceOf(newer))
}

// Describe writes the API's OpenAPI description as JSON, without running a
// server.
func Describe(version string) ([]byte, error) {
	s := build(Config{Log: slog.Default(), Version: version})
	return json.MarshalIndent(s.api.OpenAPI(), "", "  ")
}

// Routes lists every route that is served, as "METHOD /path".
func (s *Server) Routes() []string {
	var list []string
	for _, r := range s.engine.Routes() {
		list = append(list, r.Method+" "+r.Path)
	}
	return list
}

// securityHeaderValues stand in every answer.
var securityHeaderValues = map[string]string{
	"X-Content-Type-Options": "nosniff",
	"Referrer-Policy":        "same-origin",
	"X-Frame-Options":        "DENY",
	"Permissions-Policy":     "usb=(self)",
	"Content-Security-Policy": "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; style-src 'self' 'unsafe-inline'; " +
		"img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'",
}

// secureHeaders writes the headers that stand in every answer, whoever gives
// it: the router redirects by itself, too. What the API answers is one
// person's, and nothing on the way is to keep it unless it says so.
func (s *Server) secureHeaders(w http.ResponseWriter, r *http.Request) {
	h := w.Header()
	for name, value := range securityHeaderValues {
		h.Set(name, value)
	}
	if s.secure() {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	if strings.HasPrefix(r.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
}

func (s *Server) logRequests(c *gin.Context) {
	start := time.Now()
	c.Next()
	if status := c.Writer.Status(); status >= 500 && c.Request.Context().Err() == nil {
		s.log.Error("request failed", "method", c.Request.Method, "path", loggedPath(c), "status", status, "took", time.Since(start))
	} else if !strings.HasPrefix(c.Request.URL.Path, "/assets/") {
		s.log.Debug("request", "method", c.Request.Method, "path", loggedPath(c), "status", status, "took", time.Since(start))
	}
}

// loggedPath is a request's path without the secret that some end in.
func loggedPath(c *gin.Context) string {
	for _, secret := range []string{"/news/", "/desk/", "/told/"} {
		if strings.HasPrefix(c.Request.URL.Path, secret) {
			return secret + "…"
		}
	}
	return c.Request.URL.Path
}

func (s *Server) recover(c *gin.Context) {
	defer func() {
		if v := recover(); v != nil {
			if v == http.ErrAbortHandler {
				panic(v)
			}
			s.log.Error("a handler panicked; please report this", "path", loggedPath(c), "panic", v)
			if !c.Writer.Written() {
				writeProblem(c, internal)
			}
		}
	}()
	c.Next()
}
