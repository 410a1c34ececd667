package server

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"roster/server/atom"
	"roster/server/webhook"
	"roster/store"
)

const (
	// webhooksLook is how often it is looked for what is to be told where nothing
	// was heard of it.
	webhooksLook = 15 * time.Second
	// webhookLease is for how long a server has a delivery to itself.
	webhookLease = time.Minute
)

// webhookPauses are how long is waited after each try that failed; after the last
// it is given up.
var webhookPauses = []time.Duration{
	5 * time.Second, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 5 * time.Hour, 10 * time.Hour, 14 * time.Hour, 20 * time.Hour,
}

// toldElsewhere is what receivers are sent, as Standard Webhooks has it.
type toldElsewhere struct {
	Type      string        `json:"type"`
	Timestamp string        `json:"timestamp"`
	Data      toldOfRelease `json:"data"`
}

type toldOfRelease struct {
	Maker    string `json:"maker"`
	Model    string `json:"model"`
	Edition  string `json:"edition"`
	Number   int    `json:"number"`
	Title    string `json:"title"`
	Words    string `json:"words"`
	URL      string `json:"url"`
	Document string `json:"document"`
	Firmware string `json:"firmware,omitempty"`
}

type addWebhookInput struct {
	Body struct {
		URL string `json:"url" minLength:"1" maxLength:"500" doc:"Where it is told, over https"`
	}
}

type addedWebhook struct {
	Body struct {
		ID     uuid.UUID `json:"id"`
		Secret string    `json:"secret" doc:"By which the receiver checks signatures (Standard Webhooks). Shown this once"`
	}
}

func (s *Server) webhookRoutes() {
	route(s, Keeper, huma.Operation{
		OperationID: "listWebhooks", Method: http.MethodGet, Path: "/api/v1/webhooks",
		Summary: "Receivers that are told what the public feed tells",
	},
		func(ctx context.Context, _ *struct{}) (*listOutput[store.Webhook], error) {
			return listOf(s.store.Webhooks(ctx))
		})
	route(s, Keeper, huma.Operation{
		OperationID: "addWebhook", Method: http.MethodPost, Path: "/api/v1/webhooks",
		Summary: "Add a receiver; it is told what happens from now on", DefaultStatus: http.StatusCreated,
	}, s.addWebhook)
	route(s, Keeper, huma.Operation{
		OperationID: "endWebhook", Method: http.MethodDelete, Path: "/api/v1/webhooks/{id}",
		Summary: "Tell a receiver nothing any more",
	},
		func(ctx context.Context, in *idInput) (*struct{}, error) {
			return nil, s.store.EndWebhook(ctx, personOf(ctx).ID, in.ID)
		})
	route(s, Keeper, huma.Operation{
		OperationID: "listDeliveries", Method: http.MethodGet, Path: "/api/v1/webhooks/{id}/deliveries",
		Summary: "What a receiver was told lately, and what it said",
	},
		func(ctx context.Context, in *idInput) (*listOutput[store.Delivery], error) {
			return listOf(s.store.Deliveries(ctx, in.ID))
		})
	route(s, Keeper, huma.Operation{
		OperationID: "testWebhook", Method: http.MethodPost, Path: "/api/v1/webhooks/{id}/test",
		Summary: "Tell a receiver something that is only a test", DefaultStatus: http.StatusAccepted,
	}, s.testWebhook)
}

func (s *Server) addWebhook(ctx context.Context, in *addWebhookInput) (*addedWebhook, error) {
	if err := s.config.Webhooks.Check(in.Body.URL); err != nil {
		return nil, badRequest(err)
	}
	secret := make([]byte, 32)
	if _, err := rand.Read(secret); err != nil {
		return nil, err
	}
	sealed, err := s.secret.seal(webhookSecrets, secret)
	if err != nil {
		return nil, err
	}
	out := &addedWebhook{}
	out.Body.ID, out.Body.Secret = store.NewID(), webhook.SecretText(secret)
	return out, s.store.AddWebhook(ctx, out.Body.ID, personOf(ctx).ID, in.Body.URL, sealed)
}

func (s *Server) testWebhook(ctx context.Context, in *idInput) (*struct{}, error) {
	list, err := s.store.Webhooks(ctx)
	if err != nil {
		return nil, err
	}
	for _, w := range list {
		if w.ID != in.ID {
			continue
		}
		now := time.Now()
		raw, err := json.Marshal(toldElsewhere{Type: "test", Timestamp: atom.Time(now), Data: toldOfRelease{Title: "A test", URL: s.config.PublicURL + "/r"}})
		if err == nil {
			err = s.store.ForgetTests(ctx, w.ID)
		}
		if err == nil {
			err = s.store.Deliver(ctx, w, []store.NewDelivery{{Item: "test:" + rand.Text(), Type: "test", Body: raw, At: now}})
		}
		s.wakeWebhooks()
		return nil, err
	}
	return nil, store.ErrNotFound
}

// wakeWebhooks has it looked at once for what is to be told.
func (s *Server) wakeWebhooks() {
	select {
	case s.telling <- struct{}{}:
	default: // it will be
	}
}

// tellWebhooks tells receivers what the feed tells, until ctx ends. Several
// servers may: each thing is told by one of them.
func (s *Server) tellWebhooks(ctx context.Context) {
	for {
		if err := s.tellAll(ctx); err != nil && ctx.Err() == nil {
			s.log.Warn("receivers can't be told", "err", err)
		}
		select {
		case <-s.telling:
		case <-time.After(webhooksLook):
		case <-ctx.Done():
			return
		}
	}
}

func (s *Server) tellAll(ctx context.Context) error {
	list, err := s.store.Webhooks(ctx)
	if err != nil || len(list) == 0 {
		return err
	}
	news, err := s.press.site.News(ctx)
	if err != nil {
		return err
	}
	deliveries := make([]store.NewDelivery, len(news))
	for i, n := range news {
		raw, err := json.Marshal(toldElsewhere{Type: string(n.Kind), Timestamp: atom.Time(n.At), Data: toldOfRelease{
			n.Of.Maker, n.Of.Model, n.Of.Edition, n.Of.Number, n.Title, n.Words, s.config.PublicURL + n.Path, s.config.PublicURL + n.Path + ".json", n.Firmware,
		}})
		if err != nil {
			return err
		}
		deliveries[i] = store.NewDelivery{Item: n.ID, Type: string(n.Kind), Body: raw, At: n.At}
	}
	byID := map[uuid.UUID]store.Webhook{}
	for _, w := range list {
		byID[w.ID] = w
		if err := s.store.Deliver(ctx, w, deliveries); err != nil {
			return err
		}
	}
	for {
		d, err := s.store.ClaimDelivery(ctx, webhookLease)
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		if w, known := byID[d.WebhookID]; known {
			if err := s.tellOne(ctx, w, d); err != nil {
				return err
			}
		}
	}
}

// tellOne tries a delivery once and notes what came of it.
func (s *Server) tellOne(ctx context.Context, w store.Webhook, d store.Delivery) error {
	secret, err := s.secret.open(webhookSecrets, w.Sealed)
	if err != nil {
		return s.store.DeliveryTried(ctx, d.ID, false, err.Error(), time.Time{})
	}
	answer, err := s.config.Webhooks.Send(ctx, w.URL, secret, "msg_"+d.ID.String(), time.Now(), d.Body)
	if ctx.Err() != nil {
		return ctx.Err() // the lease ends, and it is tried again
	}
	var next time.Time
	if err != nil && d.Attempts <= len(webhookPauses) {
		next = time.Now().Add(webhookPauses[d.Attempts-1])
	}
	if err != nil {
		s.log.Info("a receiver did not take what it was told", "url", w.URL, "try", d.Attempts, "answer", answer)
	}
	return s.store.DeliveryTried(ctx, d.ID, err == nil, answer, next)
}
