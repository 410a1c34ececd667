package android

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// ErrTwoPhones is wrapped by the error for outputs that tell of two phones.
var ErrTwoPhones = errors.New("these outputs are of two phones")

// ErrNotOutput is wrapped by the error for a file in which nothing that a
// phone prints was found.
var ErrNotOutput = errors.New("this is not an output that Roster knows")

// Reading gathers what the outputs of one phone say, in whatever order and
// mixture they come. The zero value is ready to use.
type Reading struct {
	props     Properties
	propsFrom *Text
	dump      *dumpOutput
	lists     map[string][]Listed
	phone     PhoneFacts
	keyboard  string
	sizes     sizes
	reports   []Report
	whole     *Capture // a portable capture file
	room      *room    // for all of it; see space
	left      int      // outputs beyond maxReports, which were left out
	lines     int      // of all texts
	err       error
}

// space is the room for what is kept.
func (r *Reading) space() *room {
	if r.room == nil {
		r.room = newRoom()
	}
	return r.room
}

// Text takes a text that a phone printed: one output, several one after the
// other, a terminal's contents with the commands that were typed, or a bug
// report. Close it before asking for the capture.
type Text struct {
	r    *Reading
	from string

	split    splitter
	open     output
	keep     func(t *Text, line int) (foreign bool)
	name     string // what guess called the open output
	explicit bool   // a heading named the open output, and a heading ends it
	bug      bool   // a bug report: nothing outside named sections is looked at
	foreign  bool   // what follows is of another phone
	found    int
	stray    Report
	bytes    int64
}

// Text begins a text; from names it in messages.
func (r *Reading) Text(from string) *Text {
	t := &Text{r: r, from: Printable(from, 80), stray: Report{Section: "text between outputs", Complete: true}}
	t.stray.From = t.from
	t.split.each = t.line
	t.split.long = func(n int) {
		if t.open != nil {
			t.open.about().note(n, nil, tooLong)
		}
	}
	return t
}

// Read takes a whole text from a stream.
func (r *Reading) Read(from string, src io.Reader) error {
	t := r.Text(from)
	if _, err := io.CopyBuffer(struct{ io.Writer }{t}, struct{ io.Reader }{src}, make([]byte, 256<<10)); err != nil {
		return err
	}
	return t.Close()
}

// Write takes the next bytes. It fails where all texts together have more lines
// than any phone prints.
func (t *Text) Write(p []byte) (int, error) {
	t.bytes += int64(len(p))
	n, err := t.split.Write(p)
	if t.r.lines > maxLines {
		err = fmt.Errorf("%s: over %d million lines are more than any phone prints; nothing more of it was read", t.from, maxLines/1_000_000)
	}
	return n, err
}

// Close ends the text. The error wraps ErrTwoPhones or ErrNotOutput; what was
// read before stays read.
func (t *Text) Close() error {
	whole := t.split.close()
	t.end(whole, t.split.n)
	if len(t.stray.Notes) > 0 && t.found > 0 {
		t.r.reports = append(t.r.reports, t.stray)
	}
	if t.r.left > 0 && len(t.r.reports) == maxReports {
		report := Report{Section: "outputs", From: t.from}
		report.note(t.split.n, nil, "there are more outputs than one phone prints; those after the first were left out")
		report.overflow()
		report.close()
		t.r.reports = append(t.r.reports, report)
	}
	if t.r.err == nil && t.found == 0 && !t.foreign {
		return fmt.Errorf("%s: %w; it reads getprop, pm list packages, dumpsys package and their like, loose or in a zip, and bug reports", t.from, ErrNotOutput)
	}
	return t.r.err
}

func (t *Text) line(n int, b []byte) {
	t.r.lines++
	if len(b) > 0 && b[0] != ' ' && b[0] != '\t' && t.margin(n, b) {
		return
	}
	if t.open != nil {
		t.open.about().Lines++
		t.open.line(n, b)
		return
	}
	if !t.bug && !t.explicit && !t.foreign && len(bytes.TrimSpace(b)) > 0 {
		t.stray.note(n, b, "not part of any output that Roster knows; put the command that printed it on a line before it, as in: $ ime list -s -a")
	}
}

// margin looks at a line that is not indented: a heading, or the start of an
// output. It reports whether the line was a heading, and used up.
func (t *Text) margin(n int, b []byte) bool {
	switch b[0] {
	case 'p': // a line of a list, as most are
	case '[':
		if p, ok := t.open.(*propertiesOutput); ok && p.again(b) {
			// getprop tells nothing twice: this is another output of it.
			explicit := t.explicit
			t.end(true, n-1)
			t.begin(openProperties)
			t.name, t.explicit = "properties", explicit
		}
	case '=':
		if bytes.HasPrefix(b, []byte("== dumpstate")) {
			t.end(true, n)
			t.bug, t.stray.Notes = true, nil
			return true
		}
	case '-':
		// "------ SYSTEM PROPERTIES (getprop) ------", the line before a
		// service's dump, and the one after it.
		if bytes.HasPrefix(b, []byte("------")) {
			t.end(true, n)
			if bytes.HasPrefix(b, []byte("------ SYSTEM PROPERTIES")) {
				t.begin(fixed["getprop"])
			}
			t.explicit = true
			return true
		}
	case 'D':
		if rest, ok := bytes.CutPrefix(b, []byte("DUMP OF SERVICE ")); ok {
			words := strings.Fields(strings.TrimSuffix(string(bytes.TrimSpace(rest)), ":"))
			t.end(true, n)
			if len(words) > 0 {
				t.begin(fixed["dumpsys "+words[len(words)-1]])
			}
			t.explicit = true
			return true
		}
	default:
		if t.bug {
			break
		}
		if words, ok := commandLine(b); ok {
			if o := answerTo(words); o != nil || t.explicit || b[0] == '$' {
				t.end(true, n)
				t.begin(o)
				t.explicit = true
				return true
			}
		}
	}
	if t.bug || t.explicit {
		return false
	}
	if p, ok := t.open.(*propertiesOutput); ok && p.open {
		return false // inside a value
	}
	if name, o := guess(b); o != nil && name != t.name {
		t.end(true, n)
		t.begin(o)
		t.name = name
	}
	return false
}

// begin opens an output; nil leaves out what follows.
func (t *Text) begin(o opener) {
	if o == nil || t.foreign {
		return
	}
	if t.found++; len(t.r.reports) >= maxReports {
		t.r.left++
		return
	}
	t.open, t.keep = o(t.r)
	t.open.about().From = t.from
}

// end closes the open output at line n.
func (t *Text) end(whole bool, n int) {
	t.name, t.explicit = "", false
	if t.open == nil {
		return
	}
	o, keep := t.open, t.keep
	t.open, t.keep = nil, nil
	o.end(whole)
	o.about().close()
	if t.found == 1 {
		o.about().Bytes = t.bytes
	}
	if keep != nil && keep(t, n) {
		t.foreign = true
	}
	if o.about().Section != "" {
		t.r.reports = append(t.r.reports, *o.about())
	}
}

// addProperties keeps the first phone's properties. A second phone in the
// same text ends what is read of it; in another file nobody can tell whose
// the other outputs are.
func (r *Reading) addProperties(o *propertiesOutput, from *Text, line int) (foreign bool) {
	if r.props == nil {
		r.props, r.propsFrom = o.props, from
		return false
	}
	if samePhone(r.props, o.props) {
		for k, v := range o.props {
			if _, known := r.props[k]; !known {
				r.props[k] = v
			}
		}
		return false
	}
	if r.propsFrom != from && r.err == nil {
		r.err = fmt.Errorf("%w: %s tells of %s, %s of %s; send the outputs of one phone at a time", ErrTwoPhones, r.propsFrom.from, who(r.props), from.from, who(o.props))
		return true
	}
	o.report.note(max(1, line-o.report.Lines+1), []byte(who(o.props)), "a second phone begins here; it and what follows was left out")
	o.report.Complete, o.report.Missing = true, ""
	return true
}

func samePhone(a, b Properties) bool {
	for _, k := range []string{"ro.build.fingerprint", "ro.system.build.fingerprint", "ro.serialno", "ro.product.device"} {
		if a[k] != "" && b[k] != "" && a[k] != b[k] {
			return false
		}
	}
	return true
}

func who(p Properties) string {
	id, _ := Identify(p)
	return strings.TrimSpace(id.Manufacturer + " " + id.Model + " " + id.Incremental)
}

func (r *Reading) addDump(o *dumpOutput) {
	if r.dump != nil {
		o.report = Report{Section: SectionPackageDump, From: o.report.From, Complete: true}
		o.report.note(1, nil, "a second dump of the packages; the first one was kept")
		return
	}
	if o.seen || o.report.Missing != "" {
		r.dump = o
	}
}

func (r *Reading) addList(o *listOutput) {
	if r.lists == nil {
		r.lists = map[string][]Listed{}
	}
	if have, twice := r.lists[o.option]; twice && len(have) > 0 {
		if !slices.Equal(have, o.list) {
			o.report.note(1, nil, "a second list of the same kind; the first one was kept")
		}
		return
	}
	if o.report.Refused == "" {
		r.lists[o.option] = o.list
	}
}

// Refused reports whether the phone did not know a command of this section.
func (r *Reading) Refused(section string) bool {
	return slices.ContainsFunc(r.reports, func(x Report) bool { return x.Section == section && x.Refused != "" })
}

// Known reports whether the phone's properties have been read.
func (r *Reading) Known() bool { return r.props != nil || r.whole != nil }
