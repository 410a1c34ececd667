package android

import (
	"bytes"
	"strconv"
)

// Opened is an app that somebody opened on the phone, as its log tells.
type Opened struct {
	Package PackageName `json:"package"`
	// Component is the class of the screen that came up.
	Component string `json:"component"`
	// Started are the packages whose processes started with it, its own left
	// out.
	Started []PackageName `json:"started" nullable:"false"`
}

// OpenedReader finds in a phone's log which app was opened: give it the lines
// of "logcat -s ActivityTaskManager ActivityManager" one by one, whatever
// their format. The zero value is ready to use.
type OpenedReader struct {
	list []Opened
	// home is the user id that opens apps from the home screen: that of the
	// first launch seen.
	home int
}

// maxOpened bounds what one reader remembers.
const maxOpened = 200

// Line takes a line of the log and reports whether it told of something new.
func (r *OpenedReader) Line(line []byte) bool {
	if _, rest, ok := bytes.Cut(line, []byte("START u0 {")); ok {
		return r.launch(rest)
	}
	_, rest, ok := bytes.Cut(line, []byte("Start proc "))
	if !ok || len(r.list) == 0 {
		return false
	}
	// "1234:com.example.app/u0a12 for …"; a process may be called
	// "com.example.app:remote".
	_, rest, _ = bytes.Cut(rest, []byte(":"))
	bare, _, _ := bytes.Cut(rest, []byte("/"))
	bare, _, _ = bytes.Cut(bare, []byte(":"))
	name, err := ParsePackageName(string(bare))
	last := &r.list[len(r.list)-1]
	if err != nil || name == last.Package {
		return false
	}
	before := len(last.Started)
	last.Started = addName(last.Started, name)
	return len(last.Started) > before
}

// launch reads the rest of a START line: one tap may start several screens,
// and the first that the home screen starts is the app.
func (r *OpenedReader) launch(rest []byte) bool {
	if !bytes.Contains(rest, []byte("android.intent.category.LAUNCHER")) {
		return false
	}
	_, after, ok := bytes.Cut(rest, []byte("cmp="))
	if !ok {
		return false
	}
	bare := after
	if end := bytes.IndexAny(after, " }"); end >= 0 {
		bare = after[:end]
	}
	name, class, err := component(bare)
	if err != nil || len(r.list) >= maxOpened {
		return false
	}
	if _, by, ok := bytes.Cut(rest, []byte("from uid ")); ok {
		uid, _ := strconv.Atoi(string(firstWord(bytes.TrimSpace(by))))
		if r.home == 0 {
			r.home = uid
		}
		if uid != 0 && uid != r.home {
			return false
		}
	}
	r.list = append(r.list, Opened{Package: name, Component: class, Started: []PackageName{}})
	return true
}

// Opened lists what was opened so far, the latest last.
func (r *OpenedReader) Opened() []Opened {
	out := make([]Opened, len(r.list))
	for i, o := range r.list {
		out[i] = Opened{o.Package, o.Component, append([]PackageName{}, o.Started...)}
	}
	return out
}

// ReadOpened reads a pasted log.
func ReadOpened(text []byte) []Opened {
	var r OpenedReader
	for line := range bytes.SplitSeq(text, []byte("\n")) {
		r.Line(line)
	}
	return r.Opened()
}
