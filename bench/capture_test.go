package bench_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"roster/bench"
	"roster/bench/adb/adbtest"
	"roster/bench/services"
	"roster/demo"
	"roster/phone"
)

// TestVanish cuts the cable in the middle of every answer.
func TestVanish(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	for _, fault := range []phone.Fault{
		{Command: "getprop", AfterBytes: 0}, {Command: "getprop", AfterBytes: 100}, {Command: "pm list packages -u", AfterBytes: 0},
		{Command: "pm list packages -d", AfterBytes: 5}, {Command: "dumpsys package", AfterBytes: 0}, {Command: "dumpsys package", AfterBytes: 90_000},
	} {
		fault.Do = "unplug"
		s := scenario(t)
		s.Faults = []phone.Fault{fault}
		_, serial := attach(t, c, s)
		until(t, c, serial, "device")
		got, err := bench.Capture(t.Context(), c, serial, func(bench.Progress) {})
		if !errors.Is(err, services.ErrGone) {
			t.Errorf("%+v: %v", fault, err)
		}
		switch {
		case fault.Command == "getprop":
			if got != nil && len(got.Packages) > 0 {
				t.Errorf("%+v: a capture of nobody", fault)
			}
		case got == nil || got.Complete || got.Missing == "":
			t.Errorf("%+v: passes as whole: %+v", fault, got)
		case fault.AfterBytes == 90_000 && len(got.Packages) != len(s.Packages):
			t.Errorf("%+v: %d packages kept, the lists had told %d", fault, len(got.Packages), len(s.Packages))
		}
	}
}

func TestHang(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	s := scenario(t)
	s.Faults = []phone.Fault{{Command: "getprop", AfterBytes: 50, Do: "hang"}}
	_, serial := attach(t, c, s)
	until(t, c, serial, "device")
	session, err := services.Shell(t.Context(), c, serial)
	if err != nil {
		t.Fatal(err)
	}
	defer session.Close()
	if _, err := session.Run("getprop", 300*time.Millisecond, 1000); err == nil || !strings.Contains(err.Error(), "in time") {
		t.Errorf("a phone that says no more: %v", err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 200*time.Millisecond)
	defer cancel()
	start := time.Now()
	if _, err := bench.Capture(ctx, c, serial, func(bench.Progress) {}); err == nil || time.Since(start) > 2*time.Minute {
		t.Errorf("cancelling took %v: %v", time.Since(start), err)
	}
}

func TestManyPhonesAtOnce(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	var wait sync.WaitGroup
	for i := range 20 {
		s := scenario(t)
		s.Latency = 20 * time.Millisecond
		s.Serial = fmt.Sprint("PHONE", i)
		s.Properties["ro.serialno"] = s.Serial
		_, serial := attach(t, c, s)
		until(t, c, serial, "device")
		wait.Go(func() {
			got, err := bench.Capture(context.Background(), c, serial, func(bench.Progress) {})
			if err != nil || !got.Complete || got.Identity.Serial != s.Serial {
				t.Errorf("phone %d: %v", i, err)
			}
		})
	}
	wait.Wait()
}

// BenchmarkCapture captures a stand-in with 420 packages and 20 ms latency a
// command. It reports how much of the time is not the phone's own: that of the
// same questions asked by the adb program, whose answers nobody reads.
func BenchmarkCapture(b *testing.B) {
	c := adbtest.StartTCP(b)
	s, err := phone.Of(demo.World, "models/fen.yaml", "Harrow 13.0.2", "BENCH")
	if err != nil {
		b.Fatal(err)
	}
	s.Latency = 20 * time.Millisecond
	if len(s.Packages) != 420 {
		b.Fatalf("%d packages", len(s.Packages))
	}
	_, serial := attach(b, c, s)
	until(b, c, serial, "device")
	var ours, phones time.Duration
	n := 0
	for b.Loop() {
		n++
		start := time.Now()
		if got, err := bench.Capture(b.Context(), c, serial, func(bench.Progress) {}); err != nil || len(got.Packages) != 420 {
			b.Fatal(err)
		}
		ours += time.Since(start)
		b.StopTimer()
		start = time.Now()
		var lines []string
		for _, q := range bench.Questions() {
			lines = append(lines, q.Line())
		}
		run(b, c, serial, "shell", strings.Join(lines, "; "))
		phones += time.Since(start)
		b.StartTimer()
	}
	b.ReportMetric(100*(ours-phones).Seconds()/ours.Seconds(), "%-our-share")
	b.ReportMetric(float64(phones.Milliseconds())/float64(n), "phone-ms")
}
