package store_test

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgerrcode"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"roster/core/android"
	"roster/core/people"
	"roster/core/starter"
	"roster/store"
	"roster/store/storetest"
)

// TestPool holds what keeps one request from stopping the others: a transaction
// gets no second connection, waiting for one ends, and so does a statement
// that takes too long or a transaction that does nothing.
func TestPool(t *testing.T) {
	t.Parallel()
	ctx := t.Context()
	s, err := store.NewWith(ctx, storetest.URL(t), store.Options{Connections: 2, Wait: 500 * time.Millisecond, Statement: 2 * time.Second})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	var n int
	err = s.InTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `select 1`).Scan(&n); err != nil {
			return err
		}
		return s.Pool().QueryRow(ctx, `select 1`).Scan(&n)
	})
	if !errors.Is(err, store.ErrNested) {
		t.Errorf("a transaction got a second connection: %v", err)
	}
	var pg *pgconn.PgError
	if _, err := s.Pool().Exec(ctx, `select pg_sleep(60)`); !errors.As(err, &pg) || pg.Code != pgerrcode.QueryCanceled {
		t.Errorf("a statement without end: %v", err)
	}
	err = s.InLongTx(ctx, func(ctx context.Context, tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `select pg_sleep(2.5)`)
		return err
	})
	if err != nil {
		t.Errorf("one that may take longer: %v", err)
	}
	for taken := 0; taken < 2; {
		c, err := s.Pool().Acquire(ctx)
		if store.FailureOf(ctx, err) == store.DatabaseBusy {
			continue // opening one may take longer than anybody waits for it
		}
		if err != nil {
			t.Fatal(err)
		}
		defer c.Release()
		taken++
	}
	if err := s.Pool().QueryRow(ctx, `select 1`).Scan(&n); store.FailureOf(ctx, err) != store.DatabaseBusy {
		t.Errorf("all connections are taken: %v", err)
	}
	left, cancel := context.WithCancel(ctx)
	cancel()
	if err := s.Pool().QueryRow(left, `
		select 1`).Scan(&n); !errors.Is(err, context.Canceled) || store.FailureOf(left, err) != store.NoFailure {
		t.Errorf("whoever asked has left: %v", err)
	}
	// What holds a connection for long has one of its own.
	conn, err := s.Alone(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(ctx)
	var limit string
	if err := conn.QueryRow(ctx, `show statement_timeout`).Scan(&limit); err != nil || limit != "0" {
		t.Errorf("%s, %v", limit, err)
	}
}

// TestPooler holds what connections have that a pooler lends for a transaction
// each: the settings, bounds on time, what is heard, and no statement of another's.
func TestPooler(t *testing.T) {
	t.Parallel()
	ctx := t.Context()
	direct := storetest.URL(t)
	s, err := store.NewWith(ctx, storetest.Pooler(t, direct, 3), store.Options{Direct: direct, Statement: 2 * time.Second})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	var started sync.WaitGroup
	for range 4 { // servers that start together
		started.Go(func() {
			if err := s.Migrate(ctx); err != nil {
				t.Error(err)
			}
		})
	}
	started.Wait()
	var timeout, alike string
	if err := s.Pool().QueryRow(ctx, `
		select current_setting('statement_timeout'),
			current_setting('pg_trgm.strict_word_similarity_threshold')`).Scan(&timeout, &alike); err != nil {
		t.Fatal(err)
	}
	if timeout != "2s" || alike != store.Forgiving {
		t.Errorf("by the pooler: statements end after %s, words are alike from %s", timeout, alike)
	}
	var pg *pgconn.PgError
	if _, err := s.Pool().Exec(ctx, `select pg_sleep(60)`); !errors.As(err, &pg) || pg.Code != pgerrcode.QueryCanceled {
		t.Errorf("a statement without end: %v", err)
	}
	alone, err := s.Alone(ctx)
	if err != nil {
		t.Fatal(err)
	}
	defer alone.Close(ctx)
	if err := alone.QueryRow(ctx, `
		select current_setting('statement_timeout')`).Scan(&timeout); err != nil || timeout != "0" {
		t.Errorf("past the pooler: %s, %v", timeout, err)
	}

	heard := make(chan store.Event, 1000)
	go s.Listen(ctx, func(e store.Event) { heard <- e })
	<-heard
	p, err := s.AddPerson(ctx, "tove", "Tove", people.Keeper, "")
	if err != nil {
		t.Fatal(err)
	}
	var many sync.WaitGroup
	for n := range 8 {
		many.Go(func() {
			for round := range 5 {
				edit := []starter.Edit{{Package: android.PackageName(fmt.Sprint("com.example.p", n)), Field: "description", Value: []byte(`"x"`)}}
				if _, err := s.TakeStarter(ctx, p.ID, store.Sending{Title: fmt.Sprint(n, round)}, edit); err != nil {
					t.Error(err)
				}
				if _, _, _, err := s.Ledger(ctx, store.LedgerQuery{Method: "remove-for-user", Limit: 10}); err != nil {
					t.Error(err)
				}
			}
		})
	}
	many.Wait()
	select {
	case <-heard:
	case <-time.After(2 * time.Minute):
		t.Error("nothing was heard")
	}
}
