package server_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"sync"
	"testing"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"

	"roster/server"
	"roster/server/webhook"
)

// TestReceiverIsTold: what the feed tells goes to a receiver, signed, once, and
// again for as long as it is not taken.
func TestReceiverIsTold(t *testing.T) {
	t.Parallel()
	s := withQuiet(t, func(c *server.Config) {
		c.Webhooks = webhook.Sender{Networks: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}
		c.PublicURL = "https://roster.example"
	})
	keeper := s.keeper
	var mu sync.Mutex
	var got []string
	var refused bool
	var checks *standardwebhooks.Webhook
	receiver := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		body, err := io.ReadAll(r.Body)
		if err == nil {
			err = checks.Verify(body, r.Header)
		}
		if err != nil || strings.Contains(string(body), "release.published") && !refused {
			refused = err == nil
			http.Error(w, "not now", http.StatusServiceUnavailable)
			return
		}
		got = append(got, string(body))
	}))
	t.Cleanup(receiver.Close)
	if a := s.do(keeper, "POST", "/api/v1/webhooks", map[string]string{"url": "https://192.168.0.1/"}); a.status != 422 {
		t.Errorf("a private address: %d %s", a.status, a.body)
	}
	added := decode[struct{ ID, Secret string }](s.site, s.do(keeper, "POST", "/api/v1/webhooks", map[string]string{"url": receiver.URL + "/roster"}), 201)
	var err error
	mu.Lock()
	checks, err = standardwebhooks.NewWebhook(added.Secret)
	mu.Unlock()
	if err != nil {
		t.Fatal(err)
	}
	if a := s.do(keeper, "POST", "/api/v1/webhooks/"+added.ID+"/test", nil); a.status != 202 && a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	s.until("the test arrives", func() bool {
		mu.Lock()
		defer mu.Unlock()
		return strings.Contains(strings.Join(got, ""), `"type":"test"`)
	})

	s.publish()
	type delivery struct {
		Type, Answer string
		Attempts     int
		TakenAt      string
		NextAt       string
	}
	log := func() (released delivery) {
		for _, d := range get[items[delivery]](s.site, keeper, "/api/v1/webhooks/"+added.ID+"/deliveries").Items {
			if d.Type == "release.published" {
				released = d
			}
		}
		return released
	}
	s.until("it is told and does not take it", func() bool {
		d := log()
		return d.Attempts == 1 && d.NextAt != "" && strings.HasPrefix(d.Answer, "503")
	})
	s.exec(`update webhook_deliveries set next_at = now() where next_at is not null`)
	s.do(keeper, "POST", "/api/v1/webhooks/"+added.ID+"/test", nil) // which wakes
	s.until("it takes it", func() bool { return log().TakenAt != "" })
	mu.Lock()
	all := strings.Join(got, "\n")
	mu.Unlock()
	if n := strings.Count(all, `"type":"release.published"`); n != 1 || !strings.Contains(all, `"url":"https://roster.example/r/brannock/lyra-5/`) {
		t.Errorf("told %d times:\n%s", n, all)
	}
	if a := s.do(keeper, "GET", "/api/v1/webhooks", nil); strings.Contains(string(a.body), added.Secret) || strings.Contains(string(a.body), "sealed") {
		t.Errorf("the secret is shown again: %s", a.body)
	}
	if a := s.do(keeper, "DELETE", "/api/v1/webhooks/"+added.ID, nil); a.status/100 != 2 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if left := get[items[any]](s.site, keeper, "/api/v1/webhooks"); len(left.Items) != 0 {
		t.Errorf("%+v", left)
	}
}
