package webhook

import (
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"
	"time"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

func TestReceiversOnPublicAddressesAlone(t *testing.T) {
	var public Sender
	own := Sender{Networks: []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("fd00::/8")}}
	for address, want := range map[string]bool{
		"https://receiver.example/x": true, "https://203.0.113.7:8443/": true, "https://[2001:db8::1]/": true,
		"http://receiver.example/": false, "ftp://receiver.example/": false, "https://": false, "receiver.example": false, "https://a:b@receiver.example/": false,
		"https://127.0.0.1/": false, "https://[::1]/": false, "https://10.1.2.3/": false, "https://172.16.0.1/": false,
		"https://192.168.1.1/": false, "https://169.254.169.254/": false,
		"https://100.64.0.1/": false, "https://0.0.0.0/": false, "https://224.0.0.1/": false, "https://[fd00::1]/": false, "https://[fe80::1]/": false,
		"https://[::ffff:10.0.0.1]/": false, "https://[64:ff9b::a00:1]/": false, "https://[2002:a00:1::]/": false, "https://255.255.255.255/": false,
	} {
		if err := public.Check(address); (err == nil) != want {
			t.Errorf("%s: %v", address, err)
		}
	}
	for address, want := range map[string]bool{
		"http://10.1.2.3/": true, "https://10.1.2.3/": true, "https://[fd00::1]/": true, "http://192.168.1.1/": false, "http://receiver.example/": false,
	} {
		if err := own.Check(address); (err == nil) != want {
			t.Errorf("with networks of one's own, %s: %v", address, err)
		}
	}
}

func TestSend(t *testing.T) {
	secret := []byte(strings.Repeat("s", 32))
	checks, err := standardwebhooks.NewWebhook(SecretText(secret))
	if err != nil {
		t.Fatal(err)
	}
	reached := 0
	receiver := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		reached++
		body, err := io.ReadAll(r.Body)
		if err == nil {
			err = checks.Verify(body, r.Header)
		}
		switch {
		case err != nil:
			http.Error(w, err.Error(), http.StatusUnauthorized)
		case r.URL.Path == "/away":
			http.Redirect(w, r, "/", http.StatusTemporaryRedirect)
		case r.URL.Path == "/busy":
			http.Error(w, "later\x1b[31m\nplease"+strings.Repeat("x", 5000), http.StatusServiceUnavailable)
		}
	}))
	defer receiver.Close()
	here := Sender{Networks: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}}
	if answer, err := here.Send(t.Context(), receiver.URL, secret, "msg_1", time.Now(), []byte(`{"a":1}`)); err != nil || answer != "200 OK" {
		t.Errorf("%q, %v", answer, err)
	}
	if answer, err := here.Send(t.Context(), receiver.URL, []byte(strings.Repeat("o", 32)), "msg_1", time.Now(), []byte(`{"a":1}`)); err == nil {
		t.Errorf("with another secret: %q", answer)
	}
	if answer, err := here.Send(t.Context(), receiver.URL+"/away", secret, "msg_1", time.Now(), []byte(`{}`)); err == nil {
		t.Errorf("sent elsewhere: %q", answer)
	}
	answer, err := here.Send(t.Context(), receiver.URL+"/busy", secret, "msg_1", time.Now(), []byte(`{}`))
	if err == nil || !strings.HasPrefix(answer, "503 Service Unavailable later [31m please") || len(answer) > maxAnswer {
		t.Errorf("%q, %v", answer, err)
	}
	// A name that stands for an address of this computer.
	before := reached
	name := strings.Replace(receiver.URL, "http://127.0.0.1", "https://localhost", 1)
	answer, err = (Sender{}).Send(t.Context(), name, secret, "msg_1", time.Now(), []byte(`{}`))
	if err == nil || reached != before || !strings.Contains(answer, "no public address") {
		t.Errorf("by a name: %q, %v", answer, err)
	}
}
