package run

import (
	"bufio"
	"errors"
	"fmt"
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

// LogFormat is the first line of a log: what a run did, as the scripts of a
// release write it down and their undo reads it. After it come lines that begin
// with # (the release's digest, the firmware), then four words with tabs between
// them for each thing done: how it ended, the method or the setting's namespace,
// the package or the key, and the value before: the setting's, what the package might
// do that was quietened, or how it lay on the image that was taken out of it. What was put in has put-in, its role or "-", the
// package, and its Place before.
const LogFormat = "# roster-log/1"

// maxLog bounds a log that is read, maxLogLines what is taken of it.
const (
	maxLog      = 1 << 20
	maxLogLines = 5_000
)

// Log writes what a run did as a log of the release with a digest.
func Log(list []Journal, digest, fingerprint string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n# release %s\n# firmware %s\n", LogFormat, digest, fingerprint)
	line := func(parts ...string) { b.WriteString(strings.Join(parts, "\t") + "\n") }
	off, set, in := Off(list), Set(list), PutIns(list)
	for _, j := range list {
		switch same := func(o Journal) bool { return o.Number == j.Number }; j.Kind {
		case Setting:
			if slices.ContainsFunc(set, same) {
				line("setting", j.Namespace, j.Key, j.Before)
			}
		case PutIn:
			if slices.ContainsFunc(in, same) {
				role := j.Role
				if role == "" {
					role = "-"
				}
				line("put-in", role, string(j.Package), j.Before)
			}
		case Remove:
			if state := logged(j, slices.ContainsFunc(off, same)); state != "" {
				before := ""
				if j.quietens() || j.FromImage() {
					before = j.Before
				}
				line(state, string(j.Method), string(j.Package), before)
			}
		}
	}
	return b.String()
}

// logged is the word of a removal in a log, "" for one that was put back or never
// tried.
func logged(j Journal, off bool) string {
	switch j.State {
	case Done:
		if off {
			return "done"
		}
	case Sent, Unknown:
		return "unknown"
	case Already, Refused, Skipped:
		return string(j.State)
	case Failed:
		return "refused"
	}
	return ""
}

// Logged is what a log says that was done.
type Logged struct {
	Digest      string `json:"digest"`
	Fingerprint string `json:"fingerprint"`
	// Steps are removals and settings that can be put back, as done; numbered
	// from 1 in their order.
	Steps []Journal `json:"-"`
	// LeftOut are lines that were not understood, each with why.
	LeftOut []string `json:"leftOut"`
}

// ReadLog reads a log, whoever wrote it: nothing in it is taken that could not
// stand in a command.
func ReadLog(text string) (Logged, error) {
	l := Logged{LeftOut: []string{}}
	switch {
	case len(text) > maxLog:
		return l, fmt.Errorf("a log over %d MB: no run writes that much", maxLog>>20)
	case !strings.HasPrefix(text, LogFormat):
		return l, errors.New("this is not the log of a run: its first line is not " + LogFormat)
	}
	lines := bufio.NewScanner(strings.NewReader(text))
	lines.Buffer(nil, maxLog+1)
	for n := 1; lines.Scan(); n++ {
		line := strings.TrimSuffix(lines.Text(), "\r")
		if rest, ok := strings.CutPrefix(line, "# release "); ok {
			l.Digest = android.Printable(rest, 64)
		} else if rest, ok := strings.CutPrefix(line, "# firmware "); ok && profile.GoodFingerprint(rest) {
			l.Fingerprint = rest
		}
		if line == "" || line[0] == '#' {
			continue
		}
		j, err := logLine(strings.Split(line, "\t"))
		if err == nil && len(l.Steps) == maxLogLines {
			err = errors.New("more than any run does")
		}
		switch {
		case err != nil && len(l.LeftOut) < 50:
			l.LeftOut = append(l.LeftOut, fmt.Sprintf("line %d: %v", n, err))
		case err == nil && j.State == Done:
			j.Number = len(l.Steps) + 1
			l.Steps = append(l.Steps, j)
		}
	}
	return l, lines.Err()
}

// logLine reads a line. One that tells of nothing to put back has no state.
func logLine(parts []string) (j Journal, err error) {
	parts = append(parts, "", "", "")
	state, kind, name, rest := parts[0], parts[1], parts[2], parts[3]
	switch state {
	case "setting":
		j.Step = Step{Kind: Setting, Namespace: kind, Key: name}
		if err := profile.CheckSetting(kind, name); err != nil {
			return j, err
		}
		if !goodValue(rest) {
			return j, fmt.Errorf("%s had a value that can't be put back", name)
		}
		j.State, j.Before = Done, rest
	case "put-in":
		p, err := android.ParsePackageName(name)
		if err != nil {
			return j, err
		}
		if kind == "-" {
			kind = ""
		}
		if strings.Trim(kind, "ABCDEFGHIJKLMNOPQRSTUVWXYZ_") != "" {
			return j, fmt.Errorf("%q is no role", android.Printable(kind, 40))
		}
		j.Step, j.State, j.Before = Step{Kind: PutIn, Package: p, Role: kind}, Done, ParsePlace(rest).String()
	case "done", "unknown":
		method := evidence.Method(kind)
		if !slices.Contains(evidence.Methods, method) {
			return j, fmt.Errorf("%q is no method", android.Printable(kind, 40))
		}
		p, err := android.ParsePackageName(name)
		if err != nil {
			return j, err
		}
		j.Step, j.State = Step{Kind: Remove, Method: method, Package: p}, Done
		if method == evidence.Quieten {
			if _, ok := android.ParseNoise(rest); !ok {
				return j, fmt.Errorf("it does not say what %s might do before it was quietened", p)
			}
			j.Before = rest
		}
		if method == evidence.RemoveFromImage {
			if i, ok := android.ParseImage(rest); !ok || i.Folder == "" {
				return j, fmt.Errorf("it does not say where on the image %s lay", p)
			}
			j.Before = rest
		}
	case "sent", "already", "refused", "skipped":
	default:
		return j, fmt.Errorf("it begins with %q, which no log does", android.Printable(state, 40))
	}
	return j, nil
}

// goodValue reports whether a setting's value is one that the scripts put back,
// too.
func goodValue(s string) bool {
	return s != "" && len(s) <= 200 && strings.IndexFunc(s, func(r rune) bool {
		return (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') && !strings.ContainsRune("_.:,/ -", r)
	}) < 0
}
