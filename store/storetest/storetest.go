// Package storetest makes a database of its own for a test or a benchmark. The
// tables are made once for each cluster and set of migrations, and copied.
package storetest

import (
	"context"
	"crypto/rand"
	"fmt"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"roster/store"
)

// URL makes a database with this program's tables and nothing in them, in the
// cluster that ROSTER_TEST_DATABASE_URL names, and returns its address; it is
// dropped when the test ends. Without the variable the test is skipped:
// scripts/test sets it.
func URL(t testing.TB) string {
	t.Helper()
	return create(t, Template(t, "empty", func(ctx context.Context, s *store.Store) error { return nil }))
}

// Bare makes a database without any tables, as somebody who installs Roster
// has it.
func Bare(t testing.TB) string {
	t.Helper()
	return create(t, "template1")
}

// Open makes a database and opens it.
func Open(t testing.TB) *store.Store {
	t.Helper()
	return open(t, URL(t))
}

// Copy makes a database that is a copy of a template, and returns its address.
func Copy(t testing.TB, template string) string {
	t.Helper()
	return create(t, template)
}

func open(t testing.TB, address string) *store.Store {
	t.Helper()
	s, err := store.New(context.Background(), address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// Template makes sure that there is a database of a kind to be copied from and
// returns its name. Fill is called with it, brought up to date, where there is
// none yet; test programs that need the same one wait for each other. It stays
// for as long as the cluster does.
func Template(t testing.TB, kind string, fill func(context.Context, *store.Store) error) string {
	t.Helper()
	ctx := context.Background()
	conn := connect(t, cluster(t))
	defer conn.Close(ctx)
	name := "template_" + kind + "_" + store.SchemaDigest()
	exec := func(sql string) {
		t.Helper()
		if _, err := conn.Exec(ctx, sql); err != nil {
			t.Fatalf("template database %s: %v", name, err)
		}
	}
	var there bool
	find := func() bool {
		t.Helper()
		if err := conn.QueryRow(ctx, `
			select exists (select from pg_database where datname = $1)`, name).Scan(&there); err != nil {
			t.Fatal(err)
		}
		return there
	}
	if find() {
		return name
	}
	exec(`select pg_advisory_lock(hashtext('roster templates'))`) // until the connection ends
	if find() {
		return name
	}
	unfinished := pgx.Identifier{name + "_" + rand.Text()}.Sanitize()
	exec("create database " + unfinished)
	s, err := store.New(ctx, at(t, cluster(t), unfinished[1:len(unfinished)-1]))
	if err != nil {
		t.Fatal(err)
	}
	if err = s.Migrate(ctx); err == nil {
		err = fill(ctx, s)
	}
	s.Close()
	if err != nil {
		t.Fatalf("template database %s: %v", name, err)
	}
	exec(fmt.Sprintf("alter database %s rename to %s", unfinished, pgx.Identifier{name}.Sanitize()))
	return name
}

// create makes a database from another and drops it when the test ends.
func create(t testing.TB, template string) string {
	t.Helper()
	ctx := context.Background()
	conn := connect(t, cluster(t))
	name := "test_" + rand.Text()
	quoted := pgx.Identifier{name}.Sanitize()
	if _, err := conn.Exec(ctx, "create database "+quoted+" template "+pgx.Identifier{template}.Sanitize()); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := conn.Exec(ctx, "drop database "+quoted+" with (force)"); err != nil {
			t.Error(err)
		}
		conn.Close(ctx)
	})
	return at(t, cluster(t), name)
}

// Drop drops a database that what is tested has made.
func Drop(t testing.TB, name string) {
	t.Helper()
	conn := connect(t, cluster(t))
	defer conn.Close(context.Background())
	if _, err := conn.Exec(context.Background(), "drop database "+pgx.Identifier{name}.Sanitize()); err != nil {
		t.Error(err)
	}
}

// Shut ends all connections to the database at an address, and lets nobody in
// until open is called, as when it is away.
func Shut(t testing.TB, address string) (open func()) {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	name := strings.TrimPrefix(u.Path, "/")
	allow := func(yes bool) {
		t.Helper()
		conn := connect(t, cluster(t))
		defer conn.Close(context.Background())
		if _, err := conn.Exec(context.Background(), fmt.Sprintf("alter database %s allow_connections %t", pgx.Identifier{name}.Sanitize(), yes)); err != nil {
			t.Fatal(err)
		}
		if _, err := conn.Exec(context.Background(), `
			select pg_terminate_backend(pid) from pg_stat_activity where datname = $1`, name); err != nil {
			t.Fatal(err)
		}
	}
	allow(false)
	return func() { allow(true) }
}

// Databases lists those whose name begins with a prefix.
func Databases(t testing.TB, prefix string) []string {
	t.Helper()
	conn := connect(t, cluster(t))
	defer conn.Close(context.Background())
	rows, err := conn.Query(context.Background(), `
		select datname::text from pg_database where starts_with(datname, $1)`, prefix)
	if err != nil {
		t.Fatal(err)
	}
	names, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		t.Fatal(err)
	}
	return names
}

func cluster(t testing.TB) string {
	t.Helper()
	address := os.Getenv("ROSTER_TEST_DATABASE_URL")
	if address == "" {
		t.Skip("ROSTER_TEST_DATABASE_URL is not set; run scripts/test")
	}
	return address
}

func connect(t testing.TB, address string) *pgx.Conn {
	t.Helper()
	conn, err := pgx.Connect(context.Background(), address)
	if err != nil {
		t.Fatal(err)
	}
	return conn
}

// at is the address of another database of a cluster.
func at(t testing.TB, cluster, database string) string {
	t.Helper()
	u, err := url.Parse(cluster)
	if err != nil {
		t.Fatal(err)
	}
	u.Path = "/" + database
	return u.String()
}
