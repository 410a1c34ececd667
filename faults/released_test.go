package faults_test

import (
	"encoding/json"
	"flag"
	"io"
	"log/slog"
	"maps"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/andybalholm/brotli"

	"roster/faults/sample"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

var keep = flag.String("keep", "", "the version of a release of which the sample world's database is kept, for later programs to upgrade")

// TestUpgradeFromReleases upgrades the database of each released version: nothing
// of it is lost, and everything can be read and written.
func TestUpgradeFromReleases(t *testing.T) {
	t.Parallel()
	if *keep != "" {
		keepDatabase(t, sample.Open(t).URL, filepath.Join("testdata/released", *keep+".sql.br"))
	}
	files, err := filepath.Glob("testdata/released/*.sql.br")
	if err != nil || len(files) == 0 {
		t.Fatalf("%v, %v", files, err)
	}
	for _, file := range files {
		t.Run(filepath.Base(file), func(t *testing.T) {
			t.Parallel()
			upgradeFrom(t, file)
		})
	}
}

func upgradeFrom(t *testing.T, file string) {
	in := sample.Open(t)
	address := storetest.Bare(t)
	f, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	psql := exec.Command("psql", "--no-psqlrc", "--quiet", "--set=ON_ERROR_STOP=1", "--output=/dev/null", address)
	psql.Stdin = brotli.NewReader(f)
	if out, err := psql.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, out)
	}
	st, err := store.New(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	if err := st.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	if a, b := schemaOf(t, address), schemaOf(t, in.URL); a != b {
		t.Error("it has other tables than a new installation: was a migration changed that had been released?")
	}
	proof, err := st.CheckAudit(t.Context(), "")
	if err != nil || proof.Entries < 100 || proof.Wrong != "" {
		t.Errorf("the record: %+v, %v", proof, err)
	}
	s := server.New(server.Config{Store: st, Secret: in.Secret, Log: slog.New(slog.DiscardHandler)})
	h := httptest.NewServer(s)
	t.Cleanup(func() { s.Close(); h.Close() })
	w := &walker{t: t, base: h.URL, refused: map[int]int{}}
	w.readAll()
	for path, want := range map[string]string{
		"/api/v1/ledger?maker=brannock&model=lyra-5": `"name":"com.brannock.tips"`, "/api/v1/desk": `"key"`,
		"/api/v1/runs": `"edition":"short-loan"`, "/api/v1/releases": "short-loan",
		"/r/brannock/lyra-5/short-loan/2.json": `"steps"`, "/r/brannock/lyra-5/short-loan/2.json.minisig": "untrusted comment",
	} {
		if status, raw := w.ask("GET", path, nil, nil); status != 200 || !strings.Contains(string(raw), want) {
			t.Errorf("%s: %d %.300s", path, status, raw)
		}
	}
	status, raw := w.ask("POST", "/api/v1/tray/edits", []byte(`{"edits":[{"package":"com.brannock.tips","field":"description","value":"Hints."}]}`), nil)
	if status != 201 && status != 200 {
		t.Errorf("an edit: %d %.300s", status, raw)
	}
}

// schemaOf is a database's tables and functions, as statements.
func schemaOf(t *testing.T, address string) string {
	t.Helper()
	out, err := exec.Command("pg_dump", "--schema-only", "--no-owner", "--no-privileges", address).Output()
	if err != nil {
		t.Fatal(err)
	}
	return regexp.MustCompile(`(?m)^\\(un)?restrict .*$`).ReplaceAllString(string(out), "") // differs each time
}

// readAll asks every route that takes nothing but asking.
func (w *walker) readAll() {
	w.t.Helper()
	raw, err := server.Describe("test")
	if err == nil {
		err = json.Unmarshal(raw, &w.d)
	}
	if err != nil {
		w.t.Fatal(err)
	}
	w.signIn()
	n := 0
	for _, path := range slices.Sorted(maps.Keys(w.d.Paths)) {
		if _, reads := w.d.Paths[path]["get"]; reads && !strings.Contains(path, "{") && !strings.HasPrefix(path, "/api/v1/link/") {
			w.ask("GET", path, nil, nil)
			n++
		}
	}
	if n < 30 {
		w.t.Errorf("%d routes", n)
	}
}

// keepDatabase writes a database to a file, as statements.
func keepDatabase(t *testing.T, address, file string) {
	t.Helper()
	f, err := os.Create(file)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	to := brotli.NewWriterOptions(f, brotli.WriterOptions{Quality: 11, LGWin: 24})
	dump := exec.Command("pg_dump", "--no-owner", "--no-privileges", address)
	out, err := dump.StdoutPipe()
	if err == nil {
		err = dump.Start()
	}
	if err != nil {
		t.Fatal(err)
	}
	if _, err := io.Copy(to, out); err != nil {
		t.Fatal(err)
	}
	if err := dump.Wait(); err != nil {
		t.Fatal(err)
	}
	if err := to.Close(); err != nil {
		t.Fatal(err)
	}
}
