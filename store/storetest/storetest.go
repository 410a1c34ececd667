// Package storetest makes a database of its own for a test or a benchmark.
package storetest

import (
	"context"
	"crypto/rand"
	"net/url"
	"os"
	"testing"

	"github.com/jackc/pgx/v5"

	"roster/store"
)

// URL makes an empty database in the cluster that ROSTER_TEST_DATABASE_URL
// names and returns its address; it is dropped when the test ends. Without the
// variable the test is skipped: scripts/test sets it.
func URL(t testing.TB) string {
	t.Helper()
	cluster := os.Getenv("ROSTER_TEST_DATABASE_URL")
	if cluster == "" {
		t.Skip("ROSTER_TEST_DATABASE_URL is not set; run scripts/test")
	}
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, cluster)
	if err != nil {
		t.Fatal(err)
	}
	name := pgx.Identifier{"test_" + rand.Text()}
	if _, err := conn.Exec(ctx, "create database "+name.Sanitize()); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := conn.Exec(ctx, "drop database "+name.Sanitize()+" with (force)"); err != nil {
			t.Error(err)
		}
		conn.Close(ctx)
	})
	u, err := url.Parse(cluster)
	if err != nil {
		t.Fatal(err)
	}
	u.Path = "/" + name[0]
	return u.String()
}

// Open makes a database, brings it up to date and opens it.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.New(context.Background(), URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	if err := s.Migrate(context.Background()); err != nil {
		t.Fatal(err)
	}
	return s
}
