package server

import (
	"context"
	"errors"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"roster/core/android"
	"roster/store"
)

const (
	cookieName   = "roster_session"
	sessionLasts = 14 * 24 * time.Hour
	mostFailures = 8
)

var tooManyTries = problem(http.StatusTooManyRequests, "too-many-tries", "Too many failed tries. Wait a quarter of an hour and try again.")

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
}

type sessionOutput struct {
	SetCookie string `header:"Set-Cookie"`
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
				out.SetCookie = s.cookie(ctx, "", -1).String()
			}
			return out, err
		})
}

func (s *Server) sessionOf(ctx context.Context, p store.Person) (*sessionOutput, error) {
	out := &sessionOutput{Body: session{Demo: s.config.Demo}}
	if out.Body.Demo == nil {
		out.Body.Demo = []DemoSignIn{}
	}
	if p.Role == "" {
		return out, nil
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
	address := connectionOf(ctx).address
	failures, err := s.store.SignInFailures(ctx, login, address)
	if err != nil {
		return nil, err
	}
	if failures >= mostFailures {
		return nil, tooManyTries
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
		if err := s.store.SignInFailed(ctx, login, address); err != nil {
			return nil, err
		}
		return nil, problem(http.StatusUnauthorized, "wrong-password", "The login or the password is wrong.")
	}
	if err := s.store.SignInWorked(ctx, login); err != nil {
		return nil, err
	}
	token, text, err := newToken("")
	if err != nil {
		return nil, err
	}
	if err := s.store.StartSession(ctx, token, person.ID, sessionLasts, connectionOf(ctx).agent); err != nil {
		return nil, err
	}
	out, err := s.sessionOf(ctx, person)
	if err == nil {
		out.SetCookie = s.cookie(ctx, text, int(sessionLasts.Seconds())).String()
	}
	return out, err
}

func (s *Server) cookie(ctx context.Context, value string, maxAge int) *http.Cookie {
	return &http.Cookie{Name: cookieName, Value: value, Path: "/", MaxAge: maxAge, HttpOnly: true, SameSite: http.SameSiteLaxMode, Secure: connectionOf(ctx).secure}
}

// connection is what a handler needs to know of the request's connection.
type connection struct {
	address string
	secure  bool
	// token is that of the session; agent is what the browser calls itself.
	token []byte
	agent string
}

type connectionKey struct{}

func connectionOf(ctx context.Context) connection {
	c, _ := ctx.Value(connectionKey{}).(connection)
	return c
}

// cookieToken is the token of a person's session.
func cookieToken(r *http.Request) ([]byte, bool) {
	cookie, err := r.Cookie(cookieName)
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
	conn := connection{secure: r.TLS != nil || r.Header.Get("X-Forwarded-Proto") == "https"}
	conn.address, _, _ = net.SplitHostPort(r.RemoteAddr)
	conn.agent = android.Printable(r.UserAgent(), 200)
	ctx := r.Context()
	var err error
	if token, ok := cookieToken(r); ok {
		var person store.Person
		if person, err = s.store.SessionPerson(ctx, token); err == nil {
			conn.token = token
			ctx = context.WithValue(ctx, personKey{}, person)
		}
	} else if token, ok := readToken("Bearer "+tokenPrefix, r.Header.Get("Authorization")); ok {
		var person store.Person
		var scopes []string
		if person, scopes, err = s.store.TokenPerson(ctx, token); err == nil {
			ctx = context.WithValue(context.WithValue(ctx, personKey{}, person), scopesKey{}, scopes)
		}
	} else if token, ok := benchToken(r); ok {
		var b store.Bench
		if b, err = s.store.BenchByToken(ctx, token); err == nil {
			ctx = context.WithValue(ctx, benchKey{}, b)
		}
	}
	if err != nil && !errors.Is(err, store.ErrNotFound) && strings.HasPrefix(r.URL.Path, "/api/") {
		s.fail(c, err)
		return
	}
	c.Request = r.WithContext(context.WithValue(ctx, connectionKey{}, conn))
	c.Next()
}
