package server

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-webauthn/webauthn/protocol"
	"github.com/go-webauthn/webauthn/webauthn"
	"github.com/google/uuid"

	"roster/core/people"
	"roster/store"
)

const (
	// confirmedLasts is for how long a passkey that was shown counts for acts that
	// ask for it again.
	confirmedLasts = 5 * time.Minute
	// challengeLasts is for how long a device has time to sign.
	challengeLasts = 5 * time.Minute
	// secondLasts is for how long somebody whose password fitted has time to show a
	// passkey.
	secondLasts = 10 * time.Minute
)

// What is asked of somebody whose password fitted.
const (
	secondShow = "passkey"
	secondMake = "make-passkey"
)

// newRelyingParty is what devices know an installation as; nil where its address
// is none that they take: an IP address, or not on https.
func newRelyingParty(public string) *webauthn.WebAuthn {
	u, err := url.Parse(public)
	if err != nil || u.Hostname() == "" {
		return nil
	}
	if _, err := netip.ParseAddr(u.Hostname()); err == nil || u.Scheme != "https" && u.Hostname() != "localhost" {
		return nil
	}
	party, err := webauthn.New(&webauthn.Config{
		RPID: u.Hostname(), RPDisplayName: "Roster", RPOrigins: []string{u.Scheme + "://" + u.Host},
		AuthenticatorSelection: protocol.AuthenticatorSelection{
			ResidentKey: protocol.ResidentKeyRequirementDiscouraged, UserVerification: protocol.VerificationPreferred,
		},
		AttestationPreference: protocol.PreferNoAttestation,
	})
	if err != nil {
		return nil
	}
	return party
}

var noPasskeys = problem(http.StatusConflict, "no-passkeys", "Passkeys take an address with a name and https: the keeper sets public-url.")

// holder is a person as the protocol wants them.
type holder struct {
	store.Person
	held []webauthn.Credential
}

func (h holder) WebAuthnID() []byte                         { return h.ID[:] }
func (h holder) WebAuthnName() string                       { return h.Login }
func (h holder) WebAuthnDisplayName() string                { return h.Name }
func (h holder) WebAuthnCredentials() []webauthn.Credential { return h.held }

func (s *Server) holder(ctx context.Context, p store.Person) (holder, error) {
	list, err := s.store.Passkeys(ctx, p.ID)
	h := holder{p, make([]webauthn.Credential, len(list))}
	for i, k := range list {
		if err := json.Unmarshal(k.Held, &h.held[i]); err != nil {
			return h, err
		}
	}
	return h, err
}

// challengeOutput is what a browser hands to a device.
type challengeOutput struct {
	Body struct {
		ID      uuid.UUID       `json:"id"`
		Kind    string          `json:"kind" enum:"passkey,make-passkey" doc:"Whether a passkey is shown or made"`
		Options json.RawMessage `json:"options" doc:"publicKey of navigator.credentials, in its JSON form"`
	}
}

// signedInput is what the device answered.
type signedInput struct {
	Body struct {
		ID         uuid.UUID       `json:"id" doc:"Of the challenge"`
		Name       string          `json:"name,omitempty" maxLength:"80" doc:"What its owner calls a new passkey"`
		Credential json.RawMessage `json:"credential" doc:"The PublicKeyCredential, in its JSON form"`
	}
}

type passkeyInput struct {
	ID string `path:"id" maxLength:"1400" doc:"Base64 for addresses, without padding"`
}

func (s *Server) passkeyRoutes() {
	route(s, Public, huma.Operation{
		OperationID: "beginSecond", Method: http.MethodPost, Path: "/api/v1/session/second/challenge",
		Summary: "What is asked of a device after the password fitted",
	}, s.beginSecond)
	route(s, Public, huma.Operation{
		OperationID: "finishSecond", Method: http.MethodPost, Path: "/api/v1/session/second",
		Summary: "Sign in with what the device answered, after the password fitted",
	}, s.finishSecond)
	route(s, SignedIn, huma.Operation{OperationID: "listPasskeys", Method: http.MethodGet, Path: "/api/v1/passkeys", Summary: "Your passkeys"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.Passkey], error) {
			return listOf(s.store.Passkeys(ctx, personOf(ctx).ID))
		})
	route(s, SignedIn, huma.Operation{
		OperationID: "beginPasskey", Method: http.MethodPost, Path: "/api/v1/passkeys/challenge",
		Summary: "What is asked of a device that makes a passkey",
	},
		func(ctx context.Context, _ *struct{}) (*challengeOutput, error) {
			if err := s.confirmed(ctx); err != nil {
				return nil, err
			}
			return s.challenge(ctx, personOf(ctx), secondMake)
		})
	route(s, SignedIn, huma.Operation{
		OperationID: "addPasskey", Method: http.MethodPost, Path: "/api/v1/passkeys",
		Summary: "Keep a passkey that a device has made", DefaultStatus: http.StatusCreated,
	},
		func(ctx context.Context, in *signedInput) (*struct{}, error) {
			if err := s.confirmed(ctx); err != nil {
				return nil, err
			}
			if err := s.keepPasskey(ctx, personOf(ctx), in); err != nil {
				return nil, err
			}
			return nil, s.store.ConfirmSession(ctx, connectionOf(ctx).token)
		})
	route(s, SignedIn, huma.Operation{
		OperationID: "removePasskey", Method: http.MethodDelete, Path: "/api/v1/passkeys/{id}",
		Summary: "Take one of your passkeys away",
	},
		func(ctx context.Context, in *passkeyInput) (*struct{}, error) {
			if err := s.confirmed(ctx); err != nil {
				return nil, err
			}
			id, err := base64.RawURLEncoding.DecodeString(in.ID)
			if err != nil || len(id) == 0 {
				return nil, store.ErrNotFound
			}
			return nil, s.store.RemovePasskey(ctx, personOf(ctx).ID, personOf(ctx).ID, id)
		})
	route(s, SignedIn, huma.Operation{
		OperationID: "beginConfirming", Method: http.MethodPost, Path: "/api/v1/session/confirmation/challenge",
		Summary: "What is asked of a device before an act that wants your passkey again",
	},
		func(ctx context.Context, _ *struct{}) (*challengeOutput, error) {
			return s.challenge(ctx, personOf(ctx), secondShow)
		})
	route(s, SignedIn, huma.Operation{
		OperationID: "confirm", Method: http.MethodPost, Path: "/api/v1/session/confirmation",
		Summary: "Show your passkey; acts that want it again take that for five minutes",
	},
		func(ctx context.Context, in *signedInput) (*struct{}, error) {
			if err := s.checkPasskey(ctx, personOf(ctx), in); err != nil {
				return nil, err
			}
			return nil, s.store.ConfirmSession(ctx, connectionOf(ctx).token)
		})
	route(s, Keeper, huma.Operation{
		OperationID: "removePasskeysOf", Method: http.MethodDelete, Path: "/api/v1/people/{id}/passkeys",
		Summary: "Take all passkeys of a person away who lost theirs",
	},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			if err := s.confirmed(ctx); err != nil {
				return nil, err
			}
			return nil, s.store.RemovePasskey(ctx, personOf(ctx).ID, in.ID, nil)
		})
}

// challenge asks a person's device for a signature, and keeps what for.
func (s *Server) challenge(ctx context.Context, p store.Person, kind string) (*challengeOutput, error) {
	if s.party == nil {
		return nil, noPasskeys
	}
	h, err := s.holder(ctx, p)
	if err != nil {
		return nil, err
	}
	out := &challengeOutput{}
	out.Body.Kind = kind
	var options any
	var data *webauthn.SessionData
	purpose := store.ConfirmPasskey
	if kind == secondMake {
		purpose = store.MakePasskey
		var creation *protocol.CredentialCreation
		if creation, data, err = s.party.BeginRegistration(h, webauthn.WithExclusions(webauthn.Credentials(h.held).CredentialDescriptors())); err == nil {
			options = creation.Response
		}
	} else {
		if len(h.held) == 0 {
			return nil, problem(http.StatusConflict, "no-passkeys", "You have no passkey; add one on your own page.")
		}
		var assertion *protocol.CredentialAssertion
		if assertion, data, err = s.party.BeginLogin(h); err == nil {
			options = assertion.Response
		}
	}
	if err != nil {
		return nil, err
	}
	raw, err := json.Marshal(data)
	if err == nil {
		out.Body.Options, err = json.Marshal(options)
	}
	if err != nil {
		return nil, err
	}
	out.Body.ID, err = s.store.KeepChallenge(ctx, p.ID, purpose, raw, time.Now().Add(challengeLasts))
	return out, err
}

// taken is the challenge that a device has answered.
func (s *Server) taken(ctx context.Context, p store.Person, id uuid.UUID, purpose string) (data webauthn.SessionData, err error) {
	if s.party == nil {
		return data, noPasskeys
	}
	raw, err := s.store.TakeChallenge(ctx, id, p.ID, purpose)
	if errors.Is(err, store.ErrNotFound) {
		return data, problem(http.StatusConflict, "challenge-stale", "This was answered already, or too late. Try again.")
	}
	if err == nil {
		err = json.Unmarshal(raw, &data)
	}
	return data, err
}

var wrongPasskey = problem(http.StatusForbidden, "wrong-passkey", "This passkey does not fit.")

// checkPasskey checks what a person's device has signed.
func (s *Server) checkPasskey(ctx context.Context, p store.Person, in *signedInput) error {
	data, err := s.taken(ctx, p, in.Body.ID, store.ConfirmPasskey)
	if err != nil {
		return err
	}
	h, err := s.holder(ctx, p)
	if err != nil {
		return err
	}
	answer, err := protocol.ParseCredentialRequestResponseBytes(in.Body.Credential)
	if err != nil {
		return wrongPasskey
	}
	used, err := s.party.ValidateLogin(h, data, answer)
	if err != nil || used.Authenticator.CloneWarning {
		s.log.Warn("a passkey did not fit", "person", p.ID, "from", connectionOf(ctx).address, "err", err)
		return wrongPasskey
	}
	held, err := json.Marshal(used)
	if err != nil {
		return err
	}
	return s.store.UsePasskey(ctx, p.ID, store.Passkey{ID: used.ID, Held: held})
}

// keepPasskey keeps what a person's device has made.
func (s *Server) keepPasskey(ctx context.Context, p store.Person, in *signedInput) error {
	data, err := s.taken(ctx, p, in.Body.ID, store.MakePasskey)
	if err != nil {
		return err
	}
	h, err := s.holder(ctx, p)
	if err != nil {
		return err
	}
	answer, err := protocol.ParseCredentialCreationResponseBytes(in.Body.Credential)
	if err != nil {
		return wrongPasskey
	}
	made, err := s.party.CreateCredential(h, data, answer)
	if err != nil {
		return wrongPasskey
	}
	held, err := json.Marshal(made)
	if err != nil {
		return err
	}
	name := strings.TrimSpace(in.Body.Name)
	if name == "" {
		name = "a passkey"
	}
	return s.store.AddPasskey(ctx, p.ID, store.Passkey{ID: made.ID, Name: name, Held: held})
}

// secondOf is what else is asked of a person to sign in; "" for nothing.
func (s *Server) secondOf(ctx context.Context, p store.Person) (string, error) {
	if s.party == nil {
		return "", nil
	}
	list, err := s.store.Passkeys(ctx, p.ID)
	if err != nil || len(list) > 0 {
		return secondShow, err
	}
	rules, _, err := s.store.InstallationRules(ctx)
	if err != nil || !slices.Contains(rules.PasskeyRoles, p.Role) {
		return "", err
	}
	return secondMake, nil
}

// confirmed makes sure that a person who has a passkey has shown it lately: for
// acts that nobody should do who only found a browser open. A program can't.
func (s *Server) confirmed(ctx context.Context) error {
	second, err := s.secondOf(ctx, personOf(ctx))
	if err != nil || second == "" {
		return err
	}
	token := connectionOf(ctx).token
	if token == nil {
		return problem(http.StatusForbidden, "confirm-passkey", "This wants your passkey again, which a program can't show: do it on the page.")
	}
	ok, err := s.store.SessionConfirmed(ctx, token, confirmedLasts)
	if err != nil || ok {
		return err
	}
	return problem(http.StatusForbidden, "confirm-passkey", "Show your passkey again for this.")
}

// half is who is signed in but for their passkey.
type half struct {
	Person uuid.UUID
	Until  time.Time
}

// secondCookie holds who is signed in but for their passkey.
const secondCookie = "roster_second"

// keepHalf is the cookie of somebody who has yet to show a passkey; of the zero
// id one that takes it away.
func (s *Server) keepHalf(ctx context.Context, person uuid.UUID) (*http.Cookie, error) {
	cookie := &http.Cookie{
		Name: secondCookie, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteLaxMode,
		Secure: s.secure() || connectionOf(ctx).secure,
	}
	if person == uuid.Nil {
		return cookie, nil
	}
	raw, err := json.Marshal(half{person, time.Now().Add(secondLasts)})
	if err == nil {
		raw, err = s.secret.seal(halfSignIns, raw)
	}
	cookie.Value, cookie.MaxAge = base64.RawURLEncoding.EncodeToString(raw), int(secondLasts.Seconds())
	return cookie, err
}

// halfOf is who is signed in but for their passkey; the zero id for nobody.
func (s *Server) halfOf(r *http.Request) uuid.UUID {
	cookie, err := r.Cookie(secondCookie)
	if err != nil {
		return uuid.Nil
	}
	sealed, err := base64.RawURLEncoding.DecodeString(cookie.Value)
	if err != nil {
		return uuid.Nil
	}
	var h half
	raw, err := s.secret.open(halfSignIns, sealed)
	if err != nil || json.Unmarshal(raw, &h) != nil || time.Now().After(h.Until) {
		return uuid.Nil
	}
	return h.Person
}

// halfPerson is who is signed in but for their passkey, and what is asked.
func (s *Server) halfPerson(ctx context.Context) (p store.Person, second string, err error) {
	id := connectionOf(ctx).half
	if id == uuid.Nil {
		return p, "", problem(http.StatusUnauthorized, "signed-out", "That took too long. Sign in again.")
	}
	row, err := s.store.PersonByID(ctx, id)
	if err == nil && row.Removed {
		err = store.ErrNotFound
	}
	if err != nil {
		return p, "", err
	}
	second, err = s.secondOf(ctx, row.Person)
	return row.Person, second, err
}

func (s *Server) beginSecond(ctx context.Context, _ *struct{}) (*challengeOutput, error) {
	p, second, err := s.halfPerson(ctx)
	if err != nil {
		return nil, err
	}
	if second == "" {
		second = secondShow // which says that there is none
	}
	return s.challenge(ctx, p, second)
}

func (s *Server) finishSecond(ctx context.Context, in *signedInput) (*sessionOutput, error) {
	p, second, err := s.halfPerson(ctx)
	if err != nil {
		return nil, err
	}
	if err := s.try(ctx, p.Login); err != nil {
		return nil, err
	}
	if second == secondMake {
		err = s.keepPasskey(ctx, p, in)
	} else {
		err = s.checkPasskey(ctx, p, in)
	}
	if err != nil {
		return nil, err
	}
	if err := s.store.SignInWorked(ctx, p.ID, p.Login, connectionOf(ctx).address); err != nil {
		return nil, err
	}
	text, err := s.startSession(ctx, p)
	if err != nil {
		return nil, err
	}
	token, _ := readToken("", text)
	if err := s.store.ConfirmSession(ctx, token); err != nil {
		return nil, err
	}
	gone, err := s.keepHalf(ctx, uuid.Nil)
	if err != nil {
		return nil, err
	}
	out, err := s.sessionOf(ctx, p)
	if err == nil {
		out.SetCookie = []string{s.cookie(ctx, text, int(sessionLasts.Seconds())).String(), gone.String()}
	}
	return out, err
}

// checkPasskeyRoles makes sure that nobody is shut out: passkeys have to work
// here before any role needs them.
func (s *Server) checkPasskeyRoles(roles []people.Role) error {
	if len(roles) > 0 && s.party == nil {
		return noPasskeys
	}
	return nil
}
