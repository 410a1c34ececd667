package server_test

import (
	"archive/zip"
	"bytes"
	"io"
	"log/slog"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"roster/bench"
	"roster/bench/adb/adbtest"
	"roster/phone"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

func zipOf(t *testing.T, entries ...string) string {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i+1 < len(entries); i += 2 {
		w, err := z.Create(entries[i])
		if err != nil {
			t.Fatal(err)
		}
		io.WriteString(w, entries[i+1])
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

// TestUploadsFromEverywhere sends the same phone in every form, and things
// that are none.
func TestUploadsFromEverywhere(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	cookie := s.signIn("technician")
	const list = "package:/system/app/A/A.apk=com.example.a versionCode:1\n"
	powershell := "\xff\xfe"
	for _, u := range utf16.Encode([]rune(props + list)) {
		powershell += string([]byte{byte(u), byte(u >> 8)})
	}
	report := "== dumpstate: 2026\nPRIVATE\n------ SYSTEM PROPERTIES (getprop) ------\n" + props + "------ 1s ------\nDUMP OF SERVICE package:\nPackages:\n  Package [com.example.a] (1):\n    codePath=/system/app/A\n    versionCode=1 minSdk=1 targetSdk=1\n    flags=[ SYSTEM ]\n    User 0: installed=true enabled=0\n\n--------- x\n"
	ids := map[string]string{}
	for _, what := range []string{"pasted", "zipped", "from PowerShell", "again"} {
		files := map[string]map[string]string{
			"pasted":          {"pasted text": "$ getprop\n" + props + "$ pm list packages -u -f --show-versioncode\n" + list},
			"zipped":          {"all.zip": zipOf(t, "x/getprop.txt", props, "../../list.txt", list)},
			"from PowerShell": {"out.txt": powershell},
			"again":           {"p.txt": props, "l.txt": list},
		}[what]
		a := s.upload(cookie, files)
		got := decode[struct {
			ID       string
			Packages int
			Complete bool
			Known    bool
			Missing  string
		}](s, a, 201)
		if got.Packages != 1 || !got.Complete || got.Known != (len(ids) > 0) {
			t.Errorf("%s: %s", what, a.body)
		}
		ids[got.ID] = what
	}
	if len(ids) != 1 {
		t.Errorf("one phone became %d captures: %v", len(ids), ids)
	}
	a := s.upload(cookie, map[string]string{"bugreport.zip": zipOf(t, "main_entry.txt", "bugreport-x.txt", "bugreport-x.txt", report, "FS/data/x", "PRIVATE")})
	if a.status != 201 || bytes.Contains(a.body, []byte("PRIVATE")) {
		t.Errorf("%d %s", a.status, a.body)
	}
	id := decode[id](s, a, 201).ID
	if c := s.do(cookie, "GET", "/api/v1/captures/"+id, nil); bytes.Contains(c.body, []byte("PRIVATE")) {
		t.Errorf("%s", c.body)
	}
	for what, files := range map[string]map[string]string{
		"inside a zip":   {"x.zip": zipOf(t, "in.zip", zipOf(t, "p", props))},
		"damaged":        {"x.zip": "PK\x03\x04 and no more"},
		"unpacks to far": {"x.zip": zipOf(t, "p", props+strings.Repeat(strings.Repeat("x", 99)+"\n", 100_000))},
		"package names":  {"c.json": `{"format":"roster-capture/1","identity":{"fingerprint":"a/b/c:1/d/e:f/g","manufacturer":"m","device":"d"},"packages":[{"name":"a;reboot"}]}`},
	} {
		a := s.upload(cookie, files)
		if a.status != 422 || !strings.Contains(string(a.body), "Nothing was stored") {
			t.Errorf("%s: %d %.300s", what, a.status, a.body)
		}
	}
	if a := s.do(cookie, "POST", "/api/v1/opened", map[string]string{"text": "START u0 {cat=[android.intent.category.LAUNCHER] cmp=com.example.a/.Main}"}); !strings.Contains(string(a.body), `"package":"com.example.a"`) {
		t.Errorf("%s", a.body)
	}
	if a := s.do(nil, "GET", "/schema/capture.json", nil); a.status != 200 || !strings.Contains(a.header.Get("Content-Type"), "schema+json") {
		t.Errorf("%d", a.status)
	}
}

// TestTwoServers asks on one server for what a bench on the other one does.
func TestTwoServers(t *testing.T) {
	t.Parallel()
	address := storetest.URL(t)
	client := adbtest.Start(t)
	secret, err := server.ReadSecret(filepath.Join(t.TempDir(), "secret"))
	if err != nil {
		t.Fatal(err)
	}
	p, phoneAt := (&site{t: t}).standIn(func(*phone.Scenario) {})
	hand := httptest.NewServer(p.Hand())
	t.Cleanup(hand.Close)
	start := func(adb string, hands []bench.HandAt) *site {
		st, err := store.NewWith(t.Context(), address, store.Options{Connections: connections})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(st.Close)
		if err := st.Migrate(t.Context()); err != nil {
			t.Fatal(err)
		}
		s := &site{t: t, store: st, server: server.New(server.Config{Store: st, Secret: secret, Log: slog.New(slog.DiscardHandler), ADB: adb, StandIns: hands})}
		s.http = serve(t, s.server)
		return s
	}
	with := start(client.Address, []bench.HandAt{{Address: phoneAt, Control: hand.Listener.Addr().String()}})
	without := start("", nil)
	hash, err := cheapPasswords.Hash(password)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := with.store.AddPerson(t.Context(), "technician", "technician", "technician", hash); err != nil {
		t.Fatal(err)
	}
	cookie := without.signIn("technician")
	at := without.find(cookie, phoneAt, identified)
	done := make(chan jobState, 1)
	job := without.startCapture(cookie, at)
	go func() {
		late, _ := with.follow(cookie, job) // somebody looks on the other server
		done <- late
	}()
	last, _ := without.follow(cookie, job)
	if last.State != "done" || last.Result == nil || last.Result.Packages != wantPackages {
		t.Fatalf("%+v", last)
	}
	select {
	case late := <-done:
		if late.State != "done" {
			t.Errorf("%+v", late)
		}
	case <-time.After(3 * time.Minute):
		t.Error("the other server never told the end")
	}
	if a := without.do(cookie, "GET", "/api/v1/captures/"+last.Result.ID+"/intake", nil); a.status != 200 {
		t.Errorf("%d %s", a.status, a.body)
	}
}
