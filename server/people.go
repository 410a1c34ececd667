package server

import (
	"context"
	"errors"
	"net/http"
	"regexp"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/core/people"
	"roster/store"
)

// invitationLasts is how long a link to join is good.
const invitationLasts = 14 * 24 * time.Hour

type personPage struct {
	store.PersonRow
	Models []store.ModelRecord `json:"models" nullable:"false"`
	Recent []store.Change      `json:"recent" nullable:"false" doc:"Their newest changes"`
	Myself bool                `json:"myself"`
}

type personOutput struct{ Body personPage }

type roleInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Role people.Role `json:"role" enum:"technician,reviewer,maintainer,keeper"`
	}
}

type inviteInput struct {
	Body struct {
		Role people.Role `json:"role" enum:"technician,reviewer,maintainer,keeper"`
		Note string      `json:"note" maxLength:"200" doc:"For whom it is, for yourself"`
	}
}

type inviteOutput struct {
	Body struct {
		ID        uuid.UUID `json:"id"`
		Path      string    `json:"path" doc:"The link to hand over; shown this once"`
		ExpiresAt time.Time `json:"expiresAt"`
	}
}

type invitationTokenInput struct {
	Body struct {
		Token string `json:"token" minLength:"1" maxLength:"100"`
	}
}

type invitationOutput struct {
	Body struct {
		Role people.Role `json:"role"`
		By   string      `json:"by"`
	}
}

type joinInput struct {
	Body struct {
		Token    string `json:"token" minLength:"1" maxLength:"100"`
		Login    string `json:"login" minLength:"2" maxLength:"80"`
		Name     string `json:"name" minLength:"1" maxLength:"80"`
		Password string `json:"password" minLength:"12" maxLength:"200"`
	}
}

// goodLogin keeps logins readable, and apart from those of people who left.
var goodLogin = regexp.MustCompile(`^[a-z][a-z0-9._-]{1,79}$`)

func (s *Server) peopleRoutes() {
	route(s, Technician, huma.Operation{OperationID: "listPeople", Method: http.MethodGet, Path: "/api/v1/people", Summary: "Who works here, with their record"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.PersonRow], error) {
			return listOf(s.store.People(ctx, maxList))
		})
	route(s, Technician, huma.Operation{OperationID: "getPerson", Method: http.MethodGet, Path: "/api/v1/people/{id}", Summary: "A person's record: changes, trials, models"}, s.person)
	route(s, Keeper, huma.Operation{OperationID: "setRole", Method: http.MethodPut, Path: "/api/v1/people/{id}/role", Summary: "Give a person another role"},
		func(ctx context.Context, in *roleInput) (*struct{}, error) {
			return nil, s.store.SetRole(ctx, personOf(ctx).ID, in.ID, in.Body.Role)
		})
	route(s, Keeper, huma.Operation{OperationID: "removePerson", Method: http.MethodDelete, Path: "/api/v1/people/{id}", Summary: "Remove a person; what they did stays under a pseudonym"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.RemovePerson(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, Keeper, huma.Operation{OperationID: "listInvitations", Method: http.MethodGet, Path: "/api/v1/invitations", Summary: "Invitations that nobody has used yet"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.Invitation], error) {
			return listOf(s.store.Invitations(ctx))
		})
	route(s, Keeper, huma.Operation{OperationID: "invite", Method: http.MethodPost, Path: "/api/v1/invitations", Summary: "Make a link by which one person can join", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *inviteInput) (*inviteOutput, error) {
			token, text, err := newToken("")
			if err != nil {
				return nil, err
			}
			out := &inviteOutput{}
			// Behind the # it never reaches a server's log.
			out.Body.Path, out.Body.ExpiresAt = "/join#"+text, time.Now().Add(invitationLasts)
			out.Body.ID, err = s.store.Invite(ctx, personOf(ctx).ID, in.Body.Role, strings.TrimSpace(in.Body.Note), token, out.Body.ExpiresAt)
			return out, err
		})
	route(s, Keeper, huma.Operation{OperationID: "uninvite", Method: http.MethodDelete, Path: "/api/v1/invitations/{id}", Summary: "End an invitation"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.Uninvite(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, Public, huma.Operation{OperationID: "readInvitation", Method: http.MethodPost, Path: "/api/v1/join/invitation", Summary: "What an invitation is for"},
		func(ctx context.Context, in *invitationTokenInput) (*invitationOutput, error) {
			token, _ := readToken("", in.Body.Token)
			i, err := s.store.InvitationBy(ctx, token)
			if err != nil {
				return nil, spentInvitation(err)
			}
			out := &invitationOutput{}
			out.Body.Role, out.Body.By = i.Role, i.By
			return out, nil
		})
	route(s, Public, huma.Operation{OperationID: "join", Method: http.MethodPost, Path: "/api/v1/join", Summary: "Join by an invitation, and sign in"}, s.join)
}

// InviteFirstKeeper makes a link by which one person joins an installation that
// has no keeper as its keeper; "" where it has one. A link made before ends.
func InviteFirstKeeper(ctx context.Context, st *store.Store) (path string, err error) {
	token, text, err := newToken("")
	if err != nil {
		return "", err
	}
	has, err := st.InviteFirstKeeper(ctx, token, time.Now().Add(invitationLasts))
	if has || err != nil {
		return "", err
	}
	return "/join#" + text, nil
}

func spentInvitation(err error) error {
	if err == nil {
		return nil
	}
	if errors.Is(err, store.ErrNotFound) {
		return problem(http.StatusNotFound, "not-found", "This invitation is used, ended or older than two weeks. Ask for a new one.")
	}
	return err
}

func (s *Server) join(ctx context.Context, in *joinInput) (*sessionOutput, error) {
	login := strings.ToLower(strings.TrimSpace(in.Body.Login))
	if !goodLogin.MatchString(login) || strings.HasPrefix(login, "left-") {
		return nil, problem(http.StatusUnprocessableEntity, "bad-request", "A login has two or more letters, digits, dots or hyphens and begins with a letter.")
	}
	name := strings.TrimSpace(in.Body.Name)
	if name == "" {
		return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Give the name that others see.")
	}
	token, _ := readToken("", in.Body.Token)
	if _, err := s.store.InvitationBy(ctx, token); err != nil {
		return nil, spentInvitation(err)
	}
	if err := CheckPassword(in.Body.Password, login, name); err != nil {
		return nil, badRequest(err)
	}
	hash, err := s.passwords.hash(ctx, in.Body.Password)
	if err != nil {
		return nil, err
	}
	if _, err := s.store.Join(ctx, token, login, name, hash); err != nil {
		return nil, spentInvitation(err)
	}
	return s.signIn(ctx, login, in.Body.Password)
}

func (s *Server) person(ctx context.Context, in *idInput) (*personOutput, error) {
	row, err := s.store.PersonByID(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	out := &personOutput{personPage{PersonRow: row, Myself: in.ID == personOf(ctx).ID}}
	if out.Body.Models, err = s.store.ModelsOf(ctx, in.ID); err != nil {
		return nil, err
	}
	out.Body.Recent, err = s.store.Changes(ctx, store.ChangeQuery{Author: in.ID, Reader: personOf(ctx).ID, Limit: 20})
	return out, err
}
