package server

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/google/uuid"

	"roster/core/desk"
	"roster/server/atom"
	"roster/store"
)

// deskBody is a person's Desk.
type deskBody struct {
	Items []desk.Line `json:"items" nullable:"false" doc:"The most urgent first"`
	Away  []desk.Line `json:"away" nullable:"false" doc:"Those that you have put off, are done with or handed over, and whose cause is still there"`
}

type deskOutput struct{ Body deskBody }

type putOffInput struct {
	Body struct {
		Key   string     `json:"key" minLength:"1" maxLength:"200"`
		Until *time.Time `json:"until,omitempty" doc:"Until when it stays away; none brings it back"`
	}
}

type lineInput struct {
	Body struct {
		Key string `json:"key" minLength:"1" maxLength:"200"`
	}
}

type handInput struct {
	Body struct {
		Key   string    `json:"key" minLength:"1" maxLength:"200"`
		To    uuid.UUID `json:"to" doc:"The person who is to see to it"`
		Words string    `json:"words" maxLength:"500"`
	}
}

type followInput struct {
	Body struct {
		Kind string    `json:"kind" enum:"package,model,profile"`
		ID   uuid.UUID `json:"id"`
	}
}

type unfollowInput struct {
	Kind string    `path:"kind" enum:"package,model,profile"`
	ID   uuid.UUID `path:"id"`
}

type weekInput struct {
	Ending string `query:"ending" doc:"The last day of the week, as 2026-03-05; today where it is left out"`
}

type weekOutput struct{ Body store.Week }

// deskRoutes are what waits for the person who asks.
func (s *Server) deskRoutes() {
	route(s, Technician, huma.Operation{OperationID: "getDesk", Method: http.MethodGet, Path: "/api/v1/desk", Summary: "What waits for you, the most urgent first"},
		func(ctx context.Context, _ *struct{}) (*deskOutput, error) {
			lines, away, err := s.store.Desk(ctx, personOf(ctx), time.Now())
			return &deskOutput{deskBody{lines, away}}, err
		})
	route(s, Technician, huma.Operation{OperationID: "putOffLine", Method: http.MethodPost, Path: "/api/v1/desk/put-off", Summary: "Put a line of your Desk off until a day, or bring it back", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *putOffInput) (*struct{}, error) {
			until := time.Time{}
			if in.Body.Until != nil {
				if until = *in.Body.Until; !until.After(time.Now()) {
					return nil, problem(http.StatusUnprocessableEntity, "bad-request", "Put it off until a day that is still to come.")
				}
			}
			return nil, s.store.PutOff(ctx, personOf(ctx).ID, in.Body.Key, until)
		})
	route(s, Technician, huma.Operation{OperationID: "finishLine", Method: http.MethodPost, Path: "/api/v1/desk/done", Summary: "Be done with a line of your Desk", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *lineInput) (*struct{}, error) {
			return nil, s.store.Done(ctx, personOf(ctx).ID, in.Body.Key)
		})
	route(s, Technician, huma.Operation{OperationID: "handLine", Method: http.MethodPost, Path: "/api/v1/desk/hand", Summary: "Hand a line of your Desk to somebody else", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *handInput) (*struct{}, error) {
			return nil, s.store.Hand(ctx, personOf(ctx).ID, in.Body.To, in.Body.Key, strings.TrimSpace(in.Body.Words))
		})
	route(s, Technician, huma.Operation{OperationID: "listFollows", Method: http.MethodGet, Path: "/api/v1/follows", Summary: "What you follow"},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.Followed], error) {
			return listOf(s.store.Follows(ctx, personOf(ctx).ID))
		})
	route(s, Technician, huma.Operation{OperationID: "follow", Method: http.MethodPost, Path: "/api/v1/follows", Summary: "Hear of what happens to a package, a model or a profile", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *followInput) (*struct{}, error) {
			return nil, s.store.Follow(ctx, personOf(ctx).ID, in.Body.Kind, in.Body.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "unfollow", Method: http.MethodDelete, Path: "/api/v1/follows/{kind}/{id}", Summary: "Hear no more of it", DefaultStatus: http.StatusNoContent},
		func(ctx context.Context, in *unfollowInput) (*struct{}, error) {
			return nil, s.store.Unfollow(ctx, personOf(ctx).ID, in.Kind, in.ID)
		})
	route(s, Technician, huma.Operation{OperationID: "getWeek", Method: http.MethodGet, Path: "/api/v1/week", Summary: "What happened in a week"}, s.week)
	s.plain(http.MethodGet, "/desk/:key", Public, s.deskFeed)
}

func (s *Server) week(ctx context.Context, in *weekInput) (*weekOutput, error) {
	to := time.Now().UTC()
	if in.Ending != "" {
		day, err := parseDay(in.Ending)
		if err != nil {
			return nil, err
		}
		to = day.AddDate(0, 0, 1)
	}
	w, err := s.store.WeekFrom(ctx, to.AddDate(0, 0, -7), to)
	return &weekOutput{w}, err
}

// feedPerson finds whose feed the secret in an address is for; nil where it is
// nobody's, which has then been said.
func (s *Server) feedPerson(c *gin.Context) *store.Person {
	key, ok := readToken("", strings.TrimSuffix(c.Param("key"), ".atom"))
	if !ok {
		s.fail(c, store.ErrNotFound)
		return nil
	}
	p, err := s.store.FeedPerson(c.Request.Context(), key)
	if err != nil {
		s.fail(c, err)
		return nil
	}
	return &p
}

// writeFeed sends a person's feed.
func (s *Server) writeFeed(c *gin.Context, f atom.Feed) {
	raw, err := f.Marshal()
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Cache-Control", "private, max-age=300")
	c.Data(http.StatusOK, atom.ContentType, raw)
}

// deskFeed is a person's Desk as a feed, the most urgent first.
func (s *Server) deskFeed(c *gin.Context) {
	p := s.feedPerson(c)
	if p == nil {
		return
	}
	lines, _, err := s.store.Desk(c.Request.Context(), *p, time.Now())
	if err != nil {
		s.fail(c, err)
		return
	}
	base := s.base(c)
	f := atom.Feed{ID: "urn:uuid:" + uuid.NewSHA1(p.ID, []byte("desk")).String(), Title: "Roster: the Desk of " + p.Name, Author: atom.Author{Name: "Roster"}, Links: []atom.Link{{Rel: "alternate", Href: base + "/desk"}}}
	for _, l := range lines {
		f.Entries = append(f.Entries, atom.Entry{ID: "urn:uuid:" + uuid.NewSHA1(p.ID, []byte(l.Key)).String(), Title: l.Text, Updated: atom.Time(l.Since), Link: atom.Link{Rel: "alternate", Href: base + l.To}, Content: l.Why})
	}
	s.writeFeed(c, f)
}
