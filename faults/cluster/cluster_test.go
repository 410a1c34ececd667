package cluster_test

import (
	"context"
	"flag"
	"fmt"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

var (
	rounds = flag.Int("rounds", 0, "how often each part is killed; 0 for a few of them once, under a small load")
	only   = flag.String("only", "", "faults whose name has this in it")
	seed   = flag.Uint64("seed", 1, "what chance begins with")
)

// fault is how a part is taken away, and comes back.
type fault struct {
	name string
	// breaks takes it away, and mends brings it back after a while.
	breaks, mends func(*machines)
	after         time.Duration
	// short says that it is tried in every run of the tests.
	short bool
}

var faults = []fault{
	{name: "nothing", breaks: func(*machines) {}, mends: func(*machines) {}, after: 10 * time.Second},
	{
		name: "a server is killed, and started again", short: true, after: 4 * time.Second,
		breaks: func(m *machines) { m.kill(m.servers[0]) },
		mends:  func(m *machines) { m.startServer(0) },
	},
	{
		name: "a server is stopped, as for an upgrade", after: 4 * time.Second,
		breaks: func(m *machines) { m.signal(1, syscall.SIGTERM); _ = m.servers[1].Wait() },
		mends:  func(m *machines) { m.startServer(1) },
	},
	{
		name: "a server hangs for 10 s", after: 10 * time.Second,
		breaks: func(m *machines) { m.signal(0, syscall.SIGSTOP) },
		mends:  func(m *machines) { m.signal(0, syscall.SIGCONT) },
	},
	{
		name: "the balancer is killed, and started again after 1 s", after: time.Second,
		breaks: func(m *machines) { m.kill(m.balancer) },
		mends:  func(m *machines) { m.startBalancer() },
	},
	{
		name: "the pooler of the primary is killed, and started again after 2 s", after: 2 * time.Second,
		breaks: func(m *machines) { m.poolers[m.primary]() },
		mends:  func(m *machines) { m.startPooler(m.primary) },
	},
	{
		name: "a replica goes, with its pooler", after: 4 * time.Second,
		breaks: func(m *machines) { m.poolers[m.replica()](); m.lose(m.replica()) },
		mends:  func(m *machines) { m.Start(m.data(m.replica())); m.startPooler(m.replica()) },
	},
	{
		name: "the primary is killed, and started again after 2 s", after: 2 * time.Second,
		breaks: func(m *machines) { m.lose(m.primary) },
		mends:  func(m *machines) { m.Start(m.data(m.primary)) },
	},
	{
		name: "the primary's machine goes; a replica is promoted after 3 s", short: true, after: 3 * time.Second,
		breaks: func(m *machines) { m.poolers[m.primary](); m.lose(m.primary) },
		mends: func(m *machines) {
			gone := m.primary
			m.promote()
			m.rejoin(gone)
			m.startPooler(gone)
		},
	},
}

// TestCluster kills one part after another while everybody works.
func TestCluster(t *testing.T) {
	technicians, benches, perSecond, think := 50, 20, 2000, 6*time.Second
	times := *rounds
	if times == 0 {
		technicians, benches, perSecond, think, times = 8, 3, 100, time.Second, 1
	}
	m := start(t)
	l := newLoad(t, m, technicians, think)
	st := m.store()
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	working, linked := l.run(ctx, perSecond), l.benches(ctx, st, benches)
	go l.watch(ctx)
	m.until("everybody is at work", func() bool {
		asked := l.meter.Load().read().asked
		return asked[public] > 2*perSecond && asked[reads] > technicians && asked[writes] > 0
	})
	var table strings.Builder
	begun := time.Now()
	for _, f := range faults {
		if *rounds == 0 && !f.short || !strings.Contains(f.name, *only) {
			continue
		}
		meter := &meter{}
		for range times {
			m.whole()
			l.meter.Store(meter)
			at := time.Now()
			f.breaks(m)
			time.Sleep(f.after) // the fault lasts so long; what it does is waited for below
			f.mends(m)
			m.whole()
			l.settle()
			if testing.Verbose() {
				t.Logf("%s: in %s, so far %+v", f.name, time.Since(at).Round(time.Second/10), meter.read())
			}
		}
		over := meter.read()
		fmt.Fprintf(&table, "| %s | %s | %s | %s | %s | %d of %d |\n", f.name,
			shown(over.longest[public]), shown(over.longest[reads]), shown(over.longest[writes]), shown(over.away), sum(over.again), sum(over.asked))
		for k, n := range over.asked {
			if n == 0 {
				t.Errorf("%s: nothing was asked for of %s: nobody noticed anything", f.name, kindNames[k])
			}
		}
	}
	stop()
	working.Wait()
	linked.Wait()
	db, err := pgx.Connect(t.Context(), m.hosts(port(0), "&target_session_attrs=read-write"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(context.WithoutCancel(t.Context()))
	l.check(t.Context(), m.store(), db)
	t.Logf("%d technicians, %d benches, %d public requests a second, seed %d, for %s\n"+
		"| fault | public pages | reading | sending | benches shown as away | asked again |\n| --- | --- | --- | --- | --- | --- |\n%s",
		technicians, benches, perSecond, *seed, time.Since(begun).Round(time.Second), table.String())
}

func sum(of [kinds]int) (all int) {
	for _, n := range of {
		all += n
	}
	return all
}

func shown(d time.Duration) string { return fmt.Sprintf("%.1f s", d.Seconds()) }
