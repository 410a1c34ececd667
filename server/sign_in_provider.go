package server

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"golang.org/x/oauth2"

	"roster/core/android"
	"roster/store"
)

// Provider is who vouches for people beside their passwords, by OpenID Connect
// (code flow with PKCE). The zero Provider is none.
type Provider struct {
	// Issuer is its address, below which it says what else it has.
	Issuer       string
	ClientID     string
	ClientSecret string
	// Name is what people call it.
	Name string
	// Scopes are asked for beside openid.
	Scopes []string
	// GroupsClaim is where it tells somebody's groups.
	GroupsClaim string
}

// Check says what is missing of a provider that has anything.
func (p Provider) Check() error {
	u, err := url.Parse(p.Issuer)
	switch {
	case p.Issuer == "" && p.ClientID == "":
		return nil
	case err != nil || u.Host == "" || u.Scheme != "https" && u.Hostname() != "127.0.0.1" && u.Hostname() != "localhost":
		return fmt.Errorf("the provider's issuer %q is no address on https", p.Issuer)
	case p.ClientID == "":
		return errors.New("the provider knows this installation by a client id; say which")
	}
	return nil
}

// signInCookie holds what has to come back unchanged from the provider.
const signInCookie = "roster_sign_in"

// signInLasts is for how long somebody may be at the provider's.
const signInLasts = 15 * time.Minute

// errand is what a browser was sent to the provider for.
type errand struct {
	State, Nonce, Verifier string
	// Next is the path to come back to.
	Next string
	// Person is who was signed in and wants to sign in by the provider, too.
	Person uuid.UUID
	Until  time.Time
}

// vouching talks to the provider.
type vouching struct {
	Provider
	redirect string
	client   *http.Client
	mu       sync.Mutex
	found    *oidc.Provider
}

func newVouching(p Provider, public string) *vouching {
	return &vouching{Provider: p, redirect: public + "/sign-in/done", client: &http.Client{Timeout: 15 * time.Second}}
}

// provider asks the provider for its addresses and keys, once it answers.
func (v *vouching) provider(ctx context.Context) (*oidc.Provider, error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.found == nil {
		// It goes on fetching keys with the context that it is made with.
		found, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), v.client), v.Issuer)
		if err != nil {
			return nil, err
		}
		v.found = found
	}
	return v.found, nil
}

func (v *vouching) flow(p *oidc.Provider) *oauth2.Config {
	return &oauth2.Config{
		ClientID: v.ClientID, ClientSecret: v.ClientSecret, Endpoint: p.Endpoint(), RedirectURL: v.redirect,
		Scopes: append([]string{oidc.ScopeOpenID}, v.Scopes...),
	}
}

// vouched is what the provider says of somebody.
type vouched struct {
	store.Identity
	login, name string
	groups      []string
}

// ask trades a code for what the provider says of who came with it.
func (v *vouching) ask(ctx context.Context, code string, e errand) (w vouched, err error) {
	p, err := v.provider(ctx)
	if err != nil {
		return w, err
	}
	ctx = oidc.ClientContext(ctx, v.client)
	token, err := v.flow(p).Exchange(ctx, code, oauth2.VerifierOption(e.Verifier))
	if err != nil {
		return w, err
	}
	raw, _ := token.Extra("id_token").(string)
	id, err := p.Verifier(&oidc.Config{ClientID: v.ClientID}).Verify(ctx, raw)
	if err != nil {
		return w, err
	}
	if subtle.ConstantTimeCompare([]byte(id.Nonce), []byte(e.Nonce)) != 1 {
		return w, errors.New("the id token was made for another sign-in")
	}
	var claims map[string]any
	if err := id.Claims(&claims); err != nil {
		return w, err
	}
	text := func(key string) string { s, _ := claims[key].(string); return strings.TrimSpace(s) }
	w.Identity = store.Identity{Issuer: id.Issuer, Subject: id.Subject}
	before, _, _ := strings.Cut(text("email"), "@")
	w.login = loginFrom(text("preferred_username"), before, id.Subject)
	w.name = android.Printable(cmp.Or(text("name"), text("preferred_username"), w.login), 80)
	switch groups := claims[v.GroupsClaim].(type) {
	case []any:
		for _, g := range groups {
			if name, ok := g.(string); ok {
				w.groups = append(w.groups, name)
			}
		}
	case string:
		w.groups = []string{groups}
	}
	return w, nil
}

var oddInLogin = regexp.MustCompile(`[^a-z0-9._-]+`)

// loginFrom makes a login of the first of some texts that can be one.
func loginFrom(texts ...string) string {
	for _, t := range texts {
		t, _, _ = strings.Cut(strings.ToLower(t), "@")
		t = strings.Trim(oddInLogin.ReplaceAllString(t, "-"), "-._0123456789")
		if t = t[:min(len(t), 60)]; goodLogin.MatchString(t) && !strings.HasPrefix(t, "left-") {
			return t
		}
	}
	return "person"
}

type leaveInput struct {
	Body struct {
		Next string `json:"next,omitempty" maxLength:"500" doc:"The path to come back to"`
	}
}

type leaveOutput struct {
	SetCookie string `header:"Set-Cookie"`
	Body      struct {
		URL string `json:"url" doc:"Of the provider, where the browser goes next"`
	}
}

// providerRoutes lead to the provider and back. Those that are no part of the API
// are visited by browsers, and answer with where to go next.
func (s *Server) providerRoutes() {
	s.plain(http.MethodGet, "/sign-in/start", Public, s.providerStart)
	s.plain(http.MethodGet, "/sign-in/done", Public, s.providerDone)
	// Another site can send a browser to any address, and sign it in at the provider
	// as somebody else before. So whoever adds a way in to their own account begins
	// here, where requests of other sites are refused.
	route(s, SignedIn, huma.Operation{
		OperationID: "addProvider", Method: http.MethodPost, Path: "/api/v1/session/provider",
		Summary: "Go to the provider, to sign in by it from now on, too",
	}, func(ctx context.Context, in *leaveInput) (*leaveOutput, error) {
		if err := s.confirmed(ctx); err != nil {
			return nil, err
		}
		cookie, at, err := s.leave(ctx, in.Body.Next, personOf(ctx).ID)
		if err != nil {
			s.log.Warn("the provider of sign-ins does not answer", "issuer", s.vouching.Issuer, "err", err)
			return nil, problem(http.StatusServiceUnavailable, "provider-away", "The provider does not answer. Try again in a minute.")
		}
		out := &leaveOutput{SetCookie: cookie.String()}
		out.Body.URL = at
		return out, nil
	})
}

// leave makes what a browser takes along to the provider, and the address there.
// Person is who wants to sign in by it, too; the zero id for who just signs in.
func (s *Server) leave(ctx context.Context, next string, person uuid.UUID) (cookie *http.Cookie, at string, err error) {
	if s.vouching.Issuer == "" {
		return nil, "", errors.New("there is none")
	}
	p, err := s.vouching.provider(ctx)
	if err != nil {
		return nil, "", err
	}
	e := errand{
		State: rand.Text(), Nonce: rand.Text(), Verifier: oauth2.GenerateVerifier(),
		Next: localPath(next), Person: person, Until: time.Now().Add(signInLasts),
	}
	raw, err := json.Marshal(e)
	if err == nil {
		raw, err = s.secret.seal(signIns, raw)
	}
	if err != nil {
		return nil, "", err
	}
	at = s.vouching.flow(p).AuthCodeURL(e.State, oidc.Nonce(e.Nonce), oauth2.S256ChallengeOption(e.Verifier))
	return s.errandCookie(ctx, base64.RawURLEncoding.EncodeToString(raw), int(signInLasts.Seconds())), at, nil
}

func (s *Server) providerStart(c *gin.Context) {
	cookie, at, err := s.leave(c.Request.Context(), c.Query("next"), uuid.Nil)
	if err != nil {
		s.log.Warn("the provider of sign-ins does not answer", "issuer", s.vouching.Issuer, "err", err)
		s.refuseSignIn(c, "provider-away")
		return
	}
	http.SetCookie(c.Writer, cookie)
	c.Redirect(http.StatusSeeOther, at)
	c.Abort()
}

func (s *Server) errandCookie(ctx context.Context, value string, maxAge int) *http.Cookie {
	return &http.Cookie{
		Name: signInCookie, Value: value, Path: "/sign-in/", MaxAge: maxAge, HttpOnly: true,
		SameSite: http.SameSiteLaxMode, Secure: s.secure() || connectionOf(ctx).secure,
	}
}

// comeBack leads a browser that was at the provider on, and takes its errand
// away.
func (s *Server) comeBack(c *gin.Context, to string) {
	http.SetCookie(c.Writer, s.errandCookie(c.Request.Context(), "", -1))
	c.Redirect(http.StatusSeeOther, to)
	c.Abort()
}

// localPath is a path of this installation, "/" for anything else.
func localPath(text string) string {
	u, err := url.Parse(text)
	if err != nil || u.IsAbs() || u.Host != "" || !strings.HasPrefix(u.Path, "/") || strings.HasPrefix(text, "//") || strings.ContainsAny(text, "\\\r\n\t") {
		return "/"
	}
	return text
}

// refuseSignIn leads back to the page, which says why in words.
func (s *Server) refuseSignIn(c *gin.Context, why string) {
	s.comeBack(c, "/?refused="+why)
}

// errandOf is what a browser was sent for that comes back.
func (s *Server) errandOf(c *gin.Context) (e errand, ok bool) {
	cookie, err := c.Request.Cookie(signInCookie)
	if err != nil {
		return e, false
	}
	sealed, err := base64.RawURLEncoding.DecodeString(cookie.Value)
	if err != nil {
		return e, false
	}
	raw, err := s.secret.open(signIns, sealed)
	if err != nil || json.Unmarshal(raw, &e) != nil {
		return e, false
	}
	return e, time.Now().Before(e.Until) && subtle.ConstantTimeCompare([]byte(e.State), []byte(c.Query("state"))) == 1
}

func (s *Server) providerDone(c *gin.Context) {
	ctx := c.Request.Context()
	e, ok := s.errandOf(c)
	if !ok {
		s.refuseSignIn(c, "sign-in-stale")
		return
	}
	if c.Query("error") != "" {
		s.log.Info("the provider of sign-ins refused", "error", android.Printable(c.Query("error"), 100), "from", connectionOf(ctx).address)
		s.refuseSignIn(c, "provider-refused")
		return
	}
	w, err := s.vouching.ask(ctx, c.Query("code"), e)
	if err != nil {
		s.log.Warn("what the provider of sign-ins said can't be used", "issuer", s.vouching.Issuer, "err", err)
		s.refuseSignIn(c, "provider-wrong")
		return
	}
	if e.Person != uuid.Nil {
		s.addIdentity(c, e, w)
		return
	}
	person, why, err := s.comeIn(ctx, w)
	if err != nil {
		s.fail(c, err)
		return
	}
	if why != "" {
		s.refuseSignIn(c, why)
		return
	}
	second, err := s.secondOf(ctx, person)
	if err != nil {
		s.fail(c, err)
		return
	}
	if second != "" { // which the page asks for
		cookie, err := s.keepHalf(ctx, person.ID)
		if err != nil {
			s.fail(c, err)
			return
		}
		http.SetCookie(c.Writer, cookie)
		s.comeBack(c, e.Next)
		return
	}
	text, err := s.startSession(ctx, person)
	if err != nil {
		s.fail(c, err)
		return
	}
	http.SetCookie(c.Writer, s.cookie(ctx, text, int(sessionLasts.Seconds())))
	s.comeBack(c, e.Next)
}

// addIdentity lets who was signed in when they left sign in by the provider.
func (s *Server) addIdentity(c *gin.Context, e errand, w vouched) {
	if personOf(c.Request.Context()).ID != e.Person {
		s.refuseSignIn(c, "sign-in-stale")
		return
	}
	err := s.store.AddIdentity(c.Request.Context(), w.Identity, e.Person)
	if errors.Is(err, store.ErrNotYours) {
		e.Next, err = e.Next+"?refused=provider-taken", nil
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.comeBack(c, e.Next)
}

// comeIn finds or makes the person that a provider vouches for, with the role
// that their groups have. Why is why they don't come in.
func (s *Server) comeIn(ctx context.Context, w vouched) (p store.Person, why string, err error) {
	rules, _, err := s.store.InstallationRules(ctx)
	if err != nil {
		return p, "", err
	}
	role := rules.RoleOf(w.groups)
	p, err = s.store.PersonOfIdentity(ctx, w.Identity)
	known := err == nil
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return p, "", err
	}
	switch {
	case role == "" && len(rules.GroupRoles) > 0, !known && role == "":
		s.log.Info("somebody whom the provider vouches for has no role here", "groups", len(w.groups), "from", connectionOf(ctx).address)
		return p, "no-role", nil
	case !known:
		p, err = s.store.JoinByIdentity(ctx, w.Identity, w.login, w.name, role)
	case role != "" && role != p.Role:
		// The last keeper stays one, whatever their groups.
		if err = s.store.SetRole(ctx, uuid.Nil, p.ID, role); errors.Is(err, store.ErrLastKeeper) {
			err = nil
		} else {
			p.Role = role
		}
	}
	return p, "", err
}
