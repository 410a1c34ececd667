package server

import (
	"context"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/core/people"
	"roster/store"
)

// Access says who may use a route. Each role may do what the ones before it
// may.
type Access string

// The degrees of access.
const (
	Public     Access = "public"
	SignedIn   Access = "signed-in"
	Technician        = Access(people.Technician)
	Reviewer          = Access(people.Reviewer)
	Maintainer        = Access(people.Maintainer)
	Keeper            = Access(people.Keeper)
	// OfBench is for benches elsewhere, which come with a token, and for
	// nobody else.
	OfBench Access = "bench"
)

var degrees = []Access{Public, SignedIn, Technician, Reviewer, Maintainer, Keeper}

// Allows reports whether a person with the role may use it; role is "" for
// somebody who is not signed in.
func (a Access) Allows(role people.Role) bool {
	if a == Public {
		return true
	}
	if role == "" {
		return false
	}
	if a == OfBench || role == people.Role(OfBench) {
		return a == Access(role)
	}
	return slices.Index(degrees, Access(role)) >= slices.Index(degrees, a)
}

const accessKey = "roster-access"

// route adds an operation to the API. There is no other way to add one, so
// that none is without a declared access.
func route[I, O any](s *Server, access Access, op huma.Operation, handler func(context.Context, *I) (*O, error)) {
	declare(&op, access)
	huma.Register(s.api, op, func(ctx context.Context, in *I) (*O, error) {
		if err := checkRequest(in); err != nil {
			return nil, err
		}
		out, err := handler(ctx, in)
		if err != nil {
			return nil, s.explain(ctx, err)
		}
		return out, nil
	})
}

// declare writes an operation's access down where requireAccess finds it.
func declare(op *huma.Operation, access Access) {
	if op.Metadata == nil {
		op.Metadata = map[string]any{}
	}
	op.Metadata[accessKey] = access
	op.BodyReadTimeout = -1 // see pace.go
	if access != Public {
		op.Description = strings.TrimSpace(op.Description + " For: " + string(access) + ".")
	}
}

// plain adds a route that is not part of the API.
func (s *Server) plain(method, path string, access Access, handlers ...gin.HandlerFunc) {
	s.engine.Handle(method, path, append([]gin.HandlerFunc{func(c *gin.Context) {
		if !allowed(c.Request.Context(), c.Request.Method, access) {
			writeProblem(c, refusal(c.Request.Context(), access))
		}
	}}, handlers...)...)
}

func (s *Server) requireAccess(ctx huma.Context, next func(huma.Context)) {
	access, ok := ctx.Operation().Metadata[accessKey].(Access)
	if !ok {
		access = Keeper
	}
	if !allowed(ctx.Context(), ctx.Method(), access) {
		p := refusal(ctx.Context(), access)
		huma.WriteErr(s.api, ctx, p.Status, p.Detail)
		return
	}
	next(ctx)
}

// allowed reports whether who asks may use a route: by their role, and where
// a program asks with a token, by what the token is good for.
func allowed(ctx context.Context, method string, access Access) bool {
	if !access.Allows(roleOf(ctx)) {
		return false
	}
	scopes, byToken := ctx.Value(scopesKey{}).([]string)
	return !byToken || access == Public || slices.Contains(scopes, scopeFor(method, access))
}

// scopesKey is where the scopes of a token stand.
type scopesKey struct{}

func refusal(ctx context.Context, access Access) *Problem {
	if roleOf(ctx) == "" {
		return signedOut
	}
	if access.Allows(roleOf(ctx)) {
		return problem(http.StatusForbidden, "refused", "This token is not good for that; make one with the scope that it needs, or sign in.")
	}
	return problem(http.StatusForbidden, "refused", "This needs the role "+string(access)+"; you are "+string(roleOf(ctx))+".")
}

type personKey struct{}

// personOf is who is signed in; the zero Person when nobody is.
func personOf(ctx context.Context) store.Person {
	p, _ := ctx.Value(personKey{}).(store.Person)
	return p
}

type benchKey struct{}

// benchOf is the bench that a request comes from; the zero Bench for people.
func benchOf(ctx context.Context) store.Bench {
	b, _ := ctx.Value(benchKey{}).(store.Bench)
	return b
}

func roleOf(ctx context.Context) people.Role {
	if benchOf(ctx).ID != uuid.Nil {
		return people.Role(OfBench)
	}
	return personOf(ctx).Role
}

var origins = http.NewCrossOriginProtection()

// crossOrigin refuses writes that another site's page makes a browser send. What
// strangers tell is nobody's: it may come from an export on another site.
func (s *Server) crossOrigin(c *gin.Context) {
	if path := c.Request.URL.Path; path == "/tell" || strings.HasPrefix(path, "/told/") {
		c.Next()
		return
	}
	if err := origins.Check(c.Request); err != nil {
		writeProblem(c, problem(http.StatusForbidden, "cross-origin", "This request comes from another site."))
		return
	}
	c.Next()
}
