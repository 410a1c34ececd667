package storetest

import (
	"context"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
)

// Pooler runs a pooler before the database at address until the test ends, and
// returns the address through it. It lends each of few connections for one
// transaction.
func Pooler(t *testing.T, address string, connections int) string {
	t.Helper()
	program, err := exec.LookPath("pgbouncer")
	if err != nil {
		t.Skip("there is no pgbouncer")
	}
	at, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	host, port := at.Hostname(), at.Port()
	if in := at.Query().Get("host"); in != "" {
		host, port = in, at.Query().Get("port")
	}
	c := NewCluster(t) // its folder, and its user: it refuses to run as root, too
	file := filepath.Join(c.Folder, "pooler.ini")
	c.write(filepath.Join(c.Folder, "people"), `"roster" ""`+"\n")
	c.write(file, fmt.Sprintf(`[databases]
* = host=%s port=%s
[pgbouncer]
pool_mode = transaction
default_pool_size = %d
max_client_conn = 200
auth_type = trust
auth_file = people
listen_addr =
unix_socket_dir = %s
logfile = pooler.log
`, host, port, connections, c.Folder))
	cmd := exec.CommandContext(context.WithoutCancel(t.Context()), program, "-q", file)
	cmd.Dir = c.Folder
	if c.as != nil {
		cmd.SysProcAttr = &syscall.SysProcAttr{Credential: c.as}
	}
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { cmd.Process.Kill(); _ = cmd.Wait() })
	Until(t, "the pooler answers", func() bool {
		conn, err := net.Dial("unix", filepath.Join(c.Folder, ".s.PGSQL.6432"))
		if err == nil {
			conn.Close()
		}
		return err == nil
	})
	return "postgres://" + at.Path + "?host=" + url.QueryEscape(c.Folder) + "&port=6432&user=roster&sslmode=disable"
}

// write writes a file that the cluster's user may read.
func (c *Cluster) write(file, text string) {
	c.Helper()
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		c.Fatal(err)
	}
}
