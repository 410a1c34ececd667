package store_test

import (
	"context"
	"fmt"
	"net/url"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"roster/core/android"
	"roster/core/change"
	"roster/core/people"
	"roster/core/starter"
	"roster/store"
	"roster/store/storetest"
)

// followed is a database with others that follow it, through sockets.
type followed struct {
	*storetest.Cluster
	// database is its address, and hosts are that of every one, itself first.
	database string
	hosts    []string
	folders  []string
}

// withReplicas runs a database with n that follow it.
func withReplicas(t *testing.T, n int) *followed {
	t.Helper()
	f := &followed{Cluster: storetest.NewCluster(t)}
	for i := range n + 1 {
		folder := filepath.Join(f.Folder, fmt.Sprint("db", i))
		if i == 0 {
			f.Must("initdb", "-D", folder, "-U", "roster", "-A", "trust", "--no-sync", "-E", "UTF8", "--locale=C.UTF-8")
			f.Settings(folder, "wal_level = replica", "max_wal_senders = 4")
		} else {
			f.Must("pg_basebackup", "-h", f.Folder, "-U", "roster", "-D", folder, "-R", "--checkpoint=fast", "--no-sync")
			f.Settings(folder, "wal_retrieve_retry_interval = 100ms")
		}
		f.Settings(folder, fmt.Sprint("port = ", 5432+i))
		f.Start(folder)
		if i == 0 {
			f.Must("createdb", "-h", f.Folder, "-U", "roster", "roster")
		}
		f.folders, f.hosts = append(f.folders, folder), append(f.hosts, f.Database("roster")+fmt.Sprint("&port=", 5432+i))
	}
	f.database = f.hosts[0]
	return f
}

// all is the address of some of them.
func (f *followed) all(numbers ...int) string {
	var hosts, ports []string
	for _, n := range numbers {
		hosts, ports = append(hosts, f.Folder), append(ports, fmt.Sprint(5432+n))
	}
	return "postgres:///roster?user=roster&host=" + url.QueryEscape(strings.Join(hosts, ",")) + "&port=" + strings.Join(ports, ",")
}

// TestReplicaIsNeverBehindWhoWrote holds one of two replicas still, and moves it
// on again.
func TestReplicaIsNeverBehindWhoWrote(t *testing.T) {
	t.Parallel()
	f := withReplicas(t, 2)
	const itself, held, live = 0, 1, 2
	open := func() *store.Store {
		t.Helper()
		s, err := store.NewWith(t.Context(), f.database, store.Options{Replicas: f.all(itself, held, live)})
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(s.Close)
		return s
	}
	s := open()
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
	wait(store.ChangesWaiting)
	storetest.Until(t, "both replicas serve", func() bool {
		before := s.ReplicaReads()
		one, another := ledger(s), ledger(s)
		now := s.ReplicaReads()
		return one == 1 && another == 1 && now[held] > before[held] && now[live] > before[live]
	})

	// Held still, one does not have what is written now. Whoever wrote sees it all
	// the same, on a server that heard of it and on one that did not.
	other := open()
	follower, err := store.New(t.Context(), f.hosts[held])
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
	wait(store.ChangesWaiting)
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
	before := s.ReplicaReads()
	storetest.Until(t, "the other serves", func() bool { return ledger(s) == 2 && s.ReplicaReads()[live] > before[live] })
	if now := s.ReplicaReads(); now[held] != before[held] || now[itself] != 0 {
		t.Errorf("what is held was asked %d times, and what follows nobody %d times", now[held]-before[held], now[itself])
	}
	replay("resume")
	storetest.Until(t, "it has caught up", func() bool { return ledger(s) == 2 && s.ReplicaReads()[held] > before[held] })
}

// TestReplicaThatGoes takes the replica away in the middle.
func TestReplicaThatGoes(t *testing.T) {
	t.Parallel()
	f := withReplicas(t, 1)
	s, err := store.NewWith(t.Context(), f.database, store.Options{Replicas: f.hosts[1]})
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
	w := worldIn(t, s)
	first, second := w.linked("1", loose), w.linked("2", bound)
	w.accept("tech", w.edit("l.lib", change.Trial, everywhere, fmt.Sprintf(`{"build":%q,"phone":"a","method":"remove-for-user","outcome":"refused",
		"persistence":"not-watched","recovery":"not-tried","watchedDays":0,"note":"Failure"}`, first)))
	// read reads what may lag, and how often the replica served meanwhile.
	read := func() (store.Compared, []store.CarriedOver, uint64) {
		t.Helper()
		before, ctx := s.ReplicaReads()[0], store.MayLag(t.Context())
		_, _, _, err := s.Ledger(ctx, store.LedgerQuery{Method: "remove-for-user", Limit: 10})
		w.must(err)
		compared, err := s.CompareSides(ctx, store.Side{Kind: "build", ID: first}, store.Side{Kind: "build", ID: second})
		w.must(err)
		carried, err := s.CarriedOver(ctx, first, second)
		w.must(err)
		return compared, carried, s.ReplicaReads()[0] - before
	}
	// The first comparison wants figures, which are made where they can be written.
	compared, carried, _ := read()
	storetest.Until(t, "the replica serves all three", func() bool {
		again, over, served := read()
		if !reflect.DeepEqual(again, compared) || !reflect.DeepEqual(over, carried) {
			t.Errorf("%+v and %+v, of %+v and %+v", again, over, compared, carried)
		}
		return served == 3
	})
	f.Must("pg_ctl", "-D", f.folders[1], "-m", "immediate", "-w", "stop")
	for range 20 {
		if again, _, _ := read(); !reflect.DeepEqual(again, compared) {
			t.Fatalf("%+v, of %+v", again, compared)
		}
	}
}

// TestFailover loses the primary, and promotes the replica: a store whose address
// names both goes on by itself, and has what was accepted.
func TestFailover(t *testing.T) {
	t.Parallel()
	f := withReplicas(t, 1)
	primary, err := store.New(t.Context(), f.database)
	if err != nil {
		t.Fatal(err)
	}
	defer primary.Close()
	if err := primary.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	s, err := store.New(t.Context(), f.all(0, 1)+"&target_session_attrs=read-write")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if _, err := s.AddPerson(t.Context(), "before", "x", people.Keeper, ""); err != nil {
		t.Fatal(err)
	}
	follows, err := store.New(t.Context(), f.hosts[1])
	if err != nil {
		t.Fatal(err)
	}
	defer follows.Close()
	here := func(login string) bool {
		_, _, err := follows.PasswordHash(t.Context(), login)
		return err == nil
	}
	storetest.Until(t, "the replica has it", func() bool { return here("before") })
	f.Must("pg_ctl", "-D", f.folders[0], "-m", "immediate", "-w", "stop")
	lost := time.Now()
	if _, err := s.AddPerson(t.Context(), "lost", "x", people.Keeper, ""); err == nil {
		t.Error("without a primary something was accepted")
	}
	f.Must("pg_ctl", "-D", f.folders[1], "-w", "promote")
	storetest.Until(t, "it is accepted again", func() bool {
		_, err := s.AddPerson(t.Context(), "after", "x", people.Keeper, "")
		return err == nil
	})
	t.Logf("accepted again %s after the primary was lost", time.Since(lost).Round(time.Millisecond))
	if !here("before") || !here("after") || here("lost") {
		t.Errorf("before %t, after %t, lost %t", here("before"), here("after"), here("lost"))
	}
}
