package cluster_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"roster/faults/sample"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

const (
	databases = 3
	servers   = 2
)

// machines are all parts of an installation, each of which can be killed.
type machines struct {
	*storetest.Cluster
	t       *testing.T
	program string
	// own is a folder of who runs the tests, with what servers keep.
	own string
	// url is where everybody reaches it: the balancer's listener, which stays while
	// the balancer comes and goes.
	url      string
	listener *os.File

	primary  int
	poolers  [databases]func()
	servers  [servers]*exec.Cmd
	ports    [servers]int
	balancer *exec.Cmd
}

// start starts everything, and fills the database with the sample world.
func start(t *testing.T) *machines {
	t.Helper()
	for _, name := range []string{"haproxy", "pgbouncer"} {
		if _, err := exec.LookPath(name); err != nil {
			t.Fatalf("%s is needed: run scripts/test, which installs it", name)
		}
	}
	m := &machines{Cluster: storetest.NewCluster(t), t: t, program: os.Getenv("ROSTER_PROGRAM"), own: t.TempDir()}
	if m.program == "" {
		t.Skip("ROSTER_PROGRAM names no program; run scripts/test")
	}
	m.listen()
	for i := range databases {
		m.addDatabase(i)
	}
	m.Write("people", `"roster" ""`+"\n")
	for i := range databases {
		m.startPooler(i)
	}
	m.fill()
	for i := range servers {
		m.startServer(i)
	}
	t.Cleanup(func() {
		for i := range servers {
			m.kill(m.servers[i])
		}
	})
	m.startBalancer()
	t.Cleanup(func() { m.kill(m.balancer) })
	t.Cleanup(m.showLogs)
	m.until("the installation answers", func() bool { return answers(m.url + "/readyz") })
	return m
}

// packaged is a file of packaging/cluster, with other words in the place of some.
func (m *machines) packaged(name string, instead ...string) string {
	m.t.Helper()
	raw, err := os.ReadFile(filepath.Join("../../packaging/cluster", name))
	if err != nil {
		m.t.Fatal(err)
	}
	for i := 0; i < len(instead); i += 2 {
		if !strings.Contains(string(raw), instead[i]) {
			m.t.Fatalf("packaging/cluster/%s says nothing of %q", name, instead[i])
		}
	}
	return strings.NewReplacer(instead...).Replace(string(raw))
}

func (m *machines) until(what string, true func() bool) {
	m.t.Helper()
	storetest.Until(m.t, what, true)
}

// listen makes the listener that the balancer is handed.
func (m *machines) listen() {
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		m.t.Fatal(err)
	}
	if m.listener, err = ln.(*net.TCPListener).File(); err != nil {
		m.t.Fatal(err)
	}
	m.url = "http://" + ln.Addr().String()
	ln.Close() // the file keeps it
	m.t.Cleanup(func() { m.listener.Close() })
}

// data is the folder of a database, and port the number in its socket's name.
func (m *machines) data(i int) string { return filepath.Join(m.Folder, fmt.Sprint("db", i)) }

func port(i int) int { return 5432 + i }

// hosts is an address with the databases' machines: their poolers, or themselves.
func (m *machines) hosts(first int, rest string) string {
	folders, ports := make([]string, databases), make([]string, databases)
	for i := range databases {
		folders[i], ports[i] = m.Folder, fmt.Sprint(first+i)
	}
	return "postgres:///roster?user=roster&host=" + url.QueryEscape(strings.Join(folders, ",")) + "&port=" + strings.Join(ports, ",") + rest
}

// addDatabase makes the primary, or one that follows it.
func (m *machines) addDatabase(i int) {
	if i == 0 {
		m.Must("initdb", "-D", m.data(0), "-U", "roster", "-A", "trust", "--no-sync", "-E", "UTF8", "--locale=C.UTF-8")
		m.Settings(m.data(0), m.settings(), "max_connections = 100")
	} else {
		m.Must("pg_basebackup", "-h", m.Folder, "-p", fmt.Sprint(port(0)), "-U", "roster", "-D", m.data(i), "--checkpoint=fast", "--no-sync")
		m.follow(i)
	}
	m.Settings(m.data(i), fmt.Sprint("port = ", port(i)))
	m.Start(m.data(i))
	if i == 0 {
		// Until somebody follows, nobody could say that it has anything.
		m.Must("psql", "-h", m.Folder, "-p", fmt.Sprint(port(0)), "-U", "roster", "-d", "postgres",
			"-c", "set synchronous_commit = local", "-c", "create database roster")
	}
}

// settings is what postgresql.conf is told, with the sockets of this installation.
func (m *machines) settings() string {
	return regexp.MustCompile(`host=\S+ port=\S+`).ReplaceAllString(m.packaged("postgresql.conf"),
		fmt.Sprintf("host=%[1]s,%[1]s,%[1]s port=%d,%d,%d", m.Folder, port(0), port(1), port(2)))
}

// follow has a database follow whichever is the primary.
func (m *machines) follow(i int) { m.Write(filepath.Join(fmt.Sprint("db", i), "standby.signal"), "") }

func (m *machines) startPooler(i int) {
	file := m.Write(fmt.Sprintf("pooler%d.ini", i), m.packaged("pgbouncer.ini",
		"host=/run/postgresql port=5432", fmt.Sprintf("host=%s port=%d", m.Folder, port(i)),
		"listen_addr = *", fmt.Sprintf("listen_addr =\nunix_socket_dir = %s\nlogfile = pooler%d.log", m.Folder, i),
		"listen_port = 6432", fmt.Sprint("listen_port = ", 1000+port(i)),
		"scram-sha-256", "trust", "/etc/pgbouncer/userlist.txt", "people"))
	m.poolers[i] = m.Background("pgbouncer", "-q", file)
}

// fill brings the sample world into the primary.
func (m *machines) fill() {
	secret, err := server.ReadSecret(filepath.Join(m.own, "secret"))
	if err != nil {
		m.t.Fatal(err)
	}
	st := m.store()
	if err := st.Migrate(m.t.Context()); err != nil {
		m.t.Fatal(err)
	}
	if err := sample.Fill(m.t.Context(), st, secret); err != nil {
		m.t.Fatal(err)
	}
}

// store opens the primary, whichever it is, past the poolers.
func (m *machines) store() *store.Store {
	m.t.Helper()
	st, err := store.New(m.t.Context(), m.hosts(port(0), "&target_session_attrs=read-write"))
	if err != nil {
		m.t.Fatal(err)
	}
	m.t.Cleanup(st.Close)
	return st
}

// startServer starts a server, and tells the balancer where it is.
func (m *machines) startServer(i int) {
	ready := filepath.Join(m.own, fmt.Sprint("ready", i))
	os.Remove(ready)
	c := exec.Command(m.program, "serve", "--listen", "127.0.0.1:0", "--ready-file", ready, "--adb", "")
	c.Env = append(os.Environ(), "ROSTER_CONFIG=", "ROSTER_LOG=error",
		"ROSTER_DATABASE_URL="+m.hosts(1000+port(0), "&target_session_attrs=read-write"),
		"ROSTER_DATABASE_DIRECT_URL="+m.hosts(port(0), "&target_session_attrs=read-write"),
		"ROSTER_DATABASE_READ_URL="+m.hosts(1000+port(0), ""),
		"ROSTER_SECRET_FILE="+filepath.Join(m.own, "secret"), "ROSTER_BACKUPS="+filepath.Join(m.own, fmt.Sprint("backups", i)),
		"ROSTER_PUBLIC_URL="+m.url, "ROSTER_TRUSTED_PROXIES=127.0.0.1")
	if log, err := os.OpenFile(m.log(i), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600); err == nil {
		c.Stderr = log
		defer log.Close()
	}
	if err := c.Start(); err != nil {
		m.t.Fatal(err)
	}
	m.servers[i] = c
	m.until("a server serves", func() bool {
		var at struct{ URL string }
		raw, err := os.ReadFile(ready)
		if err != nil || json.Unmarshal(raw, &at) != nil {
			return false
		}
		u, err := url.Parse(at.URL)
		if err != nil {
			return false
		}
		_, err = fmt.Sscan(u.Port(), &m.ports[i])
		return err == nil
	})
	if m.balancer != nil {
		m.tellBalancer(i)
	}
}

// startBalancer starts HAProxy on the listener.
func (m *machines) startBalancer() {
	file := filepath.Join(m.own, "haproxy.cfg")
	text := m.packaged("haproxy.cfg", "maxconn 20000", "maxconn 2000", "bind :80", "bind fd@3",
		"/run/haproxy/admin.sock mode 660", m.own+"/admin.sock",
		"10.0.0.11:8420", fmt.Sprint("127.0.0.1:", m.ports[0]), "10.0.0.12:8420", fmt.Sprint("127.0.0.1:", m.ports[1]))
	if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
		m.t.Fatal(err)
	}
	c := exec.Command("haproxy", "-db", "-q", "-f", file)
	c.ExtraFiles, c.Stderr = []*os.File{m.listener}, os.Stderr
	if err := c.Start(); err != nil {
		m.t.Fatal(err)
	}
	m.balancer = c
}

// tellBalancer says where a server is that was started anew.
func (m *machines) tellBalancer(i int) {
	name := []string{"one", "two"}[i]
	for _, backend := range []string{"ready", "alive"} {
		m.askBalancer(fmt.Sprintf("set server %s/%s addr 127.0.0.1 port %d", backend, name, m.ports[i]))
	}
}

// askBalancer asks HAProxy something through its socket; "" where it is away.
func (m *machines) askBalancer(line string) string {
	conn, err := net.Dial("unix", filepath.Join(m.own, "admin.sock"))
	if err != nil {
		return ""
	}
	defer conn.Close()
	fmt.Fprintln(conn, line)
	answer, _ := io.ReadAll(conn)
	return string(answer)
}

// showLogs shows what servers logged, where something was wrong.
func (m *machines) showLogs() {
	for i := range servers {
		if raw, err := os.ReadFile(m.log(i)); err == nil && m.t.Failed() {
			m.t.Logf("server %d said:\n%s", i, raw)
		}
	}
}

func (m *machines) log(i int) string { return filepath.Join(m.own, fmt.Sprintf("server%d.log", i)) }

// kill ends a process at once, as when its machine goes.
func (m *machines) kill(c *exec.Cmd) {
	if c != nil {
		c.Process.Kill()
		_ = c.Wait()
	}
}

// signal is what can be sent to a server's process.
func (m *machines) signal(i int, s syscall.Signal) {
	if err := m.servers[i].Process.Signal(s); err != nil {
		m.t.Error(err)
	}
}

// lose ends a database at once.
func (m *machines) lose(i int) {
	if err := m.Stop(m.data(i)); err != nil {
		m.t.Error(err)
	}
}

// replica is one that follows.
func (m *machines) replica() int { return (m.primary + 1) % databases }

// promote makes the replica the primary that has got furthest.
func (m *machines) promote() {
	best, most := -1, ""
	for i := range databases {
		if i == m.primary {
			continue
		}
		at := m.askDatabase(i, `select lpad((pg_last_wal_receive_lsn() - '0/0')::text, 20, '0')`)
		if at > most {
			best, most = i, at
		}
	}
	m.Must("pg_ctl", "-D", m.data(best), "-w", "promote")
	m.primary = best
	m.askDatabase(best, `checkpoint`) // without one pg_rewind takes it for a replica still
}

// rejoin has a primary of before follow the one of now.
func (m *machines) rejoin(i int) {
	m.Must("pg_rewind", "--target-pgdata="+m.data(i), "--no-sync",
		fmt.Sprintf("--source-server=host=%s port=%d user=roster dbname=postgres", m.Folder, port(m.primary)))
	m.Settings(m.data(i), fmt.Sprint("port = ", port(i))) // the other's was copied along
	m.follow(i)
	m.Start(m.data(i))
}

// askDatabase asks one of them for a text.
func (m *machines) askDatabase(i int, sql string) (answer string) {
	m.t.Helper()
	out, err := exec.Command("psql", "-h", m.Folder, "-p", fmt.Sprint(port(i)), "-U", "roster", "-d", "postgres", "-Atc", sql).Output()
	if err != nil {
		m.t.Fatalf("%s: %v", sql, err)
	}
	return strings.TrimSpace(string(out))
}

func answers(address string) bool {
	c := http.Client{Timeout: 5 * time.Second}
	a, err := c.Get(address)
	if err != nil {
		return false
	}
	a.Body.Close()
	return a.StatusCode == http.StatusOK
}

// whole waits until nothing is missing any more.
func (m *machines) whole() {
	m.t.Helper()
	m.until("both replicas follow", func() bool {
		return m.askDatabase(m.primary, `
			select count(*)
			from pg_stat_replication
			where state = 'streaming' and backend_start < now() - interval '2 seconds'
				and pg_wal_lsn_diff(pg_current_wal_flush_lsn(), replay_lsn) < 1e6`) == fmt.Sprint(databases-1)
	})
	for i := range servers {
		m.until("both servers are ready", func() bool { return answers(fmt.Sprintf("http://127.0.0.1:%d/readyz", m.ports[i])) })
	}
	m.until("the balancer has both servers in both backends", func() bool {
		return strings.Count(m.askBalancer("show stat"), ",UP,") == 2*(servers+1) // and each backend
	})
}
