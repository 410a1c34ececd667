package store_test

import (
	"context"
	"io/fs"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/tern/v2/migrate"

	"roster/store"
	"roster/store/storetest"
)

// TestMigrationsGiveWay has somebody hold a table that a migration changes: those
// who come after the migration get to the table all the same, and the migration is
// done when it is let go.
func TestMigrationsGiveWay(t *testing.T) {
	t.Parallel()
	ctx := context.Background()
	address := storetest.Bare(t)
	open := func() *pgx.Conn {
		conn, err := pgx.Connect(ctx, address)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { conn.Close(ctx) })
		return conn
	}
	exec := func(conn *pgx.Conn, sql string) {
		t.Helper()
		if _, err := conn.Exec(ctx, sql); err != nil {
			t.Fatal(err)
		}
	}
	holder, other := open(), open()
	m, err := migrate.NewMigrator(ctx, other, "schema_version")
	if err == nil {
		err = m.LoadMigrations(os.DirFS("migrations"))
	}
	if err == nil {
		err = m.MigrateTo(ctx, 35) // the next adds to tokens
	}
	if err != nil {
		t.Fatal(err)
	}
	exec(holder, `begin; select from tokens`)
	st, err := store.New(ctx, address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	migrated := make(chan error, 1)
	go func() { migrated <- st.Migrate(ctx) }()
	for range 3 {
		storetest.Until(t, "the migration waits", func() (waits bool) {
			err := other.QueryRow(ctx, `
				select exists (select from pg_locks
					where database = (select oid from pg_database where datname = current_database())
						and relation = 'tokens'::regclass and not granted)`).Scan(&waits)
			return err != nil || waits
		})
		exec(other, `set statement_timeout = '2min'; select from tokens`) // behind the migration
	}
	select {
	case err := <-migrated:
		t.Fatalf("it was done over somebody's head: %v", err)
	default:
	}
	exec(holder, `commit`)
	select {
	case err := <-migrated:
		if err != nil {
			t.Fatal(err)
		}
	case <-time.After(5 * time.Minute):
		t.Fatal("it was never done")
	}
	if err := st.Ping(ctx); err != nil {
		t.Error(err)
	}
}

// takesAway tells clauses of a migration that older programs can't go on after:
// something they use is gone, or more is asked for than they write.
func takesAway(clause string) bool {
	clause = strings.ToLower(clause)
	if dropped := regexp.MustCompile(`\bdrop\s+(\w+)`).FindStringSubmatch(clause); dropped != nil && dropped[1] != "index" {
		return true
	}
	if regexp.MustCompile(`\brename\b|\balter\s+\w+\s+(type|set not null)\b`).MatchString(clause) {
		return true
	}
	demands := strings.Contains(clause, "not null") && !strings.Contains(clause, "default") ||
		strings.Contains(clause, "check (") || strings.Contains(clause, "unique")
	return demands && regexp.MustCompile(`\badd\s`).MatchString(clause)
}

// TestMigrationsSayWhoGoesOn: a migration that takes something away says from which
// migration on programs go on.
func TestMigrationsSayWhoGoesOn(t *testing.T) {
	t.Parallel()
	for clause, want := range map[string]bool{
		"alter table people drop login": true, "drop table drafts": true, "alter table people rename login to name": true,
		"alter table people alter login type int": true, "alter table people add age int not null": true, "alter table a add constraint b unique (c)": true,
		"alter table people add age int": false, "alter table people add age int not null default 0": false,
		"drop index edits_of_run": false, "create table ages (age int not null, unique (age))": false,
	} {
		if takesAway(clause) != want {
			t.Errorf("%s: %v", clause, !want)
		}
	}
	files, err := fs.Glob(os.DirFS("migrations"), "*.sql")
	if err != nil || len(files) < 37 {
		t.Fatalf("%v, %v", files, err)
	}
	for _, file := range files[37:] {
		raw, err := os.ReadFile("migrations/" + file)
		if err != nil {
			t.Fatal(err)
		}
		up, _, _ := strings.Cut(string(raw), "---- create above")
		if slices.ContainsFunc(strings.Split(up, ";"), takesAway) && !strings.Contains(up, "update schema_version set least = ") {
			t.Errorf("%s takes something away: from which migration on can programs go on?", file)
		}
	}
}
