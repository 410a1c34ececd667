package alone

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"slices"
	"time"

	"github.com/google/uuid"

	"roster/bench"
	"roster/core/profile"
	"roster/core/run"
)

// About is what a run is of.
type About struct {
	ID        uuid.UUID `json:"id"`
	StartedAt time.Time `json:"startedAt"`
	// Title is the release's, Path its address; Path is "" where the run was
	// read from a log of elsewhere.
	Title  string `json:"title"`
	Path   string `json:"path"`
	Digest string `json:"digest"`
	// Phone is the phone's name for people.
	Phone string `json:"phone"`
	// Told is a hash by which the phone counts once, should its owner tell what
	// happened; it goes nowhere by itself.
	Told        string      `json:"told"`
	Fingerprint string      `json:"fingerprint"`
	Choices     run.Choices `json:"choices"`
	// Losses say what goes with which package, to put it back by.
	Losses []profile.Loss `json:"losses"`
	Checks []run.Check    `json:"checks"`
}

// written is a line of a run's journal: what changed. The first one has all.
type written struct {
	At    time.Time      `json:"at"`
	About *About         `json:"about,omitempty"`
	Run   run.Kept       `json:"run"` // without steps that did not change
	Steps []run.KeptStep `json:"steps,omitempty"`
}

// index is the list of runs, in the order in which they were begun.
const index = "runs.jsonl"

func journalOf(id uuid.UUID) string { return id.String() + ".jsonl" }

// write adds to a run's journal what differs from what stands there, so that it
// survives the end of the computer.
func (b *Bench) write(r *kept, about *About) error {
	line := written{At: time.Now().UTC(), About: about, Run: *r.run}
	line.Run.Steps = nil
	for i, s := range r.run.Steps {
		if i >= len(r.stands) || !reflect.DeepEqual(r.stands[i], s) {
			line.Steps = append(line.Steps, s)
		}
	}
	if r.run.Before == r.before {
		line.Run.Before = nil // it is in an earlier line, and never changes
	}
	if r.run.Now == r.now {
		line.Run.Now = nil
	}
	if err := b.add(journalOf(r.about.ID), line); err != nil {
		return err
	}
	r.stands, r.before, r.now = slices.Clone(r.run.Steps), r.run.Before, r.run.Now
	return nil
}

func (b *Bench) add(name string, v any) error {
	raw, err := json.Marshal(v)
	if err != nil {
		return err
	}
	f, err := b.Files.Append(name)
	if err == nil {
		_, err = f.Write(append(raw, '\n'))
		err = errors.Join(err, f.Sync(), f.Close())
	}
	if err != nil {
		return fmt.Errorf("the journal can't be written, and nothing is done that is not written down: %w", err)
	}
	return nil
}

// maxLine bounds a line of a journal: what a phone shows of a thousand packages.
const maxLine = 8 << 20

// lines reads a file line by line; one that is not there has none. A line that was
// cut off when the computer went down is left out.
func lines[T any](files bench.Files, name string, each func(T)) error {
	f, err := files.Open(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	defer f.Close()
	scan := bufio.NewScanner(f)
	scan.Buffer(nil, maxLine)
	for scan.Scan() {
		var v T
		if json.Unmarshal(scan.Bytes(), &v) == nil {
			each(v)
		}
	}
	return scan.Err()
}

// load reads the runs that were begun here before. One that was going then was
// interrupted: whoever did it is gone.
func (b *Bench) load() error {
	var ids []uuid.UUID
	if err := lines(b.Files, index, func(id uuid.UUID) { ids = append(ids, id) }); err != nil {
		return err
	}
	for _, id := range ids {
		r := &kept{}
		err := lines(b.Files, journalOf(id), func(w written) { r.replay(w) })
		if err != nil {
			return err
		}
		if r.run == nil || r.about.ID != id {
			continue // begun, and never written
		}
		r.stands, r.before, r.now = slices.Clone(r.run.Steps), r.run.Before, r.run.Now
		r.run.Interrupt("The page was closed in the middle.")
		b.runs = append(b.runs, r)
	}
	return nil
}

// replay takes one line of its journal.
func (r *kept) replay(w written) {
	if w.About != nil {
		r.about = *w.About
	}
	if r.run == nil {
		r.run = &run.Kept{}
	}
	next := w.Run
	next.Steps = r.run.Steps
	if next.Before == nil {
		next.Before = r.run.Before
	}
	if next.Now == nil {
		next.Now = r.run.Now
	}
	for _, s := range w.Steps {
		i := slices.IndexFunc(next.Steps, func(o run.KeptStep) bool { return o.Number == s.Number })
		if i < 0 {
			next.Steps = append(next.Steps, s)
		} else {
			next.Steps[i] = s
		}
	}
	*r.run = next
}
