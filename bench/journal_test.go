package bench

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/google/uuid"

	"roster/core/run"
)

func steps(numbers ...int) (list []run.Step) {
	for _, n := range numbers {
		list = append(list, run.Step{Number: n, Kind: run.Remove, Package: "a.b"})
	}
	return list
}

func answers(attempt int, list ...run.StepAnswer) run.Report {
	return run.Report{Attempt: attempt, Answers: list}
}

// TestJournal: what a server may never have heard of is told again, and only
// that: a step that was sent once more waits for its newer answer.
func TestJournal(t *testing.T) {
	t.Parallel()
	j := journal{Folder(t.TempDir()), uuid.New()}
	if list, err := j.late(); err != nil || len(list) != 0 {
		t.Errorf("of nothing: %v, %v", list, err)
	}
	must := func(err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	must(j.sent(1, steps(1, 2, 3)))
	must(j.answered(answers(1, run.StepAnswer{Step: 1, State: run.Done, Words: "Success", Took: 200}, run.StepAnswer{Step: 2, State: run.Waiting})))
	must(j.sent(2, steps(2)))
	must(j.answered(answers(2, run.StepAnswer{Step: 3, State: run.Refused, Words: "Failure"})))
	must(j.sent(3, steps(3)))
	list, err := j.late()
	if err != nil || len(list) != 1 || list[0] != (run.StepAnswer{Step: 1, State: run.Done, Words: "Success", Took: 200}) {
		t.Errorf("%+v, %v", list, err)
	}
	// The last line was cut off when the computer went down.
	f, err := os.OpenFile(j.files.Where(j.file()), os.O_APPEND|os.O_WRONLY, 0)
	must(err)
	f.WriteString(`{"at":"2026-05-01T10:00:00Z","what":"answ`)
	must(f.Close())
	if list, err := j.late(); err != nil || len(list) != 1 {
		t.Errorf("%+v, %v", list, err)
	}
	// It takes no later line with it.
	must(j.answered(answers(3, run.StepAnswer{Step: 3, State: run.Done})))
	if list, err := j.late(); err != nil || len(list) != 2 {
		t.Errorf("%+v, %v", list, err)
	}
	// Without a folder nothing is written, and nothing is wrong.
	must(journal{Folder(""), uuid.New()}.sent(1, steps(1)))
}

// TestJournalFull: a disk that is full is an error before anything is sent.
func TestJournalFull(t *testing.T) {
	t.Parallel()
	if _, err := os.Stat("/dev/full"); err != nil {
		t.Skip("this system has no full disk to show")
	}
	j := journal{Folder(t.TempDir()), uuid.New()}
	if err := os.Symlink("/dev/full", j.files.Where(j.file())); err != nil {
		t.Fatal(err)
	}
	err := j.sent(1, steps(1))
	if err == nil || !strings.Contains(Explain(err), "disk is full") {
		t.Errorf("%v: %s", err, Explain(err))
	}
	// Nor where its folder is something else.
	file := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if err := (journal{Folder(file), uuid.New()}).sent(1, steps(1)); err == nil {
		t.Error("a journal in no folder")
	}
}
