package server

import (
	"context"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"
)

type commentInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Thread *uuid.UUID `json:"thread,omitempty" doc:"The edit's thread; none for the change as a whole"`
		Text   string     `json:"text" minLength:"1" maxLength:"5000"`
	}
}

type askInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		Person uuid.UUID `json:"person"`
		Words  string    `json:"words" maxLength:"500"`
	}
}

type lookInput struct {
	ID   uuid.UUID `path:"id"`
	Body struct {
		At time.Time `json:"at" doc:"When what you saw was read, as the change says"`
	}
}

type revertOutput struct {
	Body struct {
		Edits int `json:"edits" doc:"How many edits were put into your tray"`
		Moved int `json:"moved" doc:"How many of their fields somebody has set since: these will meet a conflict"`
	}
}

// talkRoutes are what people say to each other around a change.
func (s *Server) talkRoutes() {
	route(s, Technician, huma.Operation{OperationID: "commentChange", Method: http.MethodPost, Path: "/api/v1/changes/{id}/comments", Summary: "Say something about a change or one of its edits", DefaultStatus: http.StatusCreated},
		func(ctx context.Context, in *commentInput) (*createdOutput, error) {
			text := strings.TrimSpace(in.Body.Text)
			if text == "" {
				return nil, problem(http.StatusUnprocessableEntity, "bad-request", "There is nothing in the comment.")
			}
			id, err := s.store.Comment(ctx, personOf(ctx).ID, in.ID, in.Body.Thread, text)
			return &createdOutput{created{id}}, err
		})
	route(s, Technician, huma.Operation{OperationID: "askPerson", Method: http.MethodPost, Path: "/api/v1/changes/{id}/asked", Summary: "Ask a person to look at a change"},
		func(ctx context.Context, in *askInput) (*struct{}, error) {
			return nil, s.store.Ask(ctx, personOf(ctx).ID, in.ID, in.Body.Person, strings.TrimSpace(in.Body.Words))
		})
	route(s, Technician, huma.Operation{OperationID: "lookAtChange", Method: http.MethodPost, Path: "/api/v1/changes/{id}/look", Summary: "Note that you have looked at a change"},
		func(ctx context.Context, in *lookInput) (*struct{}, error) {
			return nil, s.store.Look(ctx, personOf(ctx).ID, in.ID, in.Body.At)
		})
	route(s, Technician, huma.Operation{OperationID: "revertChange", Method: http.MethodPost, Path: "/api/v1/changes/{id}/revert", Summary: "Put into your tray what takes an accepted change back"},
		func(ctx context.Context, in *idInput) (*revertOutput, error) {
			out := &revertOutput{}
			var err error
			out.Body.Edits, out.Body.Moved, err = s.store.Revert(ctx, personOf(ctx).ID, in.ID)
			return out, err
		})
}
