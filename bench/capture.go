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
	questions := Questions()
	p := Progress{Steps: len(questions)}
	var failed error
	for i, q := range questions {
		p.Step, p.Asking = i+1, q.Asking
		tell(p)
		n, err := ask(session, &reading, q)
		p.Bytes += n
		if err == nil && q.refused(&reading) {
			q.Commands = []string{simpler}
			n, err = ask(session, &reading, q)
			p.Bytes += n
		}
		if err != nil {
			failed = fmt.Errorf("asking for %s: %w", q.Asking, err)
			break
		}
	}
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

// refused reports whether the phone does not know how to answer the question as it
// was put, and has to be asked in simpler words.
func (q Question) refused(reading *android.Reading) bool {
	return slices.Contains(q.Commands, everyPackage) && reading.Refused(android.SectionPackageList+" -u")
}

// CaptureUnread asks a phone what it has, as Capture does, and hands over what it
// says for somebody else to read: together the answers read like a terminal's
// contents. Only what tells who it is, and whether simpler questions are needed,
// is read here. All questions are sent ahead: how long one is under way costs
// nothing. Where the phone vanishes in the middle the error wraps services.ErrGone,
// and what it had said by then was handed over.
func CaptureUnread(ctx context.Context, host services.Host, serial string, tell func(Progress), w io.Writer) (who android.Identity, err error) {
	session, err := services.Shell(ctx, host, serial)
	if err != nil {
		return who, err
	}
	defer session.Close()
	questions := Questions()
	var all time.Duration
	for _, q := range questions {
		all += q.timeout
	}
	for _, q := range questions {
		if err := session.Ahead(q.Line(), all); err != nil {
			return who, fmt.Errorf("asking for %s: %w", q.Asking, err)
		}
	}
	var reading android.Reading
	p := Progress{Steps: len(questions)}
	for i := 0; i < len(questions) && err == nil; i++ {
		q := questions[i]
		p.Step, p.Asking = i+1, q.Asking
		tell(p)
		var n int64
		if n, err = hearUnread(session, &reading, q, w); err != nil {
			err = fmt.Errorf("asking for %s: %w", q.Asking, err)
		}
		p.Bytes += n
	}
	if i := slices.IndexFunc(questions, func(q Question) bool { return q.refused(&reading) }); i >= 0 && err == nil {
		q := questions[i]
		q.Commands = []string{simpler}
		if err = session.Ahead(q.Line(), q.timeout); err == nil {
			_, err = hearUnread(session, &reading, q, w)
		}
	}
	if !reading.Known() {
		return who, err
	}
	c, wrong := reading.Capture()
	if wrong != nil {
		return who, errors.Join(err, wrong)
	}
	return c.Identity, err
}

// hearUnread hands on the answer to a question as it comes, and reads along where
// that is little. What is handed on ends with its line.
func hearUnread(session *services.Session, reading *android.Reading, q Question, out io.Writer) (int64, error) {
	to, along := out, reading.Text("")
	if !slices.Contains(q.Commands, packageDump) { // which is nearly all that a phone says
		to = io.MultiWriter(along, out)
	}
	w := &bounded{w: to, left: q.limit}
	_, err := session.StreamAnswer(q.timeout, w)
	if closed := along.Close(); err == nil && !errors.Is(closed, android.ErrNotOutput) {
		err = closed
	}
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
