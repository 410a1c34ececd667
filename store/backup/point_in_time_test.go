package backup_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"roster/core/people"
	"roster/store"
	"roster/store/storetest"
)

// TestPointInTime does what docs/operations.md says of PostgreSQL's own archiving:
// what was accepted after the base backup is there again, and what was done after
// the moment that one goes back to is not.
func TestPointInTime(t *testing.T) {
	t.Parallel()
	c := storetest.NewCluster(t)
	data, wal, base := filepath.Join(c.Folder, "data"), filepath.Join(c.Folder, "wal"), filepath.Join(c.Folder, "base")
	c.Must("initdb", "-D", data, "-U", "roster", "-A", "trust", "--no-sync", "-E", "UTF8", "--locale=C.UTF-8")
	c.Must("/bin/mkdir", wal)
	archive := strings.ReplaceAll("test ! -f WAL/%f && cp %p WAL/%f.part && mv WAL/%f.part WAL/%f", "WAL", wal)
	c.Settings(data, "archive_mode = on", "archive_command = '"+archive+"'", "wal_level = replica")
	c.Start(data)
	c.Must("createdb", "-h", c.Folder, "-U", "roster", "roster")
	w := world{T: t}
	w.Database = c.Database("roster")
	w.with(func(st *store.Store) {
		if err := st.Migrate(t.Context()); err != nil {
			t.Fatal(err)
		}
	})
	add := func(login string) {
		w.with(func(st *store.Store) {
			if _, err := st.AddPerson(t.Context(), login, login, people.Keeper, ""); err != nil {
				t.Fatal(err)
			}
		})
	}
	add("before")
	c.Must("pg_basebackup", "-h", c.Folder, "-U", "roster", "-D", base, "--checkpoint=fast", "--no-sync")
	add("after")
	moment := c.Ask(`select clock_timestamp()::text`)
	add("mistake")
	// The disk is lost once all of it was archived.
	segment := c.Ask(`select pg_walfile_name(pg_current_wal_lsn())`)
	c.Ask(`select pg_switch_wal()::text`)
	storetest.Until(t, "all of it is archived", func() bool {
		_, err := os.Stat(filepath.Join(wal, segment))
		return err == nil
	})
	c.Must("pg_ctl", "-D", data, "-m", "immediate", "-w", "stop")
	if err := os.RemoveAll(data); err != nil {
		t.Fatal(err)
	}

	c.Settings(base, "restore_command = 'cp "+wal+"/%f %p'", "recovery_target_time = '"+moment+"'", "recovery_target_action = promote", "archive_mode = off")
	c.Must("/usr/bin/touch", filepath.Join(base, "recovery.signal"))
	c.Start(base)
	storetest.Until(t, "it is back", func() bool { return c.Ask(`select pg_is_in_recovery()::text`) == "false" })
	if !w.hasPerson("before") || !w.hasPerson("after") || w.hasPerson("mistake") {
		t.Errorf("before %t, after %t, mistake %t", w.hasPerson("before"), w.hasPerson("after"), w.hasPerson("mistake"))
	}
	w.with(func(st *store.Store) {
		if proof, err := st.CheckAudit(t.Context(), ""); err != nil || proof.Wrong != "" || proof.Entries < 2 {
			t.Errorf("the record: %+v, %v", proof, err)
		}
	})
}
