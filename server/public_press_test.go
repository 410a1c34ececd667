package server_test

import (
	"context"
	"net/http"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"

	"roster/store/storetest"
)

// TestPagesAreWrittenOnce has many ask for a page that can't be written yet: one
// connection waits for it, and the others work on. What is only sent, and not
// decided, has no page written anew.
func TestPagesAreWrittenOnce(t *testing.T) {
	t.Parallel()
	s := withPeople(t)
	technician, reviewer := s.signIn("technician"), s.signIn("reviewer")
	// A capture has coverage counted a while later, and pages written anew for it.
	told := s.listen("keeper")
	build := s.captured(technician)
	for told() != "cover" {
	}
	conn, err := pgx.Connect(t.Context(), s.database)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.WithoutCancel(t.Context()))
	locked := func(while func()) {
		t.Helper()
		err := pgx.BeginFunc(t.Context(), conn, func(tx pgx.Tx) error {
			if _, err := tx.Exec(t.Context(), `lock table releases in access exclusive mode`); err != nil {
				return err
			}
			while()
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	waits := func() (n int) {
		err := conn.QueryRow(t.Context(), `
			select count(*) from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock'`).Scan(&n)
		if err != nil {
			t.Error(err)
		}
		return n
	}
	var asking sync.WaitGroup
	locked(func() {
		for range 20 {
			asking.Go(func() {
				if a := s.do(nil, "GET", "/r", nil); a.status != http.StatusOK {
					t.Errorf("%d %.200s", a.status, a.body)
				}
			})
		}
		storetest.Until(t, "the page waits", func() bool { return waits() > 0 })
		for range 5 { // with the second of two connections
			get[struct{}](s, technician, "/api/v1/session")
		}
		if n := waits(); n != 1 {
			t.Errorf("%d connections wait for one page", n)
		}
	})
	asking.Wait()

	edits := map[string]any{"edits": []any{trialEdit("com.brannock.tips", build, "called:x", "clean")}}
	added := decode[items[string]](s, s.do(technician, "POST", "/api/v1/tray/edits", edits), 201)
	page := func() (waited bool) {
		t.Helper()
		locked(func() {
			asked := make(chan struct{})
			asking.Go(func() { s.do(nil, "GET", "/r", nil); close(asked) })
			storetest.Until(t, "the page is there, or waits", func() bool {
				select {
				case <-asked:
					return true
				default:
					waited = waits() > 0
					return waited
				}
			})
		})
		asking.Wait()
		return waited
	}
	change := decode[id](s, s.do(technician, "POST", "/api/v1/changes", map[string]any{"title": "x", "edits": added.Items}), 201)
	// A comment is heard after the sending was.
	decode[struct{}](s, s.do(technician, "POST", "/api/v1/changes/"+change.ID+"/comments", map[string]string{"text": "look"}), 201)
	if page() {
		t.Error("what was only sent has a public page written anew")
	}
	decisions := map[string]any{"decisions": []any{map[string]string{"edit": added.Items[0], "verdict": "accepted"}}}
	s.do(reviewer, "POST", "/api/v1/changes/"+change.ID+"/decisions", decisions, "If-Match", `"1"`)
	storetest.Until(t, "what was decided has it written anew", page)
}
