package faults_test

import (
	"fmt"
	"os/exec"
	"sync"
	"testing"
	"time"

	"roster/phone"
)

// removals is how many packages the measured runs take off.
const removals = 87

// slow is a phone that is under way and at work for as long as is said.
func slow(latency, removal time.Duration) func(*phone.Scenario) {
	return func(s *phone.Scenario) {
		s.Latency, s.RemovalTakes = latency, removal
		for i := range removals {
			s.Packages = append(s.Packages, phone.PackageSpec{Name: fmt.Sprintf("app.measured.n%02d", i), Dir: "/system/app", Version: "1.0.0"})
		}
	}
}

// timed runs what is measured on a phone and returns how long that took, from
// asking to its end.
func (w *world) timed(p *place) time.Duration {
	w.t.Helper()
	begun := time.Now()
	id := w.start(p)
	r := w.ended(id, "finished")
	took := time.Since(begun)
	n := 0
	for _, s := range r.Steps {
		if s.Kind == "remove" && s.State == "done" {
			n++
		}
	}
	if n != removals {
		w.t.Fatalf("%d packages went, want %d", n, removals)
	}
	return took
}

func (w *world) undone(p *place) {
	var list struct{ Items []struct{ ID, State string } }
	w.api("GET", "/api/v1/runs?limit=200", nil, &list)
	for _, r := range list.Items {
		if r.State == "finished" {
			if status, _ := w.try("POST", "/api/v1/runs/"+r.ID+"/put-back", map[string]any{}, nil); status == 204 {
				w.ended(r.ID, "put-back")
			}
		}
	}
}

// BenchmarkRun runs 87 removals on a phone of 20 ms latency a command that
// takes 200 ms for each, and rehearses them: against the phone's own time.
func BenchmarkRun(b *testing.B) {
	w := newWorld(b, slow(20*time.Millisecond, 200*time.Millisecond), removals)
	for name, p := range map[string]*place{"server": w.near, "far": w.far} {
		b.Run(name, func(b *testing.B) {
			var whole, rehearsed time.Duration
			for range b.N {
				begun := time.Now()
				w.find(p)
				p.capture = w.captured(p)
				w.api("POST", "/api/v1/rehearsals", map[string]any{"profile": w.profile, "capture": p.capture, "choices": none}, nil)
				rehearsed += time.Since(begun)
				whole += w.timed(p)
				b.StopTimer()
				w.undone(p)
				b.StartTimer()
			}
			own := removals * (20 + 200) * time.Millisecond
			b.ReportMetric(whole.Seconds()/float64(b.N), "s/run")
			b.ReportMetric(100*(whole.Seconds()/float64(b.N)/own.Seconds()-1), "%more-than-phone")
			b.ReportMetric(rehearsed.Seconds()/float64(b.N), "s/rehearsal")
		})
	}
}

// BenchmarkShellLoop holds a run, where latency dominates, to a loop of single
// adb shell commands.
func BenchmarkShellLoop(b *testing.B) {
	w := newWorld(b, slow(50*time.Millisecond, 20*time.Millisecond), removals)
	var loop, whole time.Duration
	for range b.N {
		begun := time.Now()
		for i := range removals {
			out, err := exec.Command("adb", "-L", w.near.adb, "-s", w.near.address, "shell", fmt.Sprintf("pm uninstall --user 0 app.measured.n%02d", i)).CombinedOutput()
			if err != nil {
				b.Fatalf("%v: %s", err, out)
			}
		}
		loop += time.Since(begun)
		for i := range removals {
			w.near.phone.Ask(b.Context(), fmt.Sprintf("cmd package install-existing --user 0 app.measured.n%02d", i))
		}
		whole += w.timed(w.near)
		w.undone(w.near)
	}
	b.ReportMetric(loop.Seconds()/float64(b.N), "s/loop")
	b.ReportMetric(whole.Seconds()/float64(b.N), "s/run")
	b.ReportMetric(loop.Seconds()/whole.Seconds(), "times-as-fast")
}

// BenchmarkTwentyPhones runs on twenty phones of one bench at once, and says by
// how much the slowest was slower than one alone.
func BenchmarkTwentyPhones(b *testing.B) {
	w := newWorld(b, slow(20*time.Millisecond, 200*time.Millisecond), removals)
	phones := []*place{w.near}
	for i := range 19 {
		p := w.place(fmt.Sprintf("near-%d", i+2), slow(20*time.Millisecond, 200*time.Millisecond))
		p.adb = w.near.adb
		w.api("POST", "/api/v1/benches/"+w.near.bench+"/requests", map[string]string{"kind": "connect", "address": p.address}, nil)
		w.find(p)
		p.capture = w.captured(p)
		phones = append(phones, p)
	}
	var alone, slowest time.Duration
	for range b.N {
		alone += w.timed(phones[0])
		w.undone(phones[0])
		took := make([]time.Duration, len(phones))
		var all sync.WaitGroup
		for i, p := range phones {
			all.Go(func() { took[i] = w.timed(p) })
		}
		all.Wait()
		worst := took[0]
		for _, d := range took {
			worst = max(worst, d)
		}
		slowest += worst
		w.undone(w.near)
	}
	b.ReportMetric(alone.Seconds()/float64(b.N), "s/alone")
	b.ReportMetric(slowest.Seconds()/float64(b.N), "s/slowest")
	b.ReportMetric(slowest.Seconds()/alone.Seconds(), "times-alone")
}

var none = map[string]any{"leave": []string{}, "off": []string{}, "keep": []string{}, "without": []int{}, "seen": []int{}, "noRestart": true, "anyway": false, "ownersData": ""}
