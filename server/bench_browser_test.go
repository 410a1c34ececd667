package server_test

import (
	"context"
	"encoding/binary"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/coder/websocket"
	"github.com/google/uuid"

	"roster/bench"
	"roster/bench/adb/adbtest"
	"roster/demo"
	"roster/phone"
	"roster/server"
)

// browserBench is what a browser's tab gets when it becomes a bench.
type browserBench struct{ ID, Token string }

func (s *site) openBrowser(cookie *http.Cookie, browser uuid.UUID) browserBench {
	s.t.Helper()
	return decode[browserBench](s, s.do(cookie, "POST", "/api/v1/benches/browser", map[string]any{"browser": browser}), 201)
}

// linkUp links a station to the server with a token until the test ends, and
// tells how that ended.
func (s *site) linkUp(token string, station *bench.Station) <-chan error {
	ctx, cancel := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	link := &bench.Link{Wire: bench.HTTP{Server: s.http.URL, Token: token}, Station: station, Log: slog.New(slog.DiscardHandler)}
	go func() { ended <- link.Run(ctx) }()
	s.t.Cleanup(cancel)
	return ended
}

func refusedOf(t *testing.T, what string, ended <-chan error) {
	t.Helper()
	select {
	case err := <-ended:
		if !errors.Is(err, bench.ErrRevoked) {
			t.Errorf("%s: %v", what, err)
		}
	case <-time.After(2 * time.Minute):
		t.Errorf("%s: the link goes on", what)
	}
}

// TestBrowserBench: a browser is a bench of its person, who alone asks it for
// things, and for as long as they are signed in there.
func TestBrowserBench(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	mine, theirs := s.signIn("technician"), s.signIn("reviewer")
	_, address := s.standIn(func(*phone.Scenario) {})
	host := adbtest.Start(t)
	station := func() *bench.Station {
		return bench.NewStation(bench.Setup{Host: host, Key: []byte("key"), Scratch: bench.Scratch, Log: slog.New(slog.DiscardHandler)})
	}
	browser := uuid.New()
	first := s.openBrowser(mine, browser)
	if _, err := host.Connect(t.Context(), address); err != nil {
		t.Fatal(err)
	}
	ended := s.linkUp(first.Token, station())
	at := s.find(mine, address, identified)
	if list := s.benches(theirs); len(list) != 1 || !strings.HasSuffix(list[0].Name, "’s browser") {
		t.Errorf("others see %+v", list)
	}
	if last, _ := s.follow(mine, s.startCapture(mine, at)); last.State != "done" || last.Result.Packages != wantPackages {
		t.Fatalf("%+v", last)
	}
	asked := map[string]string{"kind": "capture", "phone": at.phone}
	if a := s.do(theirs, "POST", "/api/v1/benches/"+at.bench+"/requests", asked); a.status != 403 || !strings.Contains(string(a.body), "not-yours") {
		t.Errorf("somebody else asks it: %d %s", a.status, a.body)
	}

	// Another tab takes over: it is the same bench, and the first is turned away.
	second := s.openBrowser(mine, browser)
	if second.ID != first.ID {
		t.Error("the same browser became another bench")
	}
	refusedOf(t, "a tab that another took over from", ended)
	ended = s.linkUp(second.Token, station())
	s.find(mine, address, identified)

	// The same number in another person's hands is another bench.
	if other := s.openBrowser(theirs, browser); other.ID == first.ID {
		t.Error("two people share a bench")
	}

	// Signed out, it is over at once.
	if a := s.do(mine, "DELETE", "/api/v1/session", nil); a.status >= 300 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	refusedOf(t, "one whose person has signed out", ended)
	if a := s.byToken(second.Token, "POST", "/api/v1/link/view", map[string]any{"view": map[string]any{}, "running": []string{}}); a.status != 401 {
		t.Errorf("its token is good still: %d", a.status)
	}

	// Revoked likewise; and a tab that is closed takes its token with it.
	mine = s.signIn("technician")
	third := s.openBrowser(mine, browser)
	ended = s.linkUp(third.Token, station())
	s.find(mine, address, identified)
	if a := s.do(s.signIn("maintainer"), "DELETE", "/api/v1/benches/"+third.ID, nil); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	refusedOf(t, "one that was revoked", ended)
	fourth := s.openBrowser(mine, browser)
	if fourth.ID == third.ID {
		t.Error("what was revoked is in use again")
	}
	if a := s.byToken(fourth.Token, "POST", "/api/v1/link/leave", map[string]any{}); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}
	if a := s.byToken(fourth.Token, "POST", "/api/v1/link/leave", map[string]any{}); a.status != 401 {
		t.Errorf("a closed tab's token: %d", a.status)
	}
	// A program with a token of a person's is no browser.
	made := s.do(mine, "POST", "/api/v1/tokens", map[string]any{"name": "a script", "days": 1, "scopes": []string{"read", "send"}})
	token := decode[madeToken](s, made, 201).Secret
	if a := s.byToken(token, "POST", "/api/v1/benches/browser", map[string]any{"browser": browser}); a.status != 403 {
		t.Errorf("%d %s", a.status, a.body)
	}
}

// TestCable: what a browser says to a loose stand-in arrives, what it answers
// comes back, and there is no cable while it is not plugged in.
func TestCable(t *testing.T) {
	t.Parallel()
	scenario, err := phone.Load(demo.World, "phones/lyra-5-bag.yaml")
	if err != nil {
		t.Fatal(err)
	}
	p := phone.New(scenario, slog.New(slog.DiscardHandler))
	address, err := p.Listen(t.Context(), "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	hand := httptest.NewServer(p.Hand())
	t.Cleanup(hand.Close)
	s := withPeople(t, func(c *server.Config) {
		c.Loose = []bench.HandAt{{Address: address, Control: hand.Listener.Addr().String()}}
	})
	cookie := s.signIn("technician")
	dial := func(cookie *http.Cookie, number, origin string) (*websocket.Conn, error) {
		h := http.Header{"Origin": []string{origin}}
		if cookie != nil {
			h.Set("Cookie", cookie.Name+"="+cookie.Value)
		}
		c, _, err := websocket.Dial(t.Context(), s.http.URL+"/api/v1/stand-ins/"+number+"/cable", &websocket.DialOptions{HTTPHeader: h})
		return c, err
	}
	for what, c := range map[string]struct {
		cookie         *http.Cookie
		number, origin string
	}{
		"another page": {cookie, "1", "https://elsewhere.example"},
		"no stand-in":  {cookie, "2", s.http.URL},
		"no number":    {cookie, "x", s.http.URL},
	} {
		if conn, err := dial(c.cookie, c.number, c.origin); err == nil {
			conn.CloseNow()
			t.Errorf("%s got a cable", what)
		}
	}
	conn, err := dial(nil, "1", s.http.URL) // whoever tries the sample world out
	if err != nil {
		t.Fatal(err)
	}
	defer conn.CloseNow()
	wire := websocket.NetConn(t.Context(), conn, websocket.MessageBinary)
	connect := make([]byte, 24)
	for i, v := range []uint32{0x4e584e43, 0x01000001, 1 << 20, 0, 0, 0x4e584e43 ^ 0xffffffff} {
		binary.LittleEndian.PutUint32(connect[4*i:], v)
	}
	if _, err := wire.Write(connect); err != nil {
		t.Fatal(err)
	}
	answer := make([]byte, 24+20)
	if _, err := io.ReadFull(wire, answer); err != nil || string(answer[:4]) != "AUTH" {
		t.Fatalf("%q, %v", answer, err)
	}
	// The cable is pulled: it ends, and there is none until it is back.
	type standIn struct{ Plugged bool }
	if got := decode[standIn](s, s.do(cookie, "POST", "/api/v1/stand-ins/1/hand", map[string]string{"action": "unplug"}), 200); got.Plugged {
		t.Error("it is plugged in still")
	}
	if _, err := io.ReadAll(wire); err == nil {
		t.Log("the cable ended well")
	}
	if conn, err := dial(cookie, "1", s.http.URL); err == nil {
		conn.CloseNow()
		t.Error("a cable to a phone that is not plugged in")
	}
	if got := decode[standIn](s, s.do(cookie, "POST", "/api/v1/stand-ins/1/hand", map[string]string{"action": "plug"}), 200); !got.Plugged {
		t.Error("it is not plugged in")
	}
	again, err := dial(cookie, "1", s.http.URL)
	if err != nil {
		t.Fatal(err)
	}
	again.CloseNow()
	if a := s.do(cookie, "POST", "/api/v1/stand-ins/1/hand", map[string]string{"action": "set fire"}); a.status != 422 {
		t.Errorf("%d %s", a.status, a.body)
	}
}
