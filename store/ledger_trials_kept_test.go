package store_test

import (
	"cmp"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"github.com/google/uuid"

	"roster/core/change"
	"roster/core/evidence"
	"roster/store"
)

// TestKeptTrialsFollowDecisions has trials come and go, and decisions fail halfway: what
// a server keeps of them is what another one reads that has kept nothing, and so are
// the figures.
func TestKeptTrialsFollowDecisions(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	w.rules(change.ReviewRules{Lenient: 1, Lowering: 1, Newcomer: 1})
	names := []string{"com.brannock.p001", "com.brannock.p002", "com.brannock.p003"}
	chance := rand.New(rand.NewPCG(3, 9))
	outcomes := []string{"clean", "clean", "fault", "refused"}
	var accepted []uuid.UUID
	for step := range 25 {
		var edits []store.NewEdit
		for range 1 + chance.IntN(3) {
			edits = append(edits, w.trial(names[chance.IntN(len(names))], string(rune('a'+chance.IntN(20))), outcomes[chance.IntN(len(outcomes))]))
		}
		id, ids := w.send("tech", edits...)
		if chance.IntN(4) == 0 { // the last of them is no edit of the change: nothing is accepted
			if err := w.decide("rev", id, verdicts(append(ids, uuid.New()), "accepted")...); err == nil {
				t.Fatal("an edit of no change was accepted")
			}
		}
		w.must(w.decide("rev", id, verdicts(ids, "accepted")...))
		accepted = append(accepted, id)
		if step > 5 && chance.IntN(3) == 0 {
			i := chance.IntN(len(accepted))
			w.takeOut(accepted[i])
			accepted = slices.Delete(accepted, i, i+1)
		}
		w.sameTrials(step, names)
	}
}

// takeOut reverts a change of trials.
func (w *world) takeOut(id uuid.UUID) {
	w.t.Helper()
	c, _ := w.state(id)
	_, _, err := w.Revert(w.ctx, w.people["tech"].ID, c.ID)
	w.must(err)
	tray, err := w.Tray(w.ctx, w.people["tech"].ID)
	w.must(err)
	var ids []uuid.UUID
	for _, e := range tray {
		ids = append(ids, e.ID)
	}
	back, err := w.Send(w.ctx, w.people["tech"].ID, store.Sending{Title: "out again", Edits: ids})
	w.must(err)
	w.must(w.decide("rev", back, verdicts(ids, "accepted")...))
}

// sameTrials compares what is kept with what is read anew.
func (w *world) sameTrials(step int, names []string) {
	w.t.Helper()
	other, err := store.New(w.ctx, w.Pool().Config().ConnString())
	w.must(err)
	defer other.Close()
	for _, name := range names {
		p, err := w.Package(w.ctx, name)
		w.must(err)
		var both [2][]evidence.Trial
		for i, s := range []*store.Store{w.Store, other} {
			both[i], _, err = s.Evidence(w.ctx, p.ID)
			w.must(err)
			both[i] = slices.SortedFunc(slices.Values(both[i]), func(a, b evidence.Trial) int { return cmp.Compare(a.ID, b.ID) })
		}
		if !reflect.DeepEqual(both[0], both[1]) {
			w.t.Fatalf("step %d: of %s is kept\n%+v\nand there is\n%+v", step, name, both[0], both[1])
		}
		var phones, want int
		w.must(w.Pool().QueryRow(w.ctx, `
			select coalesce(max(phones), 0) from figures where package_id = $1 and method = 'remove-for-user'
				and place = '00000000-0000-0000-0000-000000000000'
				and stamp = (select trials_stamp from packages where id = $1)`, p.ID).Scan(&phones))
		counted := map[string]bool{}
		for _, t := range both[1] {
			if t.Outcome != evidence.Refused {
				counted[t.Phone] = true
			}
		}
		if want = len(counted); phones != want {
			w.t.Fatalf("step %d: figures of %s count %d phones, not %d", step, name, phones, want)
		}
	}
}
