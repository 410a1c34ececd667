package store_test

import (
	"errors"
	"testing"

	"github.com/google/uuid"

	"roster/core/change"
	"roster/store"
)

// TestUnreadableEdit: values that an older program stored badly break nothing
// that they stand among. They are shown as what they are, can't be accepted, and
// can be turned down.
func TestUnreadableEdit(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	me, name := w.people["tech"].ID, "com.brannock.p002"
	good := w.edit("com.brannock.p001", change.Load, everywhere, `{"load":"loose"}`)
	spoil := func(id uuid.UUID, value string) {
		if _, err := w.Pool().Exec(w.ctx, `update edits set value = $2 where id = $1`, id, value); err != nil {
			t.Fatal(err)
		}
	}
	for what, bad := range map[string]struct {
		edit  store.NewEdit
		value string
	}{
		"a load in another case":    {w.edit(name, change.Load, everywhere, `{"load":"loose"}`), `{"load":"x","Load":"loose"}`},
		"a trial on no day at all":  {w.trial(name, "p1", "clean"), `{"phone":"p","outcome":"clean","day":"0000-00-00"}`},
		"a description that is one": {w.edit(name, change.Description, everywhere, `"words"`), `{"no":"text"}`},
	} {
		id, ids := w.send("tech", good, bad.edit)
		spoil(ids[1], bad.value)
		_, edits, err := w.Change(w.ctx, me, id)
		if err != nil || len(edits) != 2 || edits[0].Unreadable != "" || edits[1].Unreadable == "" {
			t.Fatalf("%s: %+v, %v", what, edits, err)
		}
		if _, err := w.KnockOn(w.ctx, me, edits); err != nil {
			t.Errorf("%s: the knock-on: %v", what, err)
		}
		var unreadable *store.UnreadableError
		if err := w.decide("rev", id, verdicts(ids, "accepted")...); !errors.As(err, &unreadable) {
			t.Errorf("%s was accepted: %v", what, err)
		}
		w.must(w.decide("rev", id, append(verdicts(ids[:1], "accepted"), verdicts(ids[1:], "turned-down")...)...))
	}
	// In a tray it can be taken out.
	ids, _, err := w.AddEdits(w.ctx, me, []store.NewEdit{w.edit(name, change.Load, everywhere, `{"load":"loose"}`)})
	w.must(err)
	spoil(ids[0], `{"Load":"loose"}`)
	if tray, err := w.Tray(w.ctx, me); err != nil || len(tray) != 1 || tray[0].Unreadable == "" {
		t.Errorf("%+v, %v", tray, err)
	}
	w.must(w.RemoveEdit(w.ctx, me, ids[0]))
}
