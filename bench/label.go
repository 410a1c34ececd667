package bench

import (
	"errors"
	"strings"
	"time"
	"unicode/utf8"

	"roster/bench/services"
	"roster/core/android"
)

// A phone that tells no serial number of its own is told apart by a label that
// somebody gives it: what is written on the sticker on its back. The label
// stands for the number wherever that would go, for as long as the phone can't
// have been taken for another one.

// longestLabel is how long a label may be, in characters.
const longestLabel = 40

// label is what a phone is called that tells no serial number.
type label struct {
	text        string
	fingerprint string
	// start is the start of the phone in which it was seen last; "" where it
	// doesn't tell.
	start string
	// away says that it was not ready since.
	away bool
	// restarts is until when it may be back from a restart that Roster asked
	// for.
	restarts time.Time
}

// LabelIdentity is what stands for the serial number of a phone with a label:
// the same for the same label, however it is spaced and cased.
func LabelIdentity(text string) string {
	return "label: " + strings.ToLower(strings.Join(strings.Fields(text), " "))
}

// CheckLabel says what is wrong with a label.
func CheckLabel(text string) error {
	switch n := utf8.RuneCountInString(strings.TrimSpace(text)); {
	case n == 0:
		return errors.New("a label has at least one character")
	case n > longestLabel:
		return errors.New("a label has at most 40 characters")
	case android.Printable(text, 4*longestLabel) != text:
		return errors.New("a label is one line of text")
	}
	return nil
}

// sameSerial finds what adb calls the same.
func sameSerial(d services.Device) func(services.Device) bool {
	return func(other services.Device) bool { return other.Serial == d.Serial }
}

// alike is a phone that hangs there along with another of the same serial
// number: adb reaches neither.
func alike(p Phone) Phone {
	p.Ready = false
	p.Wrong = "tells the same serial number as another phone that is attached"
	p.Next = "adb can't tell the two apart. Attach one of them at a time."
	return p
}

// identity is what tells a phone apart: its serial number, or what stands for
// it; "" where nothing does. Serial is what adb calls it.
func (s *Station) identity(serial string, id android.Identity) string {
	if id.Serial != "" {
		return id.Serial
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if l := s.labels[serial]; l.holds(id) {
		return LabelIdentity(l.text)
	}
	return ""
}

// holds reports whether a phone is the one that has the label. Of a box of
// phones that are all alike, another one may hang on the cable a moment later:
// only one that never went away, that runs since the same moment, or that
// Roster itself has restarted is the same.
func (l label) holds(id android.Identity) bool {
	if l.text == "" || l.fingerprint != id.Fingerprint {
		return false
	}
	return !l.away || l.start != "" && l.start == id.Start || time.Now().Before(l.restarts)
}

// restarts notes that a phone is about to restart because Roster wants it to.
func (s *Station) restarts(serial string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if l, ok := s.labels[serial]; ok {
		l.restarts = time.Now().Add(restartTakes + time.Minute)
		s.labels[serial] = l
	}
}

// tellApart writes into p what tells the phone apart. It is called with s.mu
// held, when the phone has just said who it is.
func (s *Station) tellApart(serial string, p *Phone, id android.Identity) {
	p.Hardware, p.Unnumbered, p.Label, p.LabelBefore = id.Serial, id.Serial == "", "", ""
	p.start = id.Start
	if !p.Unnumbered {
		return
	}
	l := s.labels[serial]
	if !l.holds(id) {
		p.LabelBefore = l.text
		return
	}
	l.away, l.start, l.restarts = false, id.Start, time.Time{}
	s.labels[serial] = l
	p.Hardware, p.Label = LabelIdentity(l.text), l.text
}

// labelsAway notes which phones that have a label are not ready. It is called
// with s.mu held.
func (s *Station) labelsAway(ready map[string]bool) {
	for serial, l := range s.labels {
		l.away = l.away || !ready[serial]
		s.labels[serial] = l
	}
}

// label gives a phone that tells no serial number the label in r.With.
func (s *Station) label(serial string, r Request) (any, error) {
	if err := CheckLabel(r.With); err != nil {
		return nil, err
	}
	err := errors.New("this phone has not said yet who it is: wait a moment")
	s.change(func(v *View) {
		known, ok := s.known[serial]
		if !ok {
			return
		}
		if !known.Unnumbered {
			err = errors.New("this phone tells a serial number of its own: it needs no label")
			return
		}
		for other, p := range s.known {
			if other != serial && p.Hardware == LabelIdentity(r.With) {
				err = errors.New("another phone here has this label: take one that no other has")
				return
			}
		}
		err = nil
		text := strings.Join(strings.Fields(r.With), " ")
		s.labels[serial] = label{text: text, fingerprint: known.Fingerprint, start: known.start}
		known.Hardware, known.Label, known.LabelBefore = LabelIdentity(text), text, ""
		s.known[serial] = known
		v.Phones = replaced(v.Phones, known)
	})
	if err != nil {
		return nil, err
	}
	return Words{"labelled"}, nil
}

// replaced is a list of phones with one in place of the one of its handle. The
// old list may be being read.
func replaced(phones []Phone, one Phone) []Phone {
	list := make([]Phone, len(phones))
	for i, p := range phones {
		if list[i] = p; p.Handle == one.Handle {
			list[i] = one
		}
	}
	return list
}
