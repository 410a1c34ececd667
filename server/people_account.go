package server

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"roster/server/atom"
	"roster/store"
)

// What a token can be good for. None reaches further than its person's role.
const (
	scopeRead    = "read"    // everything that the person may see
	scopeSend    = "send"    // the tray, changes, captures and files
	scopeReview  = "review"  // deciding about changes
	scopePublish = "publish" // what maintainers and keepers may do
)

// tokenPrefix makes a person's token known for what it is.
const tokenPrefix = "roster-token-"

// scopeFor is what a token needs for a request to a route; "" where no token
// will do, because it is about the account itself.
func scopeFor(method string, access Access) string {
	switch {
	case method == http.MethodGet || method == http.MethodHead:
		return scopeRead
	case access == Technician:
		return scopeSend
	case access == Reviewer:
		return scopeReview
	case access == Maintainer || access == Keeper:
		return scopePublish
	}
	return ""
}

// newToken makes a secret: 32 random bytes and their text.
func newToken(prefix string) (token []byte, text string, err error) {
	token = make([]byte, 32)
	_, err = rand.Read(token)
	return token, prefix + base64.RawURLEncoding.EncodeToString(token), err
}

// readToken is the secret in a text that newToken made.
func readToken(prefix, text string) ([]byte, bool) {
	text, ok := strings.CutPrefix(text, prefix)
	if !ok {
		return nil, false
	}
	token, err := base64.RawURLEncoding.DecodeString(text)
	return token, err == nil && len(token) == 32
}

type passwordInput struct {
	Body struct {
		Old string `json:"old" minLength:"1" maxLength:"200"`
		New string `json:"new" minLength:"12" maxLength:"200"`
		// Somebody else may have had them from who knew the old password.
		EndTokens bool `json:"endTokens,omitempty" doc:"End all your tokens for programs, too"`
		EndFeeds  bool `json:"endFeeds,omitempty" doc:"End the secret addresses of your feeds, too"`
	}
}

type newTokenInput struct {
	Body struct {
		Name   string   `json:"name" minLength:"1" maxLength:"80" doc:"What it is for"`
		Scopes []string `json:"scopes" minItems:"1" maxItems:"4" enum:"read,send,review,publish" nullable:"false"`
		Days   int      `json:"days" minimum:"1" maximum:"366" doc:"How long it is good for"`
	}
}

type madeToken struct {
	store.Token
	Secret string `json:"secret" doc:"Shown this once"`
}

type newTokenOutput struct{ Body madeToken }

// told is a notice in a sentence, with where it leads.
type told struct {
	store.Notice
	Text string `json:"text"`
	// Quote is what somebody said in their own words, "" where Text has them.
	Quote string `json:"quote"`
	To    string `json:"to"`
}

type news struct {
	Items  []told `json:"items" nullable:"false"`
	Unread int    `json:"unread"`
}

type newsOutput struct{ Body news }

type readInput struct {
	Body struct {
		Until time.Time `json:"until" doc:"What was told up to then is read"`
	}
}

type feedOutput struct {
	Body struct {
		Path string `json:"path" doc:"The address of your feed. It is a secret, shown this once; a new one ends the old."`
		Desk string `json:"desk" doc:"The same for your Desk"`
	}
}

// accountRoutes are about the person who asks.
func (s *Server) accountRoutes() {
	route(s, SignedIn, huma.Operation{OperationID: "changePassword", Method: http.MethodPost, Path: "/api/v1/session/password", Summary: "Change your password; all your other sign-ins end"}, s.changePassword)
	route(s, SignedIn, huma.Operation{OperationID: "listSessions", Method: http.MethodGet, Path: "/api/v1/sessions", Summary: "Where you are signed in"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.SignedIn], error) {
			return listOf(s.store.Sessions(ctx, personOf(ctx).ID, connectionOf(ctx).token))
		})
	route(s, SignedIn, huma.Operation{OperationID: "endOtherSessions", Method: http.MethodDelete, Path: "/api/v1/sessions", Summary: "Sign out everywhere else"},
		func(ctx context.Context, _ *struct{}) (*struct{}, error) {
			return nil, s.store.EndOtherSessions(ctx, personOf(ctx).ID, connectionOf(ctx).token)
		})
	route(s, SignedIn, huma.Operation{OperationID: "listTokens", Method: http.MethodGet, Path: "/api/v1/tokens", Summary: "Your tokens for programs"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.Token], error) {
			return listOf(s.store.Tokens(ctx, personOf(ctx).ID))
		})
	route(s, SignedIn, huma.Operation{OperationID: "makeToken", Method: http.MethodPost, Path: "/api/v1/tokens", Summary: "Make a token for a program", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *newTokenInput) (*newTokenOutput, error) {
			token, text, err := newToken(tokenPrefix)
			if err != nil {
				return nil, err
			}
			t, err := s.store.AddToken(ctx, personOf(ctx).ID, strings.TrimSpace(in.Body.Name), in.Body.Scopes, token, time.Now().AddDate(0, 0, in.Body.Days))
			return &newTokenOutput{madeToken{t, text}}, err
		})
	route(s, SignedIn, huma.Operation{OperationID: "revokeToken", Method: http.MethodDelete, Path: "/api/v1/tokens/{id}", Summary: "End one of your tokens"},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.RevokeToken(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, SignedIn, huma.Operation{OperationID: "listNews", Method: http.MethodGet, Path: "/api/v1/news", Summary: "What you were told, newest first"},
		func(ctx context.Context, _ *struct{}) (*newsOutput, error) {
			list, err := s.store.Notices(ctx, personOf(ctx).ID, 100)
			if err != nil {
				return nil, err
			}
			out := &newsOutput{news{Items: make([]told, len(list))}}
			for i, n := range list {
				one := told{Notice: n, Text: n.Sentence(), Quote: n.Words, To: n.To()}
				if strings.Contains(one.Text, n.Words) {
					one.Quote = ""
				}
				out.Body.Items[i] = one
			}
			out.Body.Unread, err = s.store.UnreadNotices(ctx, personOf(ctx).ID)
			return out, err
		})
	route(s, SignedIn, huma.Operation{OperationID: "readNews", Method: http.MethodPost, Path: "/api/v1/news/read", Summary: "Note what you were told as read"},
		func(ctx context.Context, in *readInput) (*struct{}, error) {
			return nil, s.store.ReadNotices(ctx, personOf(ctx).ID, in.Body.Until)
		})
	route(s, SignedIn, huma.Operation{OperationID: "makeFeed", Method: http.MethodPost, Path: "/api/v1/news/feed", Summary: "Make the secret address of your own feed"},
		func(ctx context.Context, _ *struct{}) (*feedOutput, error) {
			key, text, err := newToken("")
			if err != nil {
				return nil, err
			}
			out := &feedOutput{}
			out.Body.Path, out.Body.Desk = "/news/"+text+".atom", "/desk/"+text+".atom"
			return out, s.store.SetFeedKey(ctx, personOf(ctx).ID, key)
		})
	s.plain(http.MethodGet, "/news/:key", Public, s.feed)
}

func (s *Server) changePassword(ctx context.Context, in *passwordInput) (*struct{}, error) {
	p, conn := personOf(ctx), connectionOf(ctx)
	if err := s.try(ctx, p.Login); err != nil {
		return nil, err
	}
	_, stored, err := s.store.PasswordHash(ctx, p.Login)
	if err != nil {
		return nil, err
	}
	fits, err := s.passwords.fits(ctx, in.Body.Old, stored)
	if err != nil {
		return nil, err
	}
	if !fits {
		if err := s.store.SignInFailed(ctx, p.Login); err != nil {
			return nil, err
		}
		return nil, problem(http.StatusUnprocessableEntity, "wrong-password", "The old password is wrong. Nothing was changed.")
	}
	if err := CheckPassword(in.Body.New, p.Login, p.Name); err != nil {
		return nil, badRequest(fmt.Errorf("%w. Nothing was changed", err))
	}
	hash, err := s.passwords.hash(ctx, in.Body.New)
	if err != nil {
		return nil, err
	}
	if err := s.store.SignInWorked(ctx, p.ID, p.Login, conn.address); err != nil {
		return nil, err
	}
	return nil, s.store.SetPassword(ctx, p.ID, hash, conn.token, store.Ending{Tokens: in.Body.EndTokens, Feeds: in.Body.EndFeeds})
}

// feed is a person's own feed; its key is in the address, since feed readers
// do not sign in.
func (s *Server) feed(c *gin.Context) {
	p := s.feedPerson(c)
	if p == nil {
		return
	}
	list, err := s.store.Notices(c.Request.Context(), p.ID, 100)
	if err != nil {
		s.fail(c, err)
		return
	}
	base := s.base(c)
	f := atom.Feed{ID: "urn:uuid:" + p.ID.String(), Title: "Roster, for " + p.Name, Author: atom.Author{Name: "Roster"}, Links: []atom.Link{{Rel: "alternate", Href: base + "/"}}}
	for _, n := range list {
		f.Entries = append(f.Entries, atom.Entry{ID: "urn:uuid:" + n.ID.String(), Title: n.Sentence(), Updated: atom.Time(n.At), Content: n.Words, Link: atom.Link{Rel: "alternate", Href: base + n.To()}})
	}
	s.writeFeed(c, f)
}

// base is where the installation is reached: as it was told, or as this
// request reached it.
func (s *Server) base(c *gin.Context) string {
	switch {
	case s.config.PublicURL != "":
		return s.config.PublicURL
	case connectionOf(c.Request.Context()).secure:
		return "https://" + c.Request.Host
	}
	return "http://" + c.Request.Host
}
