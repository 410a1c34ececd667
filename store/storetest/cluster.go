package storetest

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
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// Cluster is a PostgreSQL of a test's own that hears a socket in its folder. As
// root it runs as the user postgres, since it refuses to run as root.
type Cluster struct {
	*testing.T
	// Folder is where all of it lies, and the socket.
	Folder string
	bin    string
	as     *syscall.Credential
}

// NewCluster finds the programs for one; nothing runs yet.
func NewCluster(t *testing.T) *Cluster {
	t.Helper()
	cluster(t) // where there is no PostgreSQL for tests, there is none for this
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
	c := &Cluster{T: t, Folder: folder, bin: filepath.Dir(found[len(found)-1])}
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

// command is a program that runs as the cluster's user.
func (c *Cluster) command(program string, args ...string) *exec.Cmd {
	cmd := exec.Command(program, args...)
	cmd.Dir, cmd.Env = c.Folder, append(os.Environ(), "LC_ALL=C.UTF-8", "HOME="+c.Folder)
	if c.as != nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: c.as}
	}
	return cmd
}

func (c *Cluster) run(program string, args ...string) error {
	out, err := c.command(program, args...).CombinedOutput()
	if err != nil {
		return errors.New(filepath.Base(program) + ": " + err.Error() + ": " + string(out))
	}
	return nil
}

// Must runs one of PostgreSQL's programs, or one by its whole path.
func (c *Cluster) Must(program string, args ...string) {
	c.Helper()
	if !filepath.IsAbs(program) {
		program = filepath.Join(c.bin, program)
	}
	if err := c.run(program, args...); err != nil {
		c.Fatal(err)
	}
}

// Start starts the cluster of a data folder; the test's end stops it.
func (c *Cluster) Start(data string) {
	c.Helper()
	err := c.run(filepath.Join(c.bin, "pg_ctl"), "-D", data, "-w", "-t", "120", "-l", data+".log",
		"-o", "-c listen_addresses='' -c fsync=off -k "+c.Folder, "start")
	if err != nil {
		log, _ := os.ReadFile(data + ".log")
		c.Fatalf("%v\n%s", err, log[max(0, len(log)-4000):])
	}
	c.Cleanup(func() { _ = c.Stop(data) })
}

// Stop stops it at once, as when its machine goes.
func (c *Cluster) Stop(data string) error {
	return c.run(filepath.Join(c.bin, "pg_ctl"), "-D", data, "-m", "immediate", "-w", "stop")
}

// Background starts a program as the cluster's user, until the returned function
// is called or the test ends.
func (c *Cluster) Background(program string, args ...string) (end func()) {
	c.Helper()
	cmd := c.command(program, args...)
	if err := cmd.Start(); err != nil {
		c.Fatal(err)
	}
	end = sync.OnceFunc(func() { cmd.Process.Kill(); _ = cmd.Wait() })
	c.Cleanup(end)
	return end
}

// Write writes a file into the cluster's folder, and returns its path.
func (c *Cluster) Write(name, text string) string {
	c.Helper()
	file := filepath.Join(c.Folder, name)
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		c.Fatal(err)
	}
	return file
}

// Database is the address of a database through the socket.
func (c *Cluster) Database(name string) string {
	return "postgres:///" + name + "?host=" + url.QueryEscape(c.Folder) + "&user=roster"
}

// Ask asks for one value of type text.
func (c *Cluster) Ask(sql string) (answer string) {
	c.Helper()
	conn, err := pgx.Connect(c.Context(), c.Database("postgres"))
	if err != nil {
		c.Fatal(err)
	}
	defer conn.Close(context.Background())
	if err := conn.QueryRow(c.Context(), sql).Scan(&answer); err != nil {
		c.Fatal(err)
	}
	return answer
}

// Settings adds to a cluster's settings.
func (c *Cluster) Settings(data string, lines ...string) {
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

// Until waits for a condition, with a limit of minutes; what names it.
func Until(t testing.TB, what string, true func() bool) {
	t.Helper()
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	for late := time.After(2 * time.Minute); !true(); {
		select {
		case <-tick.C:
		case <-late:
			t.Fatalf("never: %s", what)
		}
	}
}
