package bench

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"roster/bench/adb"
	"roster/core/android"
)

// Progress says how far a capture is.
type Progress struct {
	// Step counts from 1 to Steps; Asking is what is being asked for.
	Step   int    `json:"step"`
	Steps  int    `json:"steps"`
	Asking string `json:"asking"`
	// Bytes is how much the phone has answered so far in all.
	Bytes int64 `json:"bytes"`
}

// question is one command of a capture.
type question struct {
	asking  string
	command string
	// simpler is asked instead where the phone refuses an option.
	simpler string
	timeout time.Duration
	limit   int
	answer  func(*android.Inputs, *bytes.Buffer)
}

const (
	megabyte = 1 << 20
	short    = 30 * time.Second
)

// questions are few and wide, because each costs a round trip to the phone.
var questions = []question{
	{"who it is", "getprop", "", short, 4 * megabyte,
		func(in *android.Inputs, b *bytes.Buffer) { in.Properties = b }},
	{"every package it knows", "pm list packages -u -f -i -U --show-versioncode --user 0", "pm list packages -u -f -i --user 0", short, 16 * megabyte,
		func(in *android.Inputs, b *bytes.Buffer) { in.Known = b }},
	{"what is installed", "pm list packages --user 0", "", short, 16 * megabyte,
		func(in *android.Inputs, b *bytes.Buffer) { in.Installed = b }},
	{"what is switched off", "pm list packages -d --user 0", "", short, 16 * megabyte,
		func(in *android.Inputs, b *bytes.Buffer) { in.Disabled = b }},
	{"what belongs to the system", "pm list packages -s --user 0", "", short, 16 * megabyte,
		func(in *android.Inputs, b *bytes.Buffer) { in.System = b }},
	{"what each package is", "dumpsys package", "", 3 * time.Minute, 128 * megabyte,
		func(in *android.Inputs, b *bytes.Buffer) { in.Dump = b }},
}

// Capture asks a phone what it has. When the phone vanishes in the middle the
// capture is returned with what had arrived, marked incomplete, together with
// an error that wraps adb.ErrGone. Without its properties nobody can tell
// whose capture it would be: then the capture is nil.
func Capture(ctx context.Context, client *adb.Client, serial string, tell func(Progress)) (*android.Capture, error) {
	session, err := client.Open(ctx, serial)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	var in android.Inputs
	p := Progress{Steps: len(questions)}
	var failed error
	for i, q := range questions {
		p.Step, p.Asking = i+1, q.asking
		tell(p)
		answer, err := ask(session, q)
		if answer.Len() > 0 || err == nil {
			q.answer(&in, answer)
		}
		p.Bytes += int64(answer.Len())
		if err != nil {
			failed = fmt.Errorf("asking for %s: %w", q.asking, err)
			break
		}
	}
	if in.Properties == nil {
		return nil, failed
	}
	capture, err := android.Read(in)
	if err != nil {
		return nil, errors.Join(failed, err)
	}
	if failed != nil {
		capture.Complete = false
		capture.Missing = strings.TrimPrefix(capture.Missing+"; the phone went away", "; ")
	}
	return capture, failed
}

// ask puts one question, in simpler words where the phone does not know an
// option.
func ask(session *adb.Session, q question) (*bytes.Buffer, error) {
	var out bytes.Buffer
	w := &bounded{&out, q.limit}
	_, err := session.Stream(q.command+" 2>&1", q.timeout, w)
	if err == nil && q.simpler != "" && bytes.Contains(out.Bytes()[:min(out.Len(), 400)], []byte("Unknown option")) {
		out.Reset()
		_, err = session.Stream(q.simpler+" 2>&1", q.timeout, w)
	}
	return &out, err
}

type bounded struct {
	b    *bytes.Buffer
	most int
}

func (w *bounded) Write(p []byte) (int, error) {
	if w.b.Len()+len(p) > w.most {
		return 0, adb.ErrTooMuch
	}
	return w.b.Write(p)
}
