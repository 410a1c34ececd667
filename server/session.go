package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/core/people"
	"roster/store"
)

// sessionLasts is how long a session lasts, however much it is used.
const sessionLasts = 14 * 24 * time.Hour

// session is what the page knows of the person in front of it.
type session struct {
	Person *store.Person `json:"person,omitempty" doc:"Nobody when signed out"`
	// Waiting counts changes that this person could decide about.
	Waiting int `json:"waiting"`
	// Unread counts what this person was told and has not read.
	Unread int `json:"unread"`
	// Tray counts unsent edits.
	Tray int          `json:"tray"`
	Demo []DemoSignIn `json:"demo" nullable:"false" doc:"Sample sign-ins of a demo installation"`
	// Provider is by what else people sign in, "" for nothing.
	Provider string `json:"provider" doc:"What people call the provider by which they can sign in at /sign-in/start; empty for none"`
	// Passwords is false where people sign in by the provider alone.
	Passwords bool `json:"passwords" doc:"Whether people sign in with passwords"`
	// Second is what else is asked of who has begun to sign in.
	Second string `json:"second" enum:",passkey,make-passkey" doc:"What is asked yet of somebody who has begun to sign in; empty for nothing"`
	// Passkeys is whether there can be any, by the installation's address.
	Passkeys bool `json:"passkeys" doc:"Whether devices take this installation's address for passkeys"`
}

type sessionOutput struct {
	SetCookie []string `header:"Set-Cookie"`
	Body      session
}

func (s *Server) sessionRoutes() {
	type credentials struct {
		Body struct {
			Login    string `json:"login" minLength:"1" maxLength:"80"`
			Password string `json:"password" minLength:"1" maxLength:"200"`
		}
	}
	route(s, Public, huma.Operation{OperationID: "getSession", Method: http.MethodGet, Path: "/api/v1/session", Summary: "Who is signed in"},
		func(ctx context.Context, _ *struct{}) (*sessionOutput, error) { return s.sessionOf(ctx, personOf(ctx)) })
	route(s, Public, huma.Operation{OperationID: "signIn", Method: http.MethodPost, Path: "/api/v1/session", Summary: "Sign in"},
		func(ctx context.Context, in *credentials) (*sessionOutput, error) {
			return s.signIn(ctx, strings.ToLower(strings.TrimSpace(in.Body.Login)), in.Body.Password)
		})
	route(s, SignedIn, huma.Operation{OperationID: "signOut", Method: http.MethodDelete, Path: "/api/v1/session", Summary: "Sign out"},
		func(ctx context.Context, _ *struct{}) (*sessionOutput, error) {
			if err := s.store.EndSession(ctx, connectionOf(ctx).token); err != nil {
				return nil, err
			}
			out, err := s.sessionOf(ctx, store.Person{})
			if err == nil {
				out.SetCookie = []string{s.cookie(ctx, "", -1).String()}
			}
			return out, err
		})
}

func (s *Server) sessionOf(ctx context.Context, p store.Person) (*sessionOutput, error) {
	out := &sessionOutput{Body: session{Demo: s.config.Demo}}
	if out.Body.Demo == nil {
		out.Body.Demo = []DemoSignIn{}
	}
	passwords, err := s.passwordsCount(ctx)
	if err != nil {
		return nil, err
	}
	out.Body.Provider, out.Body.Passwords, out.Body.Passkeys = s.vouching.Name, passwords, s.party != nil
	if p.Role == "" {
		if connectionOf(ctx).half != uuid.Nil {
			_, out.Body.Second, err = s.halfPerson(ctx)
			if errors.Is(err, store.ErrNotFound) {
				err = nil // they have left meanwhile
			}
		}
		return out, err
	}
	out.Body.Person = &p
	tray, err := s.store.TrayCount(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	out.Body.Tray = tray
	if out.Body.Unread, err = s.store.UnreadNotices(ctx, p.ID); err != nil {
		return nil, err
	}
	if Reviewer.Allows(p.Role) {
		out.Body.Waiting, err = s.store.Waiting(ctx, p.ID)
	}
	return out, err
}

func (s *Server) signIn(ctx context.Context, login, password string) (*sessionOutput, error) {
	conn := connectionOf(ctx)
	if count, err := s.passwordsCount(ctx); err != nil || !count {
		return nil, cmp.Or(err, error(problem(http.StatusForbidden, "no-passwords", "Nobody signs in with a password here: use "+s.vouching.Name+".")))
	}
	if err := s.try(ctx, login); err != nil {
		return nil, err
	}
	person, hash, err := s.store.PasswordHash(ctx, login)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	fits, err := s.passwords.fits(ctx, password, hash)
	if err != nil {
		return nil, err
	}
	if !fits {
		if err := s.store.SignInFailed(ctx, login); err != nil {
			return nil, err
		}
		s.log.Info("a sign-in failed", "person", person.ID, "from", conn.address)
		return nil, problem(http.StatusUnauthorized, "wrong-password", "The login or the password is wrong.")
	}
	if err := s.store.SignInWorked(ctx, person.ID, login, conn.address); err != nil {
		return nil, err
	}
	second, err := s.secondOf(ctx, person)
	if err != nil {
		return nil, err
	}
	if second != "" {
		return s.halfSession(ctx, person, second)
	}
	text, err := s.startSession(ctx, person)
	if err != nil {
		return nil, err
	}
	out, err := s.sessionOf(ctx, person)
	if err == nil {
		out.SetCookie = []string{s.cookie(ctx, text, int(sessionLasts.Seconds())).String()}
	}
	return out, err
}

// halfSession is that of somebody who has yet to show or make a passkey.
func (s *Server) halfSession(ctx context.Context, person store.Person, second string) (*sessionOutput, error) {
	cookie, err := s.keepHalf(ctx, person.ID)
	if err != nil {
		return nil, err
	}
	out, err := s.sessionOf(ctx, store.Person{})
	if err == nil {
		out.Body.Second, out.SetCookie = second, []string{cookie.String()}
	}
	return out, err
}

// passwordsCount reports whether people sign in with passwords: the keeper may
// leave that to the provider, as long as there is one.
func (s *Server) passwordsCount(ctx context.Context) (bool, error) {
	if s.vouching.Issuer == "" {
		return true, nil
	}
	rules, _, err := s.store.InstallationRules(ctx)
	return !rules.NoPasswords, err
}

// startSession signs a person in, in place of whoever was in that browser, and
// returns what its cookie holds.
func (s *Server) startSession(ctx context.Context, person store.Person) (text string, err error) {
	conn := connectionOf(ctx)
	token, text, err := newToken("")
	if err != nil {
		return "", err
	}
	return text, s.store.StartSession(ctx, token, person.ID, sessionLasts, conn.agent, conn.cookie)
}

// try counts a try at a person's password, before anything is compared. It
// fails where the next one has to wait.
func (s *Server) try(ctx context.Context, login string) error {
	conn := connectionOf(ctx)
	wait, err := s.store.TrySignIn(ctx, login, conn.address)
	if err != nil || wait <= 0 {
		return err
	}
	if err := s.store.SignInSlowed(ctx, login); err != nil {
		return err
	}
	s.log.Warn("tries to sign in are slowed down", "from", conn.address, "wait", wait.Round(time.Second))
	return problem(http.StatusTooManyRequests, "too-many-tries", fmt.Sprintf("Too many tries. Wait %s and try again.", inSeconds(wait))).after(wait)
}

// inSeconds is a time as a person reads it who has to wait for so long.
func inSeconds(d time.Duration) string {
	if n := int(math.Ceil(d.Seconds())); n != 1 {
		return strconv.Itoa(n) + " seconds"
	}
	return "a second"
}

// secure reports whether the installation is reached over https alone.
func (s *Server) secure() bool { return strings.HasPrefix(s.config.PublicURL, "https://") }

// cookieName is what the session's cookie is called: where only https leads
// here, by a name that browsers let nobody else set, on whatever other host.
func (s *Server) cookieName() string {
	if s.secure() {
		return "__Host-roster_session"
	}
	return "roster_session"
}

func (s *Server) cookie(ctx context.Context, value string, maxAge int) *http.Cookie {
	return &http.Cookie{
		Name:     s.cookieName(),
		Value:    value,
		Path:     "/",
		MaxAge:   maxAge,
		HttpOnly: true,
		SameSite: http.SameSiteLaxMode,
		Secure:   s.secure() || connectionOf(ctx).secure,
	}
}

// connection is what a handler needs to know of the request's connection.
type connection struct {
	address string
	secure  bool
	// token is that of the session; agent is what the browser calls itself.
	token []byte
	agent string
	// cookie is what the cookie holds, of a session or not.
	cookie []byte
	// half is who is signed in but for their passkey.
	half uuid.UUID
}

type connectionKey struct{}

func connectionOf(ctx context.Context) connection {
	c, _ := ctx.Value(connectionKey{}).(connection)
	return c
}

// cookieToken is the token of a person's session.
func (s *Server) cookieToken(r *http.Request) ([]byte, bool) {
	cookie, err := r.Cookie(s.cookieName())
	if err != nil || strings.HasPrefix(r.URL.Path, "/assets/") {
		return nil, false
	}
	return readToken("", cookie.Value)
}

// benchTokenPrefix makes a bench's token known for what it is.
const benchTokenPrefix = "roster-bench-"

// benchToken is the token that a bench elsewhere comes with.
func benchToken(r *http.Request) ([]byte, bool) {
	return readToken("Bearer "+benchTokenPrefix, r.Header.Get("Authorization"))
}

// whoIsIt finds the person by the session cookie or by a token of theirs, or
// the bench by its token.
// It runs for every request; without either it asks the database nothing.
func (s *Server) whoIsIt(c *gin.Context) {
	r := c.Request
	conn := s.connectionOf(r)
	conn.half = s.halfOf(r)
	ctx := r.Context()
	var err error
	if token, ok := s.cookieToken(r); ok {
		conn.cookie = token
		if ctx, err = s.bySession(ctx, token, attended(r)); err == nil {
			conn.token = token
		}
	} else if token, ok := readToken("Bearer "+tokenPrefix, r.Header.Get("Authorization")); ok {
		ctx, err = s.byToken(ctx, token)
	} else if token, ok := benchToken(r); ok {
		ctx, err = s.byBench(ctx, token)
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) && strings.HasPrefix(r.URL.Path, "/api/") {
		s.fail(c, err)
		return
	}
	c.Request = r.WithContext(context.WithValue(ctx, connectionKey{}, conn))
	c.Next()
}

// access is who asks, with which role, and how that is looked up again.
type access struct {
	id    uuid.UUID // of a person or a bench
	role  people.Role
	again func(context.Context) (role people.Role, err error)
}

type accessContext struct{}

// accessOf is who asks; the zero access where nobody said.
func accessOf(ctx context.Context) access {
	a, _ := ctx.Value(accessContext{}).(access)
	return a
}

// stillMay looks whether who asks is still who they were when they began to. A
// database that is away says nothing about it.
func (s *Server) stillMay(ctx context.Context) bool {
	a := accessOf(ctx)
	if a.again == nil {
		return true
	}
	role, err := a.again(ctx)
	return err == nil && role == a.role || err != nil && !errors.Is(err, store.ErrNotFound)
}

// unattendedHeader stands in requests that a page makes by itself, while nobody
// has touched it for a while: they keep no session from idling.
const unattendedHeader = "Roster-Unattended"

func attended(r *http.Request) bool {
	return r.Header.Get(unattendedHeader) == "" && r.Header.Get("Accept") != "text/event-stream"
}

func (s *Server) bySession(ctx context.Context, token []byte, used bool) (context.Context, error) {
	ctx, person, err := s.store.BySession(ctx, token, used)
	if err != nil {
		return ctx, err
	}
	return withAccess(withPerson(ctx, person), person.ID, person.Role, func(ctx context.Context) (people.Role, error) {
		p, err := s.store.SessionPerson(ctx, token, false)
		return p.Role, err
	}), nil
}

func (s *Server) byToken(ctx context.Context, token []byte) (context.Context, error) {
	ctx, person, scopes, err := s.store.ByToken(ctx, token)
	if err != nil {
		return ctx, err
	}
	return withAccess(context.WithValue(withPerson(ctx, person), scopesKey{}, scopes), person.ID, person.Role, func(ctx context.Context) (people.Role, error) {
		p, _, err := s.store.TokenPerson(ctx, token)
		return p.Role, err
	}), nil
}

func (s *Server) byBench(ctx context.Context, token []byte) (context.Context, error) {
	b, err := s.store.BenchByToken(ctx, token)
	if err != nil {
		return ctx, err
	}
	id := b.ID
	if b.PersonID != nil { // a browser does what its person may, and ends with them
		if !Technician.Allows(b.Role) {
			return ctx, store.ErrNotFound
		}
		id = *b.PersonID
	}
	return withAccess(context.WithValue(ctx, benchKey{}, b), id, people.Role(OfBench), func(ctx context.Context) (people.Role, error) {
		_, err := s.store.BenchByToken(ctx, token)
		return people.Role(OfBench), err
	}), nil
}

func withPerson(ctx context.Context, p store.Person) context.Context {
	return context.WithValue(ctx, personKey{}, p)
}

func withAccess(ctx context.Context, id uuid.UUID, role people.Role, again func(context.Context) (people.Role, error)) context.Context {
	return context.WithValue(ctx, accessContext{}, access{id, role, again})
}
