package storetest

import (
	"fmt"
	"net"
	"net/url"
	"os/exec"
	"path/filepath"
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
	c.Write("people", `"roster" ""`+"\n")
	c.Background(program, "-q", c.Write("pooler.ini", fmt.Sprintf(`[databases]
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
`, host, port, connections, c.Folder)))
	Until(t, "the pooler answers", func() bool {
		conn, err := net.Dial("unix", filepath.Join(c.Folder, ".s.PGSQL.6432"))
		if err == nil {
			conn.Close()
		}
		return err == nil
	})
	return "postgres://" + at.Path + "?host=" + url.QueryEscape(c.Folder) + "&port=6432&user=roster&sslmode=disable"
}
