package main

import (
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"roster/bench"
	"roster/core/android"
	"roster/core/gain"
	"roster/core/wording"
)

func measureCommand() *cobra.Command {
	var to remote
	var phone string
	var asJSON bool
	c := &cobra.Command{
		Use:   "measure",
		Short: "Measure what a phone of a bench uses, as it is",
		Long: `Asks a phone what it uses now: memory, how long its start took, wake-ups, what each package that
came with it takes. Nothing is changed, and it is not restarted; the server keeps what it says.`,
		Example: `  roster bench measure --phone "Lyra 5"
  roster bench measure --phone 192.0.2.7:5555 --json`,
		Args: noArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			ctx, out := c.Context(), c.OutOrStdout()
			p, err := to.phone(ctx, phone)
			if err != nil {
				return err
			}
			var asked struct{ ID string }
			body := map[string]string{"kind": bench.KindMeasure, "phone": p.Handle}
			if err := to.ask(ctx, http.MethodPost, "/api/v1/benches/"+p.bench+"/requests", nil, body, &asked); err != nil {
				return err
			}
			result, err := to.job(ctx, asked.ID)
			if err != nil {
				return err
			}
			if asJSON {
				_, err := fmt.Fprintln(out, string(result))
				return err
			}
			var m bench.Measured
			if err := json.Unmarshal(result, &m); err != nil {
				return err
			}
			return tellMeasured(out, m)
		},
	}
	to.flags(c)
	c.Flags().StringVar(&phone, "phone", "", "the phone: its address, its name or its handle on the Bench page")
	c.Flags().BoolVar(&asJSON, "json", false, "print the measurement as JSON")
	return c
}

// tellMeasured prints a measurement, a line for each thing that the phone tells.
func tellMeasured(out io.Writer, m bench.Measured) error {
	var b strings.Builder
	line := func(what, format string, a ...any) {
		fmt.Fprintf(&b, "%-18s "+format+"\n", append([]any{what}, a...)...)
	}
	line("memory to be had", "%s of %s", wording.Bytes(m.MemAvailable), wording.Bytes(m.MemTotal))
	if !slices.Contains(m.Missing, android.AsksStart) {
		line("start took", "%.1f s", m.StartTook)
	}
	line("processes", "%d, and %s", m.Processes, wording.Count(m.Services, "service"))
	if m.Uptime >= 60 {
		line("woken by alarms", "%.0f times an hour", float64(m.Wakeups)*3600/m.Uptime)
	}
	for _, name := range slices.Sorted(maps.Keys(m.Openings)) {
		line("opening "+name, "%d ms", m.Openings[name].Took)
	}
	line("state", "screen %s, charger %s, up for %.0f s", cmp.Or(m.Screen, "not told"), cmp.Or(m.Plugged, "not told"), m.Uptime)
	if len(m.Missing) > 0 {
		line("not told", "%s", strings.Join(m.Missing, "; "))
	}
	_, err := io.WriteString(out, b.String())
	return err
}

// gainLines say what a run brought its phone, a line for each thing that changed.
func gainLines(d gain.Difference) string {
	var b strings.Builder
	bytes := func(v float64) string { return wording.Bytes(int64(v)) }
	plain := func(format string) func(float64) string {
		return func(v float64) string { return fmt.Sprintf(format, v) }
	}
	for _, t := range []struct {
		quantity gain.Quantity
		what     string
		write    func(float64) string
	}{
		{gain.Memory, "memory to be had", bytes}, {gain.Start, "start took", plain("%.1f s")}, {gain.Wakeups, "woken in an hour", plain("%.0f times")},
		{gain.Opening, "opening a screen", plain("%.0f ms")}, {gain.Processes, "processes", plain("%.0f")}, {gain.Data, "room for data", bytes},
	} {
		c, told := d[t.quantity]
		if before, after := t.write(c.Before), t.write(c.After); told && before != after {
			fmt.Fprintf(&b, "  %-18s %s before, %s after\n", t.what, before, after)
		}
	}
	return b.String()
}
