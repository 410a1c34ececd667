package backup_test

import (
	"context"
	"errors"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"roster/core/people"
	"roster/store"
	"roster/store/storetest"
)

// cluster is a PostgreSQL of a test's own that hears a socket in its folder. As
// root it runs as the user postgres, since it refuses to run as root.
type cluster struct {
	*testing.T
	folder, bin string
	as          *syscall.Credential
}

func newCluster(t *testing.T) *cluster {
	t.Helper()
	storetest.Bare(t) // where there is no PostgreSQL for tests, there is none for this
	found, err := filepath.Glob("/usr/lib/postgresql/*/bin/initdb")
	if err != nil || len(found) == 0 {
		t.Skip("no initdb of Debian's is here")
	}
	slices.Sort(found)
	// In a short path of its own: sockets take no long ones, and its user may not
	// enter a test's folder.
	folder, err := os.MkdirTemp("/var/tmp", "roster-pg-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	c := &cluster{T: t, folder: folder, bin: filepath.Dir(found[len(found)-1])}
	if os.Geteuid() == 0 {
		u, err := user.Lookup("postgres")
		if err != nil {
			t.Skip("there is no user postgres")
		}
		uid, _ := strconv.Atoi(u.Uid)
		gid, _ := strconv.Atoi(u.Gid)
		c.as = &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}
		if err := os.Chown(folder, uid, gid); err != nil {
			t.Fatal(err)
		}
	}
	return c
}

// run runs a program as the cluster's user.
func (c *cluster) run(program string, args ...string) error {
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.Env = c.folder, append(os.Environ(), "LC_ALL=C.UTF-8", "HOME="+c.folder)
	if c.as != nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: c.as}
	}
	out, err := cmd.CombinedOutput()
	if err != nil {
		return errors.New(filepath.Base(program) + ": " + err.Error() + ": " + string(out))
	}
	return nil
}

func (c *cluster) must(program string, args ...string) {
	c.Helper()
	if !filepath.IsAbs(program) {
		program = filepath.Join(c.bin, program)
	}
	if err := c.run(program, args...); err != nil {
		c.Fatal(err)
	}
}

func (c *cluster) start(data string) {
	c.Helper()
	c.must("pg_ctl", "-D", data, "-w", "-t", "120", "-l", data+".log", "-o", "-c listen_addresses='' -c fsync=off -k "+c.folder, "start")
	c.Cleanup(func() { _ = c.run(filepath.Join(c.bin, "pg_ctl"), "-D", data, "-m", "immediate", "stop") })
}

// database is the address of a database through the socket.
func (c *cluster) database(name string) string {
	return "postgres:///" + name + "?host=" + url.QueryEscape(c.folder) + "&user=roster"
}

func (c *cluster) ask(sql string) (answer string) {
	c.Helper()
	conn, err := pgx.Connect(c.Context(), c.database("postgres"))
	if err != nil {
		c.Fatal(err)
	}
	defer conn.Close(context.Background())
	if err := conn.QueryRow(c.Context(), sql).Scan(&answer); err != nil {
		c.Fatal(err)
	}
	return answer
}

// TestPointInTime does what docs/operations.md says of PostgreSQL's own archiving:
// what was accepted after the base backup is there again, and what was done after
// the moment that one goes back to is not.
func TestPointInTime(t *testing.T) {
	t.Parallel()
	c := newCluster(t)
	data, wal, base := filepath.Join(c.folder, "data"), filepath.Join(c.folder, "wal"), filepath.Join(c.folder, "base")
	c.must("initdb", "-D", data, "-U", "roster", "-A", "trust", "--no-sync", "-E", "UTF8", "--locale=C.UTF-8")
	c.must("/bin/mkdir", wal)
	c.settings(data, "archive_mode = on", "archive_command = 'test ! -f "+wal+"/%f && cp %p "+wal+"/%f'", "wal_level = replica")
	c.start(data)
	c.must("createdb", "-h", c.folder, "-U", "roster", "roster")
	w := world{T: t}
	w.Database = c.database("roster")
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
	c.must("pg_basebackup", "-h", c.folder, "-U", "roster", "-D", base, "--checkpoint=fast", "--no-sync")
	add("after")
	moment := c.ask(`select clock_timestamp()::text`)
	add("mistake")
	// The disk is lost once all of it was archived.
	segment := c.ask(`select pg_walfile_name(pg_current_wal_lsn())`)
	c.ask(`select pg_switch_wal()::text`)
	for end := time.Now().Add(time.Minute); ; time.Sleep(50 * time.Millisecond) {
		if _, err := os.Stat(filepath.Join(wal, segment)); err == nil {
			break
		}
		if time.Now().After(end) {
			t.Fatal("it was never archived")
		}
	}
	c.must("pg_ctl", "-D", data, "-m", "immediate", "-w", "stop")
	if err := os.RemoveAll(data); err != nil {
		t.Fatal(err)
	}

	c.settings(base, "restore_command = 'cp "+wal+"/%f %p'", "recovery_target_time = '"+moment+"'", "recovery_target_action = promote", "archive_mode = off")
	c.must("/usr/bin/touch", filepath.Join(base, "recovery.signal"))
	c.start(base)
	recovering := `select pg_is_in_recovery()::text`
	for end := time.Now().Add(time.Minute); c.ask(recovering) == "true"; time.Sleep(50 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatal("it never came back")
		}
	}
	if !w.hasPerson("before") || !w.hasPerson("after") || w.hasPerson("mistake") {
		t.Errorf("before %t, after %t, mistake %t", w.hasPerson("before"), w.hasPerson("after"), w.hasPerson("mistake"))
	}
	w.with(func(st *store.Store) {
		if proof, err := st.CheckAudit(t.Context(), ""); err != nil || proof.Wrong != "" || proof.Entries < 2 {
			t.Errorf("the record: %+v, %v", proof, err)
		}
	})
}

// settings adds to a cluster's settings.
func (c *cluster) settings(data string, lines ...string) {
	c.Helper()
	file, err := os.OpenFile(filepath.Join(data, "postgresql.conf"), os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		c.Fatal(err)
	}
	defer file.Close()
	if _, err := file.WriteString("\n" + strings.Join(lines, "\n") + "\n"); err != nil {
		c.Fatal(err)
	}
}
