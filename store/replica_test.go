package store_test

import (
	"context"
	"net/url"
	"path/filepath"
	"testing"
	"time"

	"roster/core/android"
	"roster/core/people"
	"roster/core/starter"
	"roster/store"
	"roster/store/storetest"
)

// withReplica runs a database with one that follows it, through a socket.
func withReplica(t *testing.T) (c *storetest.Cluster, database, replica, folder string) {
	t.Helper()
	c = storetest.NewCluster(t)
	main, follows := filepath.Join(c.Folder, "main"), filepath.Join(c.Folder, "follows")
	c.Must("initdb", "-D", main, "-U", "roster", "-A", "trust", "--no-sync", "-E", "UTF8", "--locale=C.UTF-8")
	c.Settings(main, "wal_level = replica", "max_wal_senders = 4", "port = 5432")
	c.Start(main)
	c.Must("createdb", "-h", c.Folder, "-U", "roster", "roster")
	c.Must("pg_basebackup", "-h", c.Folder, "-U", "roster", "-D", follows, "-R", "--checkpoint=fast", "--no-sync")
	c.Settings(follows, "port = 5433", "wal_retrieve_retry_interval = 100ms")
	c.Start(follows)
	return c, c.Database("roster") + "&port=5432", c.Database("roster") + "&port=5433", follows
}

// TestReplicaIsNeverBehindWhoWrote holds a replica still, and moves it on again.
func TestReplicaIsNeverBehindWhoWrote(t *testing.T) {
	t.Parallel()
	_, database, replica, _ := withReplica(t)
	open := func(read string) *store.Store {
		t.Helper()
		s, err := store.NewWith(t.Context(), database, store.Options{Replica: read})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(s.Close)
		return s
	}
	s := open(replica)
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(s.Migrate(t.Context()))
	p, err := s.AddPerson(t.Context(), "tove", "Tove", people.Keeper, "")
	must(err)
	must(s.StartSession(t.Context(), []byte("token"), p.ID, time.Hour, "", nil))
	listening, stop := context.WithCancel(t.Context())
	defer stop()
	heard := make(chan store.Event, 100)
	go s.Listen(listening, func(e store.Event) { heard <- e })
	<-heard
	// wait waits until this server has heard of something.
	wait := func(topic store.Topic) {
		t.Helper()
		for late := time.After(time.Minute); ; {
			select {
			case e := <-heard:
				if e.Topic == topic {
					return
				}
			case <-late:
				t.Fatalf("never heard of %s", topic)
			}
		}
	}
	// by is the context of the person, as each request of theirs makes it.
	by := func(s *store.Store) context.Context {
		t.Helper()
		ctx, _, err := s.BySession(t.Context(), []byte("token"), false)
		must(err)
		return store.MayLag(ctx)
	}
	ledger := func(s *store.Store) int {
		t.Helper()
		_, found, _, err := s.Ledger(by(s), store.LedgerQuery{Method: "remove-for-user", Limit: 10})
		must(err)
		return found
	}
	write := func(name string) {
		t.Helper()
		value := starter.Edit{Package: android.PackageName(name), Field: "description", Value: []byte(`"x"`)}
		_, err := s.TakeStarter(by(s), p.ID, store.Sending{Title: name}, []starter.Edit{value})
		must(err)
	}
	write("com.example.one")
	wait(store.ChangesChanged)
	storetest.Until(t, "the replica serves", func() bool {
		before := s.ReplicaReads()
		return ledger(s) == 1 && s.ReplicaReads() > before
	})

	// Held still, it does not have what is written now. Whoever wrote sees it all
	// the same, on a server that heard of it and on one that did not.
	other := open(replica)
	follower, err := store.New(t.Context(), replica)
	must(err)
	defer follower.Close()
	replay := func(what string) {
		t.Helper()
		_, err := follower.Pool().Exec(t.Context(), `select pg_wal_replay_`+what+`()`)
		must(err)
	}
	replay("pause")
	for len(heard) > 0 {
		<-heard
	}
	write("com.example.two")
	wait(store.ChangesChanged)
	for range 20 {
		_, found, _, err := s.Ledger(store.MayLag(t.Context()), store.LedgerQuery{Method: "remove-for-user", Limit: 10})
		must(err)
		if found != 2 {
			t.Fatalf("on a server that has heard of it somebody else sees %d packages", found)
		}
		if found := ledger(s); found != 2 {
			t.Fatalf("who wrote sees %d packages", found)
		}
		other.HeardLittle() // as before it was told
		if found := ledger(other); found != 2 {
			t.Fatalf("by another server who wrote sees %d packages", found)
		}
	}
	replay("resume")
	storetest.Until(t, "it has caught up", func() bool {
		before := s.ReplicaReads()
		return ledger(s) == 2 && s.ReplicaReads() > before
	})
}

// TestReplicaThatGoes takes the replica away in the middle.
func TestReplicaThatGoes(t *testing.T) {
	t.Parallel()
	c, database, replica, folder := withReplica(t)
	s, err := store.NewWith(t.Context(), database, store.Options{Replica: replica})
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if err := s.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	listening, stop := context.WithCancel(t.Context())
	defer stop()
	heard := make(chan store.Event, 100)
	go s.Listen(listening, func(e store.Event) { heard <- e })
	<-heard
	read := func() {
		t.Helper()
		if _, _, _, err := s.Ledger(store.MayLag(t.Context()), store.LedgerQuery{Method: "remove-for-user", Limit: 10}); err != nil {
			t.Fatal(err)
		}
	}
	storetest.Until(t, "the replica serves", func() bool {
		read()
		return s.ReplicaReads() > 0
	})
	c.Must("pg_ctl", "-D", folder, "-m", "immediate", "-w", "stop")
	for range 20 {
		read()
	}
}

// TestFailover loses the primary, and promotes the replica: a store whose address
// names both goes on by itself, and has what was accepted.
func TestFailover(t *testing.T) {
	t.Parallel()
	c, database, replica, folder := withReplica(t)
	primary, err := store.New(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	defer primary.Close()
	if err := primary.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	socket := url.QueryEscape(c.Folder + "," + c.Folder)
	s, err := store.New(t.Context(), "postgres:///roster?user=roster&host="+socket+"&port=5432,5433&target_session_attrs=read-write")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if _, err := s.AddPerson(t.Context(), "before", "x", people.Keeper, ""); err != nil {
		t.Fatal(err)
	}
	follows, err := store.New(t.Context(), replica)
	if err != nil {
		t.Fatal(err)
	}
	defer follows.Close()
	here := func(login string) bool {
		_, _, err := follows.PasswordHash(t.Context(), login)
		return err == nil
	}
	storetest.Until(t, "the replica has it", func() bool { return here("before") })
	c.Must("pg_ctl", "-D", filepath.Join(c.Folder, "main"), "-m", "immediate", "-w", "stop")
	lost := time.Now()
	if _, err := s.AddPerson(t.Context(), "lost", "x", people.Keeper, ""); err == nil {
		t.Error("without a primary something was accepted")
	}
	c.Must("pg_ctl", "-D", folder, "-w", "promote")
	storetest.Until(t, "it is accepted again", func() bool {
		_, err := s.AddPerson(t.Context(), "after", "x", people.Keeper, "")
		return err == nil
	})
	t.Logf("accepted again %s after the primary was lost", time.Since(lost).Round(time.Millisecond))
	if !here("before") || !here("after") || here("lost") {
		t.Errorf("before %t, after %t, lost %t", here("before"), here("after"), here("lost"))
	}
}
