package server_test

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"roster/bench"
	"roster/bench/adb/adbtest"
	"roster/phone"
	"roster/store"
)

// elsewhere links a bench with one stand-in to a site whose own server has no
// adb at all.
func elsewhere(t *testing.T, s *site, change func(*phone.Scenario)) (p *phone.Phone, address, benchID string, ended chan error) {
	t.Helper()
	return elsewhereOver(t, s, func(w bench.HTTP) bench.Wire { return w }, change)
}

// elsewhereOver is elsewhere over another wire.
func elsewhereOver(t *testing.T, s *site, wire func(bench.HTTP) bench.Wire, change func(*phone.Scenario)) (p *phone.Phone, address, benchID string, ended chan error) {
	t.Helper()
	keeper := s.signIn("maintainer")
	made := decode[struct{ ID, Token string }](s, s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": "the ward"}), 201)
	p, address = s.standIn(change)
	hand := httptest.NewServer(p.Hand())
	t.Cleanup(hand.Close)
	log := slog.New(slog.DiscardHandler)
	station := bench.NewStation(bench.Setup{
		Host: adbtest.Start(t), Key: []byte("key"), Scratch: bench.Scratch, Log: log,
		Hands: []bench.Hand{bench.HandAt{Address: address, Control: hand.Listener.Addr().String()}},
	})
	link := &bench.Link{Wire: wire(bench.HTTP{Server: s.http.URL, Token: made.Token}), Station: station, Log: log}
	ctx, cancel := context.WithCancel(context.Background())
	ended = make(chan error, 1)
	go func() { ended <- link.Run(ctx) }()
	t.Cleanup(cancel)
	return p, address, made.ID, ended
}

func TestBenchElsewhere(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	p, address, id, ended := elsewhere(t, s, func(*phone.Scenario) {})
	// Its phone appears under the bench's name, known by a mark alone.
	at := s.find(cookie, address, identified)
	list := s.benches(cookie)
	if len(list) != 1 || list[0].Name != "the ward" || !list[0].Elsewhere || list[0].Away || at.bench != id {
		t.Errorf("%+v", list)
	}
	if a := s.do(cookie, "GET", "/api/v1/benches", nil); bytes.Contains(a.body, []byte("BRNLY5A0417")) {
		t.Error("a serial number is handed out")
	}
	if stored, err := s.store.Benches(t.Context()); err != nil || bytes.Contains(stored[0].View, []byte("BRNLY5A0417")) {
		t.Errorf("a serial number is stored: %s, %v", stored[0].View, err)
	}
	last, _ := s.follow(cookie, s.startCapture(cookie, at))
	if last.State != "done" || last.Result == nil || last.Result.Packages != wantPackages {
		t.Fatalf("%+v", last)
	}
	captureID := last.Result.ID
	intake := get[struct {
		NewBuild bool
		Unnamed  int
		Phone    struct {
			LockCode string
			Roles    []struct{ Name string }
		}
	}](s, cookie, "/api/v1/captures/"+captureID+"/intake")
	if !intake.NewBuild || intake.Unnamed < 100 || intake.Phone.LockCode != "not-set" || len(intake.Phone.Roles) < 4 {
		t.Errorf("%+v", intake)
	}

	// Names come from the package files, and only once.
	named, _ := s.follow(cookie, s.ask(cookie, at, map[string]string{"kind": "names", "with": captureID}))
	if named.State != "done" {
		t.Fatalf("%+v", named)
	}
	dossier := get[struct{ Labels map[string]string }](s, cookie, "/api/v1/packages/com.brannock.wallet.core")
	if dossier.Labels["und"] != "Pocket" || dossier.Labels["de"] != "Tasche" {
		t.Errorf("%+v", dossier)
	}
	icon := s.do(cookie, "GET", "/api/v1/packages/com.brannock.wallet.core/icon", nil)
	if icon.status != 200 || icon.header.Get("Content-Type") != "image/png" || !strings.Contains(icon.header.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("%d %v", icon.status, icon.header)
	}
	if left := get[struct{ Unnamed int }](s, cookie, "/api/v1/captures/"+captureID+"/intake").Unnamed; left != 0 {
		t.Errorf("%d are unnamed still", left)
	}

	// What is this app?
	watch := s.ask(cookie, at, map[string]string{"kind": "watch"})
	type opened struct {
		Progress struct {
			Opened []struct {
				Package string
				Started []string
			}
		}
	}
	s.until("it watches", func() bool {
		return get[struct{ Progress map[string]any }](s, cookie, "/api/v1/jobs/"+watch).Progress["opened"] != nil
	})
	if err := p.Open("com.fieldnote.chirrup"); err != nil {
		t.Fatal(err)
	}
	s.until("the app is told", func() bool {
		list := get[opened](s, cookie, "/api/v1/jobs/"+watch).Progress.Opened
		return len(list) == 1 && list[0].Package == "com.fieldnote.chirrup" && len(list[0].Started) == 2
	})
	if a := s.do(cookie, "DELETE", "/api/v1/jobs/"+watch, nil); a.status != 204 {
		t.Errorf("%d %s", a.status, a.body)
	}

	// A hand unplugs the stand-in, and plugs it in again.
	for action, plugged := range map[string]bool{"unplug": false, "plug": true} {
		if last, _ := s.follow(cookie, s.ask(cookie, on{bench: id}, map[string]string{"kind": "hand", "address": address, "action": action})); last.State != "done" {
			t.Errorf("%s: %+v", action, last)
		}
		if got := p.Condition().Plugged; action == "unplug" && got != plugged {
			t.Errorf("%s: plugged in is %v", action, got)
		}
	}

	// Revoked, it is told so and gone.
	if a := s.do(s.signIn("maintainer"), "DELETE", "/api/v1/benches/"+id, nil); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if a := s.do(s.signIn("keeper"), "GET", "/api/v1/audit?action=bench.revoked", nil); a.status != 200 || !bytes.Contains(a.body, []byte(id)) {
		t.Errorf("the record does not say so: %d %s", a.status, a.body)
	}
	select {
	case err := <-ended:
		if !errors.Is(err, bench.ErrRevoked) {
			t.Errorf("%v", err)
		}
	case <-time.After(3 * time.Minute):
		t.Error("a revoked bench goes on")
	}
	if list := s.benches(cookie); len(list) != 0 {
		t.Errorf("%+v", list)
	}
}

// TestBenchesThatStop ends a bench elsewhere, and then a server: each says so,
// so that nobody asks it for anything until its silence would have told.
func TestBenchesThatStop(t *testing.T) {
	t.Parallel()
	s := withBench(t)
	cookie := s.signIn("technician")
	person, err := s.store.AddPerson(t.Context(), "maintainer", "maintainer", "maintainer", "x")
	if err != nil {
		t.Fatal(err)
	}
	token := make([]byte, 32)
	if _, err := s.store.AddBench(t.Context(), "the ward", token, person.ID); err != nil {
		t.Fatal(err)
	}
	log := slog.New(slog.DiscardHandler)
	link := &bench.Link{
		Wire:    bench.HTTP{Server: s.http.URL, Token: "roster-bench-" + base64.RawURLEncoding.EncodeToString(token)},
		Station: bench.NewStation(bench.Setup{Key: []byte("key"), Log: log}), Log: log,
	}
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error, 1)
	go func() { ended <- link.Run(ctx) }()
	s.until("both are there", func() bool {
		list := s.benches(cookie)
		return len(list) == 2 && !list[0].Away && !list[1].Away && list[1].View.Wrong != ""
	})
	stop()
	<-ended
	if list := s.benches(cookie); len(list) != 2 || list[0].Away || !list[1].Away || list[1].View.Wrong != "" {
		t.Errorf("%+v", list)
	}
	s.server.Close()
	if list, err := s.store.Benches(t.Context()); err != nil || len(list) != 1 || list[0].Name != "the ward" {
		t.Errorf("%+v, %v", list, err)
	}
}

// TestLinkIsOnlyForBenches tries the link as people and with wrong tokens,
// and a bench on what is not its own.
func TestLinkIsOnlyForBenches(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("maintainer")
	one := decode[struct{ ID, Token string }](s, s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": "one"}), 201)
	two := decode[struct{ ID, Token string }](s, s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": "two"}), 201)
	view := map[string]any{"view": map[string]any{"address": "", "version": 41, "wrong": "", "next": "", "try": []string{}, "phones": []any{}, "standIns": []any{}}, "running": []string{}}
	as := func(token, method, path string, body any) answer {
		return s.do(nil, method, path, body, "Authorization", "Bearer "+token)
	}
	if a := as(one.Token, "POST", "/api/v1/link/view", view); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	for what, a := range map[string]answer{
		"no token":       s.do(nil, "POST", "/api/v1/link/view", view),
		"a wrong token":  as("roster-bench-AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA", "POST", "/api/v1/link/view", view),
		"a person":       s.do(keeper, "POST", "/api/v1/link/view", view),
		"a bench reads":  as(one.Token, "GET", "/api/v1/ledger", nil),
		"a bench writes": as(one.Token, "POST", "/api/v1/benches", map[string]string{"name": "three"}),
	} {
		if a.status != 401 && a.status != 403 {
			t.Errorf("%s: %d %s", what, a.status, a.body)
		}
	}
	job := s.ask(keeper, on{bench: one.ID}, map[string]string{"kind": "connect", "address": "192.0.2.1:5555"})
	for path, body := range map[string]any{
		"/progress": map[string]int{"step": 1}, "/end": map[string]string{"problem": ""}, "/names": map[string]any{"names": []any{}},
		"/capture": map[string]any{"serial": "x", "capture": map[string]string{"format": "roster-capture/1"}},
	} {
		if a := as(two.Token, "POST", "/api/v1/link/jobs/"+job+path, body); a.status != 403 {
			t.Errorf("%s of another bench's job: %d %s", path, a.status, a.body)
		}
	}
	hostile := map[string]any{"serial": "x", "capture": map[string]any{"format": "roster-capture/1", "identity": map[string]string{"fingerprint": "a/b/c:1/d/e:f/g", "manufacturer": "m", "device": "d"}, "packages": []any{map[string]string{"name": "a;reboot"}}}}
	if a := as(one.Token, "POST", "/api/v1/link/jobs/"+job+"/capture", hostile); a.status != 422 {
		t.Errorf("a hostile capture: %d %s", a.status, a.body)
	}
	// What can't be stored is told to the bench, and does not stay running.
	person, err := s.store.AddPerson(t.Context(), "asks", "asks", "technician", "x")
	if err != nil {
		t.Fatal(err)
	}
	look, err := s.store.AddJob(t.Context(), person.ID, store.Ask{Kind: bench.KindLook, Bench: uuid.MustParse(one.ID), Request: bench.Request{Kind: bench.KindLook}})
	if err != nil {
		t.Fatal(err)
	}
	for j := (store.Job{}); j.ID != look; {
		if j, err = s.store.ClaimJob(t.Context(), uuid.MustParse(one.ID)); err != nil {
			t.Fatal(err)
		}
	}
	if a := as(one.Token, "POST", "/api/v1/link/jobs/"+look.String()+"/end", map[string]any{"problem": "", "result": map[string]any{"seen": 5}}); kind(a) != "unstorable" {
		t.Errorf("%d %s", a.status, a.body)
	}
	if j, err := s.store.Job(t.Context(), look); err != nil || j.State != "failed" || !strings.Contains(j.Problem, "could not be stored") {
		t.Errorf("%+v, %v", j, err)
	}
	if a := s.do(keeper, "POST", "/api/v1/benches/"+two.ID+"/requests", map[string]string{"kind": "connect", "address": "192.0.2.1:5555"}); kind(a) != "bench-away" {
		t.Errorf("a bench that was never there: %d %s", a.status, a.body)
	}
	if a := s.do(s.signIn("technician"), "POST", "/api/v1/benches", map[string]string{"name": "x"}); a.status != http.StatusForbidden {
		t.Errorf("%d", a.status)
	}
}

// TestFilesForABench hands package files to a bench: people alone give them, the
// bench that they are for alone fetches them, and nothing of them stays.
func TestFilesForABench(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	keeper := s.signIn("maintainer")
	one := decode[struct{ ID, Token string }](s, s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": "one"}), 201)
	two := decode[struct{ ID, Token string }](s, s.do(keeper, "POST", "/api/v1/benches", map[string]string{"name": "two"}), 201)
	spec := phone.PackageSpec{Name: "org.open.keys", Version: "2.0.1", Label: "Open Keys", Owner: true}
	file, to := string(phone.File(spec)), "/api/v1/benches/"+one.ID+"/files"
	read := decode[bench.Taken](s, s.form(keeper, "/api/v1/package-files", map[string]string{"keys.apk": file, "no.apk": "no package file"}), 200)
	if len(read.Packages) != 1 || read.Packages[0].Package != "org.open.keys" || len(read.Packages[0].Signer) != 64 ||
		len(read.Wrong) != 1 || !strings.HasPrefix(read.Wrong[0], "no.apk: ") {
		t.Errorf("%+v", read)
	}
	for what, c := range map[string]struct {
		a    answer
		want int
	}{
		"nobody":        {s.form(nil, to, map[string]string{"keys.apk": file}), 401},
		"another kind":  {s.form(keeper, to, map[string]string{"keys.exe": file}), 422},
		"no form":       {s.do(keeper, "POST", to, file, "application/json"), 422},
		"no file":       {s.form(keeper, to, nil), 422},
		"no such bench": {s.form(keeper, "/api/v1/benches/00000000-0000-7000-8000-000000000000/files", map[string]string{"keys.apk": file}), 404},
	} {
		if c.a.status != c.want {
			t.Errorf("%s: %d %s, want %d", what, c.a.status, c.a.body, c.want)
		}
	}
	made := decode[struct{ Job uuid.UUID }](s, s.form(keeper, to, map[string]string{"keys.apk": file}), 202)
	job, err := s.store.Job(t.Context(), made.Job)
	if err != nil {
		t.Fatal(err)
	}
	var asked bench.Request
	if err := json.Unmarshal(job.Request, &asked); err != nil || len(asked.Files) != 1 || asked.Files[0].Size != int64(len(file)) {
		t.Fatalf("%+v, %v", asked, err)
	}
	at := "/api/v1/link/files/" + asked.Files[0].ID.String()
	if a := s.byToken(two.Token, "GET", at, nil); a.status != 404 {
		t.Errorf("another bench: %d", a.status)
	}
	if a := s.do(keeper, "GET", at, nil); a.status != 401 && a.status != 403 {
		t.Errorf("a person: %d", a.status)
	}
	if a := s.byToken(one.Token, "GET", at, nil); a.status != 200 || string(a.body) != file {
		t.Errorf("%d, %d bytes of %d", a.status, len(a.body), len(file))
	}
	if a := s.byToken(one.Token, "POST", "/api/v1/link/jobs/"+made.Job.String()+"/end", map[string]any{"problem": "", "result": bench.Taken{}}); a.status != 204 {
		t.Fatalf("%d %s", a.status, a.body)
	}
	if a := s.byToken(one.Token, "GET", at, nil); a.status != 404 {
		t.Errorf("fetched, and still there: %d", a.status)
	}
	// What no bench fetches goes within a day.
	decode[struct{ Job uuid.UUID }](s, s.form(keeper, to, map[string]string{"keys.apk": file}), 202)
	conn, err := pgx.Connect(t.Context(), s.database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.WithoutCancel(t.Context()))
	left := func() (n int) {
		if err := s.store.DropHandedFiles(t.Context(), nil); err != nil {
			t.Fatal(err)
		}
		if err := conn.QueryRow(t.Context(), `select count(*)::int from handed_pieces`).Scan(&n); err != nil {
			t.Fatal(err)
		}
		return n
	}
	if left() != 1 {
		t.Error("a file that waits is gone")
	}
	if _, err := conn.Exec(t.Context(), `update handed_files set made_at = now() - interval '25 hours'`); err != nil {
		t.Fatal(err)
	}
	if left() != 0 {
		t.Error("a file that nobody fetched stays")
	}
}
