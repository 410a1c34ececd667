package backup

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"runtime"
	"strconv"
	"strings"

	"github.com/jackc/pgx/v5"
)

// jobsAtOnce is with how many connections PostgreSQL's tools work.
func jobsAtOnce() string { return strconv.Itoa(min(4, runtime.GOMAXPROCS(0))) }

// tool runs one of PostgreSQL's own programs on the database at address, which
// is a URL. A password goes by the environment: others can read what stands on
// a line.
func tool(ctx context.Context, address, program string, args ...string) error {
	path, err := exec.LookPath(program)
	if err != nil {
		return fmt.Errorf("%s is missing: install Debian's package postgresql-client, at least as new as the server", program)
	}
	u, err := url.Parse(address)
	if err != nil || u.Scheme == "" {
		return errors.New("give the database's address as a URL, such as postgres://roster@127.0.0.1/roster")
	}
	c := exec.CommandContext(ctx, path, append(args, "--no-password")...)
	c.Env = os.Environ()
	if password, set := u.User.Password(); set {
		u.User = url.User(u.User.Username())
		c.Env = append(c.Env, "PGPASSWORD="+password)
	}
	c.Env = append(c.Env, "LC_ALL=C.UTF-8")
	c.Args = append(c.Args, "--dbname="+u.String())
	var said bytes.Buffer
	c.Stdout, c.Stderr = &said, &said
	if err := c.Run(); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%s: %w: %s", program, err, strings.TrimSpace(said.String()))
	}
	return nil
}

// withDatabase is the address of another database of the same PostgreSQL, as
// the same role.
func withDatabase(address, name string) (string, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme == "" {
		return "", errors.New("give the database's address as a URL, such as postgres://roster@127.0.0.1/roster")
	}
	u.Path = "/" + url.PathEscape(name)
	return u.String(), nil
}

// maintenance connects to the database that every PostgreSQL has, from where
// others are made, renamed and dropped.
func maintenance(ctx context.Context, address string) (*pgx.Conn, error) {
	at, err := withDatabase(address, "postgres")
	if err != nil {
		return nil, err
	}
	return pgx.Connect(ctx, at)
}

func quoted(name string) string { return pgx.Identifier{name}.Sanitize() }
