package android

import (
	"bytes"
	"io"
	"strings"
	"unicode/utf8"
)

// maxLine is the longest line that is kept whole. Nothing that Android prints
// and Roster needs comes near it.
const maxLine = 1 << 20

// maxNotes bounds what one reader remembers of lines that it did not
// understand; further ones are counted.
const maxNotes = 100

// Note is a line that looked like data and was not understood.
type Note struct {
	// Section names the output the line stands in, such as "dumpsys package".
	Section string `json:"section"`
	// Line counts from 1 in the file or answer that holds the output.
	Line int `json:"line"`
	// Text is the line, shortened, with control characters replaced.
	Text string `json:"text"`
	// Why says what was expected.
	Why string `json:"why"`
}

// Report is what a reader says of its input as a whole.
type Report struct {
	Section string `json:"section"`
	// From names the file that held the output, "" for a phone's own answer.
	From  string `json:"from,omitempty"`
	Lines int    `json:"lines"`
	Bytes int64  `json:"bytes"`
	// Complete is false when the output ends in the middle or its main part
	// is missing; Missing then says what.
	Complete bool   `json:"complete"`
	Missing  string `json:"missing,omitempty"`
	// Refused has the phone's words where it does not know the command.
	Refused string `json:"refused,omitempty"`
	Notes   []Note `json:"notes,omitempty"`
	// Omitted counts notes beyond the first hundred.
	Omitted int `json:"omitted,omitempty"`

	full bool // the rest of the output is left out
}

func (r *Report) note(line int, text []byte, why string) {
	if len(r.Notes) >= maxNotes {
		r.Omitted++
		return
	}
	r.Notes = append(r.Notes, Note{Section: r.Section, Line: line, Text: Printable(string(text), 120), Why: why})
}

// Printable shortens text to at most limit runes and replaces control
// characters, broken UTF-8 and marks that change the direction of writing, so
// that it can be shown in a terminal, a log or a page.
func Printable(text string, limit int) string {
	if len(text) <= limit && plain(text) {
		return text // as nearly all of what phones say
	}
	var b strings.Builder
	n := 0
	for _, r := range text {
		if n == limit {
			b.WriteRune('…')
			break
		}
		n++
		switch {
		case r < ' ', r == 0x7f, r >= 0x80 && r < 0xa0, r == utf8.RuneError,
			r >= 0x200b && r <= 0x200f, r >= 0x2028 && r <= 0x202e, r >= 0x2066 && r <= 0x2069, r == 0xfeff:
			b.WriteRune('\uFFFD')
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// plain reports whether a text has nothing but printable ASCII.
func plain(text string) bool {
	for i := range len(text) {
		if text[i] < ' ' || text[i] > '~' {
			return false
		}
	}
	return true
}

// output takes one output of a phone line by line.
type output interface {
	// line takes the next line, without its ending; it is valid during the
	// call. n counts from 1 in the file that the output stands in.
	line(n int, b []byte)
	// end judges what was read. whole is false where the stream ended inside
	// a line.
	end(whole bool)
	// about is the output's report, filled in as it is read.
	about() *Report
}

// splitter cuts a stream into lines, whatever their ending, without
// allocating. A line over maxLine is cut there and told to long.
type splitter struct {
	each func(n int, line []byte)
	long func(n int)
	n    int
	held []byte // the start of a line whose end has not arrived
	skip bool   // the rest of a line that was too long
}

// Write takes the next bytes of the stream. It never fails.
func (s *splitter) Write(p []byte) (int, error) {
	size := len(p)
	for {
		at := bytes.IndexByte(p, '\n')
		if at < 0 {
			break
		}
		line := p[:at]
		p = p[at+1:]
		if s.skip {
			s.skip = false
			continue
		}
		if len(s.held) > 0 {
			s.hold(line)
			line = s.held
		}
		s.give(line)
		s.held = s.held[:0]
	}
	if !s.skip && len(p) > 0 {
		s.hold(p)
		if len(s.held) >= maxLine {
			s.give(s.held)
			s.held, s.skip = s.held[:0], true
		}
	}
	return size, nil
}

func (s *splitter) hold(p []byte) {
	s.held = append(s.held, p[:min(len(p), maxLine-len(s.held))]...)
}

func (s *splitter) give(line []byte) {
	s.n++
	if len(line) >= maxLine && s.long != nil {
		s.long(s.n)
	}
	for len(line) > 0 && line[len(line)-1] == '\r' {
		line = line[:len(line)-1]
	}
	s.each(s.n, line)
}

// close hands out what is left and reports whether the stream ended with a
// line's end.
func (s *splitter) close() bool {
	if s.skip || len(s.held) == 0 {
		return !s.skip
	}
	s.give(s.held)
	s.held = s.held[:0]
	return false
}

// readAll reads one output that stands alone in a stream.
func readAll(r io.Reader, o output) error {
	report := o.about()
	s := splitter{
		each: func(n int, b []byte) { report.Lines++; o.line(n, b) },
		long: func(n int) { report.note(n, nil, tooLong) },
	}
	n, err := io.CopyBuffer(struct{ io.Writer }{&s}, struct{ io.Reader }{r}, make([]byte, 256<<10))
	report.Bytes += n
	o.end(s.close())
	report.close()
	return err
}

const tooLong = "the line is over a megabyte long; the rest of it was left out"

// indent counts leading spaces; a tab counts as one.
func indent(line []byte) int {
	for i, c := range line {
		if c != ' ' && c != '\t' {
			return i
		}
	}
	return len(line)
}
