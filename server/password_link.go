package server

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/store"
)

// passwordLinkLasts is how long a link to set a new password is good.
const passwordLinkLasts = 48 * time.Hour

type passwordLinkOutput struct {
	Body struct {
		// Path holds the secret behind its #; it is shown this once.
		Path      string    `json:"path" doc:"Where they set a new password, once. It is a secret, shown this once; a new one ends the old."`
		ExpiresAt time.Time `json:"expiresAt"`
	}
}

type passwordLinkInput struct {
	Body struct {
		Token string `json:"token" minLength:"1" maxLength:"100"`
	}
}

type linkedPersonOutput struct {
	Body struct {
		Login string `json:"login"`
		Name  string `json:"name"`
	}
}

type usePasswordLinkInput struct {
	Body struct {
		Token    string `json:"token" minLength:"1" maxLength:"100"`
		Password string `json:"password" minLength:"12" maxLength:"200"`
	}
}

// MakePasswordLink makes a link by which a person sets a new password. By is the
// keeper who makes it; the zero id for whoever runs the installation.
func MakePasswordLink(ctx context.Context, st *store.Store, by, person uuid.UUID) (path string, expires time.Time, err error) {
	token, text, err := newToken("")
	if err != nil {
		return "", expires, err
	}
	expires = time.Now().Add(passwordLinkLasts)
	return "/password#" + text, expires, st.MakePasswordLink(ctx, by, person, token, expires)
}

func (s *Server) passwordLinkRoutes() {
	route(s, Keeper, huma.Operation{
		OperationID: "makePasswordLink", Method: http.MethodPost, Path: "/api/v1/people/{id}/password-link",
		Summary: "Make a link by which a person who forgot theirs sets a new password", DefaultStatus: http.StatusCreated,
	}, func(ctx context.Context, in *idInput) (*passwordLinkOutput, error) {
		out := &passwordLinkOutput{}
		var err error
		out.Body.Path, out.Body.ExpiresAt, err = MakePasswordLink(ctx, s.store, personOf(ctx).ID, in.ID)
		return out, err
	})
	route(s, Public, huma.Operation{
		OperationID: "readPasswordLink", Method: http.MethodPost, Path: "/api/v1/password-link",
		Summary: "Whose password a link sets",
	},
		func(ctx context.Context, in *passwordLinkInput) (*linkedPersonOutput, error) {
			p, err := s.linked(ctx, in.Body.Token)
			out := &linkedPersonOutput{}
			out.Body.Login, out.Body.Name = p.Login, p.Name
			return out, err
		})
	route(s, Public, huma.Operation{
		OperationID: "usePasswordLink", Method: http.MethodPost, Path: "/api/v1/password-link/use",
		Summary: "Set a new password by a link; all sign-ins end, and this one begins",
	}, s.usePasswordLink)
}

// linked is whose password a link sets, which works once.
func (s *Server) linked(ctx context.Context, text string) (store.Person, error) {
	token, _ := readToken("", text)
	p, err := s.store.PasswordLink(ctx, token)
	return p, spentPasswordLink(err)
}

func spentPasswordLink(err error) error {
	if errors.Is(err, store.ErrNotFound) {
		return problem(http.StatusNotFound, "not-found", "This link is used, replaced or older than two days. Ask a keeper for a new one.")
	}
	return err
}

func (s *Server) usePasswordLink(ctx context.Context, in *usePasswordLinkInput) (*sessionOutput, error) {
	p, err := s.linked(ctx, in.Body.Token)
	if err != nil {
		return nil, err
	}
	if err := CheckPassword(in.Body.Password, p.Login, p.Name); err != nil {
		return nil, badRequest(err)
	}
	hash, err := s.passwords.hash(ctx, in.Body.Password)
	if err != nil {
		return nil, err
	}
	token, _ := readToken("", in.Body.Token)
	if err := s.store.UsePasswordLink(ctx, token, hash); err != nil {
		return nil, spentPasswordLink(err)
	}
	return s.signIn(ctx, p.Login, in.Body.Password)
}
