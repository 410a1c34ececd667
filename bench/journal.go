package bench

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/google/uuid"

	"roster/core/run"
)

// journal is a run as this computer writes it down: one line for each step
// that is about to be sent and for each answer, never changed. It is for a
// bench elsewhere, whose server may be away when an answer comes.
type journal struct {
	files Files // nil where nothing is written down
	run   uuid.UUID
}

// entry is a line of the journal.
type entry struct {
	At      time.Time `json:"at"`
	Attempt int       `json:"attempt"`
	// What is sent or answered.
	What  string    `json:"what"`
	Step  int       `json:"step"`
	Does  *run.Step `json:"does,omitempty"`
	State run.State `json:"state,omitempty"`
	Words string    `json:"words,omitempty"`
	Took  int64     `json:"took,omitempty"`
}

// errJournal is wrapped where the journal can't be written: then nothing is
// sent.
var errJournal = errors.New("the journal of the run on this computer")

func (j journal) file() string { return j.run.String() + ".jsonl" }

func (j journal) sent(attempt int, steps []run.Step) error {
	list := make([]entry, len(steps))
	for i := range steps {
		list[i] = entry{At: time.Now().UTC(), Attempt: attempt, What: "sent", Step: steps[i].Number, Does: &steps[i]}
	}
	return j.append(list)
}

func (j journal) answered(r run.Report) error {
	list := make([]entry, len(r.Answers))
	for i, a := range r.Answers {
		list[i] = entry{At: time.Now().UTC(), Attempt: r.Attempt, What: "answered", Step: a.Step, State: a.State, Words: a.Words, Took: a.Took}
	}
	return j.append(list)
}

// append writes lines so that they are on the disk when it returns.
func (j journal) append(list []entry) error {
	if j.files == nil || len(list) == 0 {
		return nil
	}
	f, err := j.files.Append(j.file())
	if err != nil {
		return fmt.Errorf("%w: %w", errJournal, diskWords(err))
	}
	var raw []byte
	for _, e := range list {
		line, err := json.Marshal(e)
		if err != nil {
			f.Close()
			return err
		}
		raw = append(append(raw, line...), '\n')
	}
	_, err = f.Write(raw)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return fmt.Errorf("%w: %w", errJournal, diskWords(err))
	}
	return nil
}

// late are answers that are written down here, to steps that were not sent
// again afterwards: the server may never have heard of them.
func (j journal) late() ([]run.StepAnswer, error) {
	if j.files == nil {
		return nil, nil
	}
	f, err := j.files.Open(j.file())
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("%w: %w", errJournal, err)
	}
	defer f.Close()
	last := map[int]run.StepAnswer{}
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, megabyte)
	for lines.Scan() {
		var e entry
		if json.Unmarshal(lines.Bytes(), &e) != nil {
			continue // cut off when the computer went down
		}
		if e.What == "sent" {
			delete(last, e.Step)
		} else if e.State.Ended() {
			last[e.Step] = run.StepAnswer{Step: e.Step, State: e.State, Words: e.Words, Took: e.Took}
		}
	}
	var list []run.StepAnswer
	for _, a := range last {
		list = append(list, a)
	}
	return list, lines.Err()
}
