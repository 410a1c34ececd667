package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/mattn/go-isatty"
	"github.com/schollz/progressbar/v3"

	"roster/core/android"
	"roster/core/gain"
	"roster/core/run"
)

// printer shows steps as they end: a bar on a terminal, lines in a pipe.
type printer struct {
	out   io.Writer
	bar   *progressbar.ProgressBar
	shown map[int]run.State
	plain bool
}

func newPrinter(out io.Writer) *printer {
	f, ok := out.(*os.File)
	return &printer{out: out, shown: map[int]run.State{}, plain: !ok || !isatty.IsTerminal(f.Fd())}
}

func (p *printer) step(s journalStep, total, ended int) {
	if !s.State.Ended() || p.shown[s.Number] == s.State {
		return
	}
	p.shown[s.Number] = s.State
	name := string(s.Package)
	if name == "" {
		name = s.Text
	}
	if s.Kind == run.SetBack {
		name = "back: " + s.Key + " = " + s.Value
	}
	if s.Kind == run.PutBack {
		name = "back: " + name
	}
	line := fmt.Sprintf("%3d/%d  %-8s %s  %s", s.Number, total, s.State, android.Printable(name, 200), android.Printable(s.Words, 300))
	bad := s.State == run.Refused || s.State == run.Failed
	if p.plain {
		fmt.Fprintln(p.out, strings.TrimRight(line, " "))
		return
	}
	if p.bar == nil {
		p.bar = progressbar.NewOptions(total, progressbar.OptionSetWriter(p.out), progressbar.OptionShowCount(), progressbar.OptionSetPredictTime(true), progressbar.OptionClearOnFinish())
	}
	if bad {
		p.bar.Clear()
		fmt.Fprintln(p.out, line)
	}
	p.bar.ChangeMax(total)
	p.bar.Describe(android.Printable(name, 40))
	p.bar.Set(ended)
}

// journalStep is a step of a run as the server tells it.
type journalStep struct {
	run.Journal
	Means *run.Meaning `json:"means"`
}

// followed is how a run stands.
type followed struct {
	Run struct {
		ID, State, Why string
		Number         int64
		Settled        bool
		Counts         map[run.State]int
		Back           map[string]string
	}
	Steps []journalStep
	Gain  *struct{ Gained gain.Difference }
}

// errBadRun says that not all went well; what did not was printed.
var errBadRun = errors.New("not all of it went well")

// follow prints a run until it ends; what had ended before is left out where it
// is gone on with. The error says how it ended where not all went well.
func (r *remote) follow(ctx context.Context, out io.Writer, id string, before map[int]run.State) error {
	p := newPrinter(out)
	p.shown = before
	known := map[int]journalStep{}
	return r.events(ctx, "/api/v1/runs/"+id+"/events", func(data []byte) (bool, error) {
		var f followed
		if err := json.Unmarshal(data, &f); err != nil {
			return false, err
		}
		for _, s := range f.Steps {
			known[s.Number] = s
		}
		ended, bad := 0, 0
		for _, s := range known {
			if s.State.Ended() {
				ended++
			}
		}
		for n := 1; n <= len(known); n++ {
			s := known[n]
			p.step(s, len(known), ended)
			if s.State == run.Refused || s.State == run.Failed {
				bad++
				if f.Run.State != "going" && s.Means != nil {
					fmt.Fprintf(out, "  %s: %s\n", s.Package, s.Means.Means)
				}
			}
		}
		if f.Run.State == "going" {
			return false, nil
		}
		return true, summary(out, f, bad)
	})
}

// summary says how a run ended.
func summary(out io.Writer, f followed, bad int) error {
	var parts []string
	for _, state := range []run.State{run.Done, run.Already, run.Absent, run.Refused, run.Failed, run.Skipped, run.Unknown, run.Waiting} {
		if n := f.Run.Counts[state]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", n, state))
		}
	}
	fmt.Fprintf(out, "run %d is %s: %s\n", f.Run.Number, f.Run.State, strings.Join(parts, ", "))
	for name, when := range f.Run.Back {
		fmt.Fprintf(out, "  came back: %s (%s)\n", android.Printable(name, 255), when)
	}
	if f.Gain != nil && f.Run.State == string(run.Finished) {
		io.WriteString(out, gainLines(f.Gain.Gained))
	}
	switch f.Run.State {
	case "finished", "put-back":
		if bad > 0 {
			return errBadRun
		}
		return nil
	}
	return fmt.Errorf("%s; go on with: roster bench continue %d, or undo it with: roster bench put-back %d", printableLines(f.Run.Why), f.Run.Number, f.Run.Number)
}
