package android

import (
	"bufio"
	"bytes"
	"errors"
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
	// Line counts from 1 in that output.
	Line int `json:"line"`
	// Text is the line, shortened, with control characters replaced.
	Text string `json:"text"`
	// Why says what was expected.
	Why string `json:"why"`
}

// Report is what a reader says of its input as a whole.
type Report struct {
	Section string `json:"section"`
	Lines   int    `json:"lines"`
	Bytes   int64  `json:"bytes"`
	// Complete is false when the output ends in the middle or its main part
	// is missing; Missing then says what.
	Complete bool   `json:"complete"`
	Missing  string `json:"missing,omitempty"`
	Notes    []Note `json:"notes,omitempty"`
	// Omitted counts notes beyond the first hundred.
	Omitted int `json:"omitted,omitempty"`
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

// lineReader hands out the lines of a stream without allocating, whatever
// their ending, and keeps count. A line over maxLine is cut and reported.
type lineReader struct {
	r      *bufio.Reader
	report *Report
	ended  bool // the last line read had a line ending
}

func newLineReader(r io.Reader, report *Report) *lineReader {
	return &lineReader{r: bufio.NewReaderSize(r, maxLine), report: report, ended: true}
}

// next returns the following line without its ending; it is valid until the
// next call. At the end it returns io.EOF.
func (l *lineReader) next() ([]byte, error) {
	line, err := l.r.ReadSlice('\n')
	l.report.Bytes += int64(len(line))
	if len(line) == 0 && err != nil {
		return nil, err
	}
	l.report.Lines++
	if errors.Is(err, bufio.ErrBufferFull) {
		l.report.note(l.report.Lines, line[:64], "the line is over a megabyte long; the rest of it was left out")
		kept := bytes.Clone(line)
		for errors.Is(err, bufio.ErrBufferFull) {
			var more []byte
			more, err = l.r.ReadSlice('\n')
			l.report.Bytes += int64(len(more))
		}
		l.ended = err == nil
		return kept, nil
	}
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	l.ended = err == nil
	if l.ended {
		line = line[:len(line)-1]
	}
	for len(line) > 0 && line[len(line)-1] == '\r' {
		line = line[:len(line)-1]
	}
	return line, nil
}

// indent counts leading spaces; a tab counts as one.
func indent(line []byte) int {
	for i, c := range line {
		if c != ' ' && c != '\t' {
			return i
		}
	}
	return len(line)
}
