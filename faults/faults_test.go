package faults_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"roster/core/android"
	"roster/phone"
)

var (
	runs = flag.Int("runs", 0, "how many runs are broken; 0 for a few")
	seed = flag.Uint64("seed", 1, "what chance begins with")
)

// broken are the ways in which a run is broken.
var broken = []string{"server", "bench", "adb", "cable", "phone", "database"}

// TestFaults breaks run after run and holds the phone to the journal.
func TestFaults(t *testing.T) {
	n := *runs
	if n == 0 {
		n = len(broken)
	}
	w := newWorld(t, func(s *phone.Scenario) { s.RemovalTakes = 25 * time.Millisecond }, 24)
	w.breakRuns(t, n, 700*time.Millisecond, broken, w.near, w.far)
}

// breakRuns breaks n runs at some places in some ways, each within some time
// after it has begun.
func (w *world) breakRuns(t *testing.T, n int, within time.Duration, broken []string, places ...*place) {
	chance := rand.New(rand.NewPCG(*seed, 0))
	var interrupted, continued, putBack, whole int
	var longest time.Duration
	by := map[string]int{}
	for i := range n {
		at := places[chance.IntN(len(places))]
		how := broken[i%len(broken)]
		if how == "bench" {
			at = w.far // that of a server dies with it
		}
		if n > 20 || testing.Verbose() {
			t.Logf("run %d of %d: the %s goes, on the %s bench", i+1, n, how, map[bool]string{true: "far", false: "server's"}[at == w.far])
		}
		at.begin()
		id := w.start(at)
		time.Sleep(time.Duration(chance.Int64N(int64(within))))
		w.breaks(how, at)
		time.Sleep(time.Duration(chance.IntN(300)) * time.Millisecond)
		begun := time.Now()
		w.mends(how, at)
		r := w.settled(id)
		by[how]++
		longest = max(longest, time.Since(begun))
		w.agrees(at, r, how)
		switch {
		case r.Run.State == "finished":
			whole++ // it was faster than what broke it
		case chance.IntN(2) == 0:
			interrupted, putBack = interrupted+1, putBack+1
		default:
			interrupted, continued = interrupted+1, continued+1
			w.ask(at, id, "continue")
			r = w.ended(id, "finished")
			w.agrees(at, r, how)
			if lost := slices.IndexFunc(r.Steps, func(s step) bool { return s.State == "waiting" }); lost >= 0 {
				t.Errorf("step %d was lost", r.Steps[lost].Number)
			}
		}
		if slices.ContainsFunc(r.Steps, step.changed) {
			w.ask(at, id, "put-back")
			r = w.ended(id, "put-back")
			w.agrees(at, r, how)
		}
		for name := range at.noise {
			if now := at.hear(name).String(); now != at.noise[name] {
				t.Fatalf("after run %d %s may do %s, and might do %s", i+1, name, now, at.noise[name])
			}
		}
		if now := at.there(); !slices.Equal(now, at.before) {
			t.Fatalf("after run %d the phone is not as it was: %s", i+1, differ(at.before, now))
		}
		if t.Failed() {
			t.Fatalf("run %d, %s, seed %d", i+1, how, *seed)
		}
	}
	t.Logf("%d runs, seed %d (%v): %d were interrupted, %d of them continued and %d put back; %d had ended before. Longest until nothing was unknown: %s", n, *seed, by, interrupted, continued, putBack, whole, longest.Round(100*time.Millisecond))
}

// changed reports whether a step did something to the phone that can be undone: what
// was half put in waits, and says so.
func (s step) changed() bool {
	half := s.Kind == "put-in" && s.State != "already" && strings.Contains(s.Words, "it was put in")
	return half || (s.Kind == "remove" || s.Kind == "put-in" && s.Package != "") && s.State == "done"
}

func differ(before, now []string) string {
	var b strings.Builder
	for _, name := range before {
		if !slices.Contains(now, name) {
			fmt.Fprintf(&b, "-%s ", name)
		}
	}
	for _, name := range now {
		if !slices.Contains(before, name) {
			fmt.Fprintf(&b, "+%s ", name)
		}
	}
	return b.String()
}

// agrees holds the phone to the journal.
func (w *world) agrees(at *place, r ran, how string) {
	w.t.Helper()
	off := map[string]bool{}
	removed, hushed, in := map[string]int{}, map[string]bool{}, map[string]bool{}
	out := map[string]bool{} // of the image
	for _, s := range r.Steps {
		if s.State == "unknown" || s.State == "sent" {
			w.t.Errorf("%s: step %d is %s though the phone was looked at", how, s.Number, s.State)
		}
		if s.State != "done" {
			continue
		}
		switch {
		case s.Method == "quieten":
			hushed[s.Package] = s.Kind == "remove"
			continue
		case s.Method == "remove-from-image" && (s.Kind == "remove" || s.Kind == "put-back"):
			out[s.Package] = s.Kind == "remove"
			continue
		case s.Kind == "put-in" || s.Kind == "take-out":
			in[s.Package] = s.Kind == "put-in"
		}
		switch s.Kind {
		case "remove":
			off[s.Package] = true
			removed[s.Package]++
		case "put-back":
			delete(off, s.Package)
		}
	}
	now, times := at.there(), at.phone.TakenOff()
	for name, is := range out {
		// What is out of the image is there until the phone starts again, and what is
		// back in it is not until then.
		image, there := at.imageOf(name), slices.Contains(now, name)
		off[name] = !there
		if (image.State == android.IsMasked || image.State == android.IsErased) != is {
			w.t.Errorf("%s: the journal says that %s is out of the image: %t; it is %s there", how, name, is, image.State)
		}
	}
	for name, is := range hushed {
		if noise := at.hear(name); noise.Quiet() != is || !is && noise.String() != at.noise[name] {
			w.t.Errorf("%s: the journal says that %s is quiet: %t; it may do %s, and might do %s", how, name, is, noise, at.noise[name])
		}
	}
	for name, is := range in {
		if slices.Contains(now, name) != is {
			w.t.Errorf("%s: the journal says that %s is put in: %t; the phone has it: %t", how, name, is, !is)
		}
	}
	for _, name := range at.before {
		if slices.Contains(now, name) == off[name] {
			w.t.Errorf("%s: the journal says that %s is off: %t; the phone has it: %t", how, name, off[name], slices.Contains(now, name))
		}
		if n := times[name] - at.times[name]; n != removed[name] {
			w.t.Errorf("%s: %s went %d times, and the journal knows of %d", how, name, n, removed[name])
		}
	}
}
