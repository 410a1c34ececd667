package store_test

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"roster/core/change"
	"roster/store"
)

// TestAuditChain writes entries from many sides at once, then forges the
// record in every way that a database's owner could.
func TestAuditChain(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	var wait sync.WaitGroup
	for i := range 40 {
		wait.Go(func() {
			if err := w.Record(w.ctx, store.Act{Person: w.people["tech"].ID, Action: "test.act", Subject: fmt.Sprint(i), Detail: map[string]any{"b": 1.50, "a": "ä\n<b>"}}); err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	id, ids := w.send("tech", w.edit("com.brannock.p001", change.Description, everywhere, `"x"`))
	w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
	proof, err := w.CheckAudit(w.ctx, "")
	w.must(err)
	if proof.Wrong != "" || proof.Entries < 45 || len(proof.Head) != 64 {
		t.Fatalf("%+v", proof)
	}
	for _, sql := range []string{`
		update audit set action = 'x' where seq = 5`, `
			delete from audit where seq = 5`, `truncate audit`, `
				update history set reason = 'x'`, `delete from history`} {
		if _, err := w.Pool().Exec(w.ctx, sql); err == nil || !strings.Contains(err.Error(), "append-only") {
			t.Errorf("%s: %v", sql, err)
		}
	}
	forge := func(what, sql, want string) {
		t.Helper()
		tx, err := w.Pool().Begin(w.ctx)
		w.must(err)
		for _, sql := range []string{`alter table audit disable trigger all`, sql, `alter table audit enable trigger all`} {
			if _, err := tx.Exec(w.ctx, sql); err != nil {
				t.Fatal(err)
			}
		}
		w.must(tx.Commit(w.ctx))
		got, err := w.CheckAudit(w.ctx, proof.Head)
		if err != nil || !strings.Contains(got.Wrong, want) {
			t.Errorf("%s: %+v, %v", what, got, err)
		}
	}
	forge("an altered action", `update audit set action = 'test.other' where seq = 12`, "entry 12")
	forge("put right again", `update audit set action = 'test.act' where seq = 12`, "")
	forge("an altered time", `update audit set at = at + interval '1 microsecond' where seq = 13`, "entry 13")
	forge("put right again", `update audit set at = at - interval '1 microsecond' where seq = 13`, "")
	forge("the end cut off", fmt.Sprintf(`delete from audit where seq > %d`, proof.Entries-2), "cut off")
	forge("an altered detail", `update audit set detail = '{"a":"other"}' where seq = 14`, "entry 14")
	forge("a gap", `delete from audit where seq = 6`, "entry 6 is missing")
}
