package faults_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/jackc/pgx/v5"

	"roster/faults/sample"
	"roster/retry"
	"roster/server"
	"roster/store/storetest"
)

// addToEveryTable does to a database what a newer program's migration does that
// only adds: another column, in one table after the other, as they are let to it.
func addToEveryTable(t *testing.T, address, name string) {
	t.Helper()
	db, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(t.Context())
	rows, err := db.Query(t.Context(), `select format('alter table %s add %I int', oid::regclass, $1::text)
		from pg_class where relkind in ('r', 'p') and relnamespace = 'public'::regnamespace and not relispartition order by relname`, name)
	if err != nil {
		t.Fatal(err)
	}
	statements, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err == nil && len(statements) < 40 {
		err = fmt.Errorf("%d tables", len(statements))
	}
	for _, statement := range append(statements, `update schema_version set version = version + 1`) {
		if err != nil {
			t.Fatal(err)
		}
		err = retry.Do(t.Context(), retry.Brisk, func() error {
			_, err := db.Exec(t.Context(), `set lock_timeout = '300ms'; `+statement)
			return err
		}, nil)
	}
}

// TestUpgradeUnderLoad has people read and write by a server while a newer program
// brings its database further: nothing goes wrong but what passes, and nothing that
// was accepted is lost. Once that takes something away, the server ends its work.
func TestUpgradeUnderLoad(t *testing.T) {
	t.Parallel()
	in := sample.Open(t)
	s := server.New(server.Config{Store: in.Store, Secret: in.Secret, Log: slog.New(slog.DiscardHandler)})
	h := httptest.NewServer(s)
	t.Cleanup(func() { s.Close(); h.Close() })
	u := &underLoad{base: h.URL}
	w := &walker{t: t, base: h.URL}
	w.signIn()
	u.cookie = w.cookie
	var working sync.WaitGroup
	for n := range 6 {
		working.Go(func() {
			for i := 0; !u.over.Load() && !t.Failed(); i++ {
				u.once(t, fmt.Sprintf("hint %d of %d.", i, n))
			}
		})
	}
	storetest.Until(t, "everybody works", func() bool { return u.answered.Load() > 60 })
	for n := range 3 {
		addToEveryTable(t, in.URL, fmt.Sprintf("newer_%d", n))
		before := u.answered.Load()
		storetest.Until(t, "everybody works on", func() bool { return u.answered.Load() > before+60 || t.Failed() })
	}
	u.over.Store(true)
	working.Wait()
	if u.answered.Load() < 240 || u.stored.Load() == 0 {
		t.Errorf("%d answers, %d edits: nobody worked", u.answered.Load(), u.stored.Load())
	}
	t.Logf("%d answers, %d of them later; %d edits", u.answered.Load(), u.later.Load(), u.stored.Load())
	if status, raw := u.ask(t, "GET", "/readyz", nil); status != http.StatusOK {
		t.Errorf("it is ready beside a newer program: %d %s", status, raw)
	}

	db, err := pgx.Connect(t.Context(), in.URL)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(t.Context())
	_, err = db.Exec(t.Context(), `
		begin;
		drop table drafts cascade;
		update schema_version set version = version + 1, least = version + 1;
		commit`)
	if err != nil {
		t.Fatal(err)
	}
	storetest.Until(t, "the older server ends its work", func() bool {
		status, raw := u.ask(t, "GET", "/api/v1/desk", nil)
		return status == http.StatusServiceUnavailable && bytes.Contains(raw, []byte("program-too-old"))
	})
}

// underLoad asks a server as people do.
type underLoad struct {
	base                    string
	cookie                  *http.Cookie
	over                    atomic.Bool
	answered, later, stored atomic.Int64
}

var readAlways = []string{
	"/api/v1/desk", "/api/v1/ledger?maker=brannock&model=lyra-5", "/api/v1/packages/com.brannock.tips",
	"/api/v1/changes?state=sent", "/api/v1/profiles", "/api/v1/runs", "/api/v1/releases",
	"/api/v1/people", "/api/v1/news", "/api/v1/tray", "/api/v1/audit", "/api/v1/week", "/r/brannock/lyra-5/quiet-phone", "/coverage",
}

// once reads everything once and writes an edit, which then stands in the tray.
func (u *underLoad) once(t *testing.T, words string) {
	for _, path := range readAlways {
		u.untilAnswered(t, "GET", path, nil)
	}
	body, err := json.Marshal(map[string]any{"edits": []any{map[string]any{"package": "com.brannock.tips", "field": "description", "value": words}}})
	if err != nil {
		t.Error(err)
		return
	}
	u.untilAnswered(t, "POST", "/api/v1/tray/edits", body)
	u.stored.Add(1)
}

// untilAnswered asks again where it was told to.
func (u *underLoad) untilAnswered(t *testing.T, method, path string, body []byte) {
	for range 20 {
		status, raw := u.ask(t, method, path, body)
		switch {
		case status == http.StatusServiceUnavailable && bytes.Contains(raw, []byte("busy")):
			u.later.Add(1)
			continue
		case status >= 400:
			t.Errorf("%s %s: %d %.300s", method, path, status, raw)
		}
		u.answered.Add(1)
		return
	}
	t.Errorf("%s %s: busy for ever", method, path)
}

func (u *underLoad) ask(t *testing.T, method, path string, body []byte) (int, []byte) {
	r, err := http.NewRequestWithContext(t.Context(), method, u.base+path, bytes.NewReader(body))
	if err != nil {
		t.Error(err)
		return 0, nil
	}
	r.Header.Set("Content-Type", "application/json")
	r.AddCookie(u.cookie)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Error(err)
		return 0, nil
	}
	defer answer.Body.Close()
	raw, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Error(err)
	}
	return answer.StatusCode, raw
}
