package bench_test

import (
	"strings"
	"testing"

	"roster/bench"
	"roster/core/android"
	"roster/core/gain"
	core "roster/core/run"
	"roster/phone"
)

// TestRunMeasures measures a phone before and after over real adb: what has gone is
// gained, and an owner's app is not kept by name.
func TestRunMeasures(t *testing.T) {
	t.Parallel()
	s, p := ready(t, func(c *phone.Scenario) {
		for i := range c.Packages {
			if c.Packages[i].Owner {
				c.Packages[i].Memory = 90
			}
		}
	})
	measure, restart := core.Step{Kind: core.Measure}, core.Step{Kind: core.Restart}
	k := keep(t, restart, measure,
		remove("com.brannock.feed.daily"), remove("com.brannock.games.hub"), remove("com.brannock.video"),
		restart, measure, core.Step{Kind: core.Look})
	var list []android.Measurement
	k.answered = func(a core.StepAnswer) {
		if a.Measured != nil {
			list = append(list, *a.Measured)
		}
	}
	if err := k.do(s, p); err != nil || k.all() != strings.TrimSpace(strings.Repeat("done ", 8)) || len(list) != 2 {
		t.Fatalf("%v: %s %v, %s %s", err, k.all(), k.words, k.end, k.why)
	}
	if !strings.Contains(k.words[2], "of memory to be had") {
		t.Errorf("%q", k.words[2])
	}
	d := gain.Between(list[:1], list[1:])
	const gone = (62 + 38) << 20 // as the sample world has it, and as much more or less as two starts differ
	if memory := d[gain.Memory].Gained; memory < gone*0.4 || memory > gone*1.6 || d[gain.Processes].Gained != 2 ||
		d[gain.Services].Gained != 2 || len(d) != len(gain.Quantities()) {
		t.Errorf("%+v", d)
	}
	for _, m := range list {
		if len(m.Missing) != 0 || m.Owner.Memory < 80<<20 {
			t.Errorf("%+v, missing %q", m.Owner, m.Missing)
		}
		if _, named := m.Uses["org.tidewater.checkin"]; named {
			t.Error("an owner's app is kept by name")
		}
	}
	if feed, video := gain.UseOf(&list[0], "com.brannock.feed.daily"), gain.UseOf(&list[0], "com.brannock.video"); feed.Memory < 40<<20 || !video.Nothing() {
		t.Errorf("%+v, %+v", feed, video)
	}
}

// TestMeasureInterrupted has the cable fall out and commands end while a phone is
// measured, without a run: half a measurement is none.
func TestMeasureInterrupted(t *testing.T) {
	t.Parallel()
	for _, fault := range []phone.Fault{
		{Command: "dumpsys meminfo", Do: "unplug"}, {Command: "dumpsys batterystats", AfterBytes: 200, Do: "unplug"},
		{Command: "timeout 8 am", After: 4, Do: "unplug"}, {Command: "dumpsys alarm", Do: "end"},
	} {
		t.Run(fault.Command, func(t *testing.T) {
			t.Parallel()
			s, p := ready(t, func(c *phone.Scenario) { c.Faults = []phone.Fault{fault} })
			value, err := s.Do(t.Context(), bench.Request{Kind: bench.KindMeasure, Phone: p.Handle}, nil)
			if err == nil || value != nil || !strings.Contains(bench.Explain(err), "phone") {
				t.Errorf("%v, %+v", err, value)
			}
		})
	}
}
