package bench

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"roster/bench/services"
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

// Question is what a capture asks for in one go: few and wide, because each
// costs a round trip to the phone.
type Question struct {
	// Asking is what for, in words.
	Asking string
	// Commands are run in one line on the phone, each announced by itself, so
	// that the answer reads like a terminal's contents.
	Commands []string
	timeout  time.Duration
	limit    int64
}

const megabyte = 1 << 20

const (
	packageDump  = "dumpsys package"
	everyPackage = "pm list packages -u -f -i -U --show-versioncode --user 0"
	// simpler is asked where a phone before Android 9 refuses the options.
	simpler = "pm list packages -u -f -i --user 0"
)

// Questions are those of a capture, in their order.
func Questions() []Question {
	small := []string{"id", "pm list users", "pm list features", "locksettings verify", "dumpsys role"}
	queries := android.RoleQueries()
	for _, role := range slices.Sorted(maps.Keys(queries)) {
		small = append(small, "cmd package query-activities --brief "+queries[role])
	}
	small = append(small, "cmd package query-activities --brief "+android.IconQuery)
	small = append(small, "ime list -s -a", "settings get secure default_input_method", "cmd overlay list", "dumpsys webviewupdate", "dumpsys device_policy", "dumpsys diskstats")
	return []Question{
		{"who it is", []string{"getprop"}, 30 * time.Second, 4 * megabyte},
		{"what it is set up for", small, time.Minute, 32 * megabyte},
		{"which packages it has", []string{everyPackage, "pm list packages --user 0", "pm list packages -d --user 0", "pm list packages -s"}, time.Minute, 64 * megabyte},
		{"what each package is", []string{packageDump}, 3 * time.Minute, 128 * megabyte},
	}
}

// Line is the command line that asks the question.
func (q Question) Line() string {
	var b strings.Builder
	for _, c := range q.Commands {
		fmt.Fprintf(&b, "echo '$ %s'; %s 2>&1; ", c, c)
		if c == "id" {
			b.WriteString("command -v su; ")
		}
	}
	return strings.TrimSuffix(b.String(), "; ")
}

// Capture asks a phone what it has. When the phone vanishes in the middle the
// capture is returned with what had arrived, marked incomplete, together with
// an error that wraps services.ErrGone. Without its properties nobody can tell
// whose capture it would be: then the capture is nil.
func Capture(ctx context.Context, host services.Host, serial string, tell func(Progress)) (*android.Capture, error) {
	session, err := services.Shell(ctx, host, serial)
	if err != nil {
		return nil, err
	}
	defer session.Close()
	var reading android.Reading
	failed := askAll(&reading, tell, func(q Question) (int64, error) { return ask(session, &reading, q) })
	if !reading.Known() {
		return nil, failed
	}
	capture, err := reading.Capture()
	if err != nil {
		return nil, errors.Join(failed, err)
	}
	if failed != nil {
		capture.Broken()
	}
	return capture, failed
}

// askAll puts the questions of a capture, one after the other.
func askAll(reading *android.Reading, tell func(Progress), ask func(Question) (int64, error)) error {
	questions := Questions()
	p := Progress{Steps: len(questions)}
	for i, q := range questions {
		p.Step, p.Asking = i+1, q.Asking
		tell(p)
		n, err := ask(q)
		p.Bytes += n
		if err == nil && reading.Refused(android.SectionPackageList+" -u") && slices.Contains(q.Commands, everyPackage) {
			q.Commands = []string{simpler}
			n, err = ask(q)
			p.Bytes += n
		}
		if err != nil {
			return fmt.Errorf("asking for %s: %w", q.Asking, err)
		}
	}
	return nil
}

// CaptureUnread asks a phone what it has, as Capture does, and hands over what it
// says for somebody else to read: together the answers read like a terminal's
// contents. Only what tells who it is, and whether simpler questions are needed,
// is read here. Where the phone vanishes in the middle the error wraps
// services.ErrGone, and what it had said by then was handed over.
func CaptureUnread(ctx context.Context, host services.Host, serial string, tell func(Progress), w io.Writer) (who android.Identity, err error) {
	session, err := services.Shell(ctx, host, serial)
	if err != nil {
		return who, err
	}
	defer session.Close()
	var reading android.Reading
	err = askAll(&reading, tell, func(q Question) (int64, error) {
		if slices.Contains(q.Commands, packageDump) { // which is nearly all that it says
			return stream(session, q, w)
		}
		text := reading.Text("")
		n, err := stream(session, q, io.MultiWriter(text, w))
		if closed := text.Close(); err == nil && !errors.Is(closed, android.ErrNotOutput) {
			err = closed
		}
		return n, err
	})
	if !reading.Known() {
		return who, err
	}
	c, wrong := reading.Capture()
	if wrong != nil {
		return who, errors.Join(err, wrong)
	}
	return c.Identity, err
}

// stream puts one question and hands on its answer as it comes, which ends with
// its line.
func stream(session *services.Session, q Question, out io.Writer) (int64, error) {
	w := &bounded{w: out, left: q.limit}
	_, err := session.Stream(q.Line(), q.timeout, w)
	if _, ended := out.Write([]byte{'\n'}); err == nil {
		err = ended
	}
	return q.limit - w.left, err
}

// ask puts one question and reads its answer as it comes.
func ask(session *services.Session, reading *android.Reading, q Question) (int64, error) {
	text := reading.Text("")
	w := &bounded{w: text, left: q.limit}
	_, err := session.Stream(q.Line(), q.timeout, w)
	if closed := text.Close(); err == nil && !errors.Is(closed, android.ErrNotOutput) {
		err = closed
	}
	return q.limit - w.left, err
}

type bounded struct {
	w    io.Writer
	left int64
}

func (w *bounded) Write(p []byte) (int, error) {
	if int64(len(p)) > w.left {
		return 0, services.ErrTooMuch
	}
	w.left -= int64(len(p))
	return w.w.Write(p)
}
