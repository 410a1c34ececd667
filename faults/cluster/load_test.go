package cluster_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"roster/bench"
	"roster/bench/services"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// kind is what somebody does.
type kind int

const (
	public kind = iota // opens a public page
	reads              // a technician looks something up
	writes             // a technician sends a change
	kinds
)

var kindNames = [kinds]string{"public pages", "reading", "sending"}

// meter notes how long things take, from when they were first asked for until
// they were answered, however often they had to be asked for.
type meter struct {
	mu sync.Mutex
	figures
}

type figures struct {
	longest [kinds]time.Duration
	asked   [kinds]int
	again   [kinds]int    // how many were asked for more than once
	away    time.Duration // the longest that a bench was shown as away
}

func (m *meter) note(k kind, took time.Duration, tries int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.longest[k] = max(m.longest[k], took)
	m.asked[k]++
	if tries > 1 {
		m.again[k]++
	}
}

func (m *meter) read() figures {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.figures
}

func (m *meter) benchAway(d time.Duration) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.away = max(m.away, d)
}

// sent is a change that the installation said it has.
type sent struct{ id, title string }

// load is everybody who uses the installation.
type load struct {
	t      *testing.T
	url    string
	client *http.Client
	think  time.Duration // how long a technician looks at what came, about
	// meter is that of the fault which is under way.
	meter atomic.Pointer[meter]

	technicians []*technician
	mu          sync.Mutex
	pending     map[int]time.Time // since when whoever waits for an answer does
	last        int
	accepted    []sent
	signedOut   int
	wrong       []string // answers that nobody should get
}

type technician struct {
	login  string
	cookie *http.Cookie
}

const password = "a long password"

// newLoad adds technicians, and signs them in.
func newLoad(t *testing.T, m *machines, technicians int, think time.Duration) *load {
	t.Helper()
	l := &load{t: t, url: m.url, think: think, pending: map[int]time.Time{}, client: &http.Client{
		Transport:     &http.Transport{MaxIdleConnsPerHost: 1000, DisableCompression: true},
		Timeout:       time.Minute,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}}
	l.meter.Store(&meter{})
	t.Cleanup(l.client.CloseIdleConnections)
	hash, err := server.PasswordCost{Passes: 1, Memory: 8}.Hash(password)
	if err != nil {
		t.Fatal(err)
	}
	st := m.store()
	for i := range technicians {
		login := fmt.Sprint("load", i)
		if _, err := st.AddPerson(t.Context(), login, login, "technician", hash); err != nil {
			t.Fatal(err)
		}
		raw, _ := json.Marshal(map[string]string{"login": login, "password": password})
		a, err := l.client.Post(l.url+"/api/v1/session", "application/json", bytes.NewReader(raw))
		if err != nil {
			t.Fatal(err)
		}
		a.Body.Close()
		if a.StatusCode != http.StatusOK || len(a.Cookies()) == 0 {
			t.Fatalf("signing in: %s", a.Status)
		}
		l.technicians = append(l.technicians, &technician{login, a.Cookies()[0]})
	}
	return l
}

// run uses the installation until ctx ends: every technician whenever they have
// thought, the public so many times a second.
func (l *load) run(ctx context.Context, perSecond int) *sync.WaitGroup {
	var all sync.WaitGroup
	for i, who := range l.technicians {
		all.Go(func() { l.work(ctx, who, rand.New(rand.NewPCG(*seed, uint64(i)))) })
		all.Go(func() { l.listen(ctx, who) })
	}
	const readers = 100
	for i := range readers {
		all.Go(func() { l.look(ctx, time.Second*readers/time.Duration(perSecond), i) })
	}
	return &all
}

// publicPages are what the public asks for.
var publicPages = []string{
	"/r", "/r/brannock/lyra-5/short-loan", "/r/brannock/lyra-5/short-loan.json", "/r/brannock/lyra-5/short-loan.sh", "/feed.atom", "/coverage", "/de/r",
}

func (l *load) look(ctx context.Context, every time.Duration, n int) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for ; ctx.Err() == nil; n++ {
		l.ask(ctx, public, "GET", publicPages[n%len(publicPages)], nil, nil, "")
		select {
		case <-tick.C:
		case <-ctx.Done():
		}
	}
}

// lookups are what technicians look up.
var lookups = []string{
	"/api/v1/ledger?maker=brannock&model=lyra-5", "/api/v1/ledger?maker=brannock&model=lyra-5&group=load&sort=ceiling",
	"/api/v1/ledger?q=clock&limit=20", "/api/v1/packages/com.brannock.clock?maker=brannock&model=lyra-5", "/api/v1/desk", "/api/v1/changes",
}

func (l *load) work(ctx context.Context, who *technician, chance *rand.Rand) {
	for n := 0; ctx.Err() == nil; n++ {
		if chance.IntN(4) > 0 {
			l.ask(ctx, reads, "GET", lookups[chance.IntN(len(lookups))], nil, who, "")
		} else {
			l.send(ctx, who, fmt.Sprintf("%s sends its change %d", who.login, n))
		}
		select {
		case <-time.After(l.think/2 + time.Duration(chance.Int64N(int64(l.think)))):
		case <-ctx.Done():
		}
	}
}

// send sends a change as browsers do: with a key, as often as it takes.
func (l *load) send(ctx context.Context, who *technician, title string) {
	body, _ := json.Marshal(map[string]any{"format": "roster-edits/1", "title": title, "words": title, "edits": []any{map[string]any{
		"package": "com.brannock.clock", "field": "description", "value": title, "scope": map[string]string{"kind": "everywhere"}, "reason": "load",
	}}})
	raw := l.ask(ctx, writes, "POST", "/api/v1/changes/whole", body, who, title)
	var made struct{ ID string }
	if raw != nil && json.Unmarshal(raw, &made) == nil && made.ID != "" {
		l.mu.Lock()
		l.accepted = append(l.accepted, sent{made.ID, title})
		l.mu.Unlock()
	}
}

// ask asks for something until it is answered, or ctx ends: then nobody knows.
func (l *load) ask(ctx context.Context, k kind, method, path string, body []byte, who *technician, key string) []byte {
	begun := time.Now()
	l.mu.Lock()
	l.last++
	me := l.last
	l.pending[me] = begun
	l.mu.Unlock()
	defer func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		delete(l.pending, me)
	}()
	for tries := 1; ; tries++ {
		raw, err := l.once(ctx, method, path, body, who, key)
		switch {
		case ctx.Err() != nil:
			return nil
		case err == nil:
			l.meter.Load().note(k, time.Since(begun), tries)
			return raw
		case !errors.Is(err, errAway):
			l.mu.Lock()
			if len(l.wrong) < 20 {
				l.wrong = append(l.wrong, fmt.Sprintf("%s %s: %v", method, path, err))
			}
			l.mu.Unlock()
			return nil
		}
		select {
		case <-time.After(200 * time.Millisecond):
		case <-ctx.Done():
			return nil
		}
	}
}

func (l *load) waiting(since time.Time) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	for _, begun := range l.pending {
		if begun.Before(since) {
			return true
		}
	}
	return false
}

// settle waits until whatever was asked for before has been answered.
func (l *load) settle() {
	l.t.Helper()
	now := time.Now()
	storetest.Until(l.t, "whatever was asked for is answered", func() bool { return !l.waiting(now) })
}

// away are the answers of an installation that has to be asked again.
var away = []int{http.StatusRequestTimeout, http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout}

// errAway says that it could not be answered just now.
var errAway = errors.New("away")

func (l *load) once(ctx context.Context, method, path string, body []byte, who *technician, key string) ([]byte, error) {
	r, err := http.NewRequestWithContext(ctx, method, l.url+path, bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	if who != nil {
		r.AddCookie(who.cookie)
	}
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("Origin", l.url)
		r.Header.Set("Idempotency-Key", key)
	}
	a, err := l.client.Do(r)
	if err != nil {
		return nil, errAway
	}
	defer a.Body.Close()
	raw, err := io.ReadAll(a.Body)
	switch {
	case err != nil, slices.Contains(away, a.StatusCode):
		return nil, errAway
	case a.StatusCode == http.StatusUnauthorized:
		l.mu.Lock()
		l.signedOut++
		l.mu.Unlock()
	case a.StatusCode < 300:
		return raw, nil
	}
	return nil, fmt.Errorf("%s: %.300s", a.Status, raw)
}

// listen listens for changes as an open page does, and comes back.
func (l *load) listen(ctx context.Context, who *technician) {
	for ctx.Err() == nil {
		r, err := http.NewRequestWithContext(ctx, "GET", l.url+"/api/v1/events", nil)
		if err != nil {
			return
		}
		r.AddCookie(who.cookie)
		long := *l.client
		long.Timeout = 0
		if a, err := long.Do(r); err == nil {
			_, _ = io.Copy(io.Discard, a.Body)
			a.Body.Close()
		}
		select {
		case <-time.After(500 * time.Millisecond):
		case <-ctx.Done():
		}
	}
}

// noPhones is the adb of a bench on which nothing hangs.
type noPhones struct{ services.Host }

func (noPhones) Devices(context.Context) ([]services.Device, error) { return nil, nil }

func (noPhones) Track(ctx context.Context, each func([]services.Device) error) error {
	if err := each(nil); err != nil {
		return err
	}
	<-ctx.Done()
	return ctx.Err()
}

// benches link so many benches to the installation until ctx ends.
func (l *load) benches(ctx context.Context, st *store.Store, n int) *sync.WaitGroup {
	var all sync.WaitGroup
	keeper, _, err := st.PasswordHash(ctx, "ines")
	if err != nil {
		l.t.Fatal(err)
	}
	for i := range n {
		raw := make([]byte, 32)
		rand.NewChaCha8([32]byte{byte(i), byte(*seed)}).Read(raw)
		token := "roster-bench-" + base64.RawURLEncoding.EncodeToString(raw)
		if _, err := st.AddBench(ctx, fmt.Sprint("bench ", i), raw, keeper.ID); err != nil {
			l.t.Fatal(err)
		}
		link := &bench.Link{
			Wire:    bench.HTTP{Server: l.url, Token: token},
			Log:     slog.New(slog.DiscardHandler),
			Station: bench.NewStation(bench.Setup{Host: noPhones{}, Key: []byte(token), Log: slog.New(slog.DiscardHandler)}),
		}
		all.Go(func() {
			if err := link.Run(ctx); err != nil && ctx.Err() == nil {
				l.t.Errorf("bench %d: %v", i, err)
			}
		})
	}
	return &all
}

// watch looks for how long benches are shown as away.
func (l *load) watch(ctx context.Context) {
	since := map[string]time.Time{}
	for ctx.Err() == nil {
		var list struct {
			Items []struct {
				Name string
				Away bool
			}
		}
		raw, err := l.once(ctx, "GET", "/api/v1/benches", nil, l.technicians[0], "")
		if err == nil && json.Unmarshal(raw, &list) == nil {
			for _, b := range list.Items {
				switch at, is := since[b.Name]; {
				case !strings.HasPrefix(b.Name, "bench "):
				case b.Away && !is:
					since[b.Name] = time.Now()
				case b.Away:
					l.meter.Load().benchAway(time.Since(at))
				default:
					delete(since, b.Name)
				}
			}
		}
		select {
		case <-time.After(300 * time.Millisecond):
		case <-ctx.Done():
		}
	}
}

// check holds the installation to what it said it has.
func (l *load) check(ctx context.Context, st *store.Store, db *pgx.Conn) {
	t := l.t
	if l.signedOut > 0 {
		t.Errorf("%d times somebody was signed out", l.signedOut)
	}
	for _, w := range l.wrong {
		t.Error(w)
	}
	rows, err := db.Query(ctx, `select title from changes where title like 'load% sends its change %'`)
	if err != nil {
		t.Fatal(err)
	}
	there, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		t.Fatal(err)
	}
	titles := map[string]int{}
	for _, title := range there {
		if titles[title]++; titles[title] == 2 {
			t.Errorf("%q is there twice", title)
		}
	}
	for _, s := range l.accepted {
		if titles[s.title] == 0 {
			t.Errorf("%q was accepted as %s, and is not there", s.title, s.id)
		}
	}
	proof, err := st.CheckAudit(ctx, "")
	if err != nil || proof.Wrong != "" {
		t.Errorf("the record: %v %s", err, proof.Wrong)
	}
	t.Logf("%d changes were accepted; the record has %d entries", len(l.accepted), proof.Entries)
}
