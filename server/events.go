package server

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"

	"roster/server/worker"
	"roster/store"
)

// staleTopic tells a browser what it should read anew.
type staleTopic struct {
	Topic string `json:"topic" enum:"everything,captures,changes,cover,desk,drafts,nothing,notices,people,profiles,releases,reports,rules,run,tray" doc:"What has changed; everything where some may have been missed, nothing where it was silent for a while"`
}

// toEverybody are the topics that everybody who is signed in hears of, and
// toOneself those that only the person hears of whose they are. None of them
// says more than that something has changed: whoever reads it anew sees what
// they may.
var (
	toEverybody = map[store.Topic]bool{
		store.CapturesChanged: true, store.ChangesChanged: true, store.ChangesWaiting: true, store.CoverageCounted: true,
		store.NoticesAdded: true, store.PeopleChanged: true,
		store.ProfilesChanged: true, store.ReleasesChanged: true, store.ReportsChanged: true, store.RulesChanged: true, store.RunChanged: true,
	}
	toOneself = map[store.Topic]bool{store.DeskChanged: true, store.DraftsChanged: true, store.TrayChanged: true}
)

// eventRoutes tell browsers what to read anew, so that two people see each
// other's work.
func (s *Server) eventRoutes() {
	watch := huma.Operation{OperationID: "watchAll", Method: http.MethodGet, Path: "/api/v1/events", Summary: "What has changed, as it does"}
	declare(&watch, SignedIn)
	sse.Register(s.api, watch, map[string]any{"changed": staleTopic{}}, s.watchAll)
}

func (s *Server) watchAll(ctx context.Context, _ *struct{}, send sse.Sender) {
	w := s.stream(ctx)
	defer w.end()
	me := accessOf(ctx).id.String()
	// The first answer says that from here on nothing is missed.
	e, ok := store.Event{Topic: store.Missed}, true
	for ; ok; e, ok = w.nextEvent(func(e store.Event) bool { return toEverybody[e.Topic] || toOneself[e.Topic] && e.ID == me }) {
		name := string(e.Topic)
		switch e.Topic {
		case store.Missed:
			name = "everything"
		case store.AccessChanged:
			name = "people"
		case store.ChangesWaiting:
			name = string(store.ChangesChanged)
		case worker.Silence:
			name = "nothing"
		}
		if send.Data(staleTopic{name}) != nil {
			return
		}
	}
}
