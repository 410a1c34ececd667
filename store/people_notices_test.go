package store_test

import (
	"testing"

	"github.com/google/uuid"

	"roster/store"
)

// TestNoticeInWords says every kind of notice in a sentence that leads
// somewhere.
func TestNoticeInWords(t *testing.T) {
	t.Parallel()
	id := uuid.MustParse("01a21e19-764c-7141-b3f5-b01f40853949")
	of := func(kind string) store.Notice {
		return store.Notice{Kind: kind, Title: "Quiet", By: "Tove", Words: "it was lost", ProfileID: &id}
	}
	change := func(kind string) store.Notice {
		n := of(kind)
		n.ProfileID, n.ChangeID = nil, &id
		return n
	}
	pkg := of("followed-package")
	pkg.Package = "com.brannock.tips"
	model := store.Notice{Kind: "followed-model", Words: "15.0.1 arrived", BuildID: &id, Maker: "brannock", Model: "lyra-5"}
	due := store.Notice{Kind: "check-due", Words: "Run 7 was a week ago", RunID: &id}
	for _, x := range []struct {
		n            store.Notice
		sentence, to string
	}{
		{change("decided"), "Tove decided about “Quiet”: it was lost.", "/review/"},
		{change("comment"), "Tove said something about “Quiet”.", "/review/"},
		{change("asked"), "Tove asks you to look at “Quiet”.", "/review/"},
		{change("revised"), "Tove sent “Quiet” again.", "/review/"},
		{of("publish-asked"), "Tove asks to publish “Quiet”.", "/profiles/"},
		{of("publish-published"), "Tove published “Quiet”.", "/profiles/"},
		{of("publish-returned"), "Tove wants something changed before “Quiet” is published: it was lost", "/profiles/"},
		{of("withdrawn"), "Tove withdrew a release of “Quiet”: it was lost", "/profiles/"},
		{of("stops"), "“Quiet” is marked: it was lost", "/profiles/"},
		{of("lifted"), "Tove lifted a mark of “Quiet”: it was lost", "/profiles/"},
		{of("followed-release"), "Quiet: it was lost", "/profiles/"},
		{pkg, "com.brannock.tips: it was lost", "/packages/com.brannock.tips"},
		{model, "15.0.1 arrived", "/builds?build=" + id.String() + "&maker=brannock&model=lyra-5"},
		{due, "Run 7 was a week ago", "/bench/runs/"},
		{store.Notice{Kind: "of a newer program", Title: "Quiet"}, "“Quiet”", "/news"},
	} {
		want := x.to
		if want[len(want)-1] == '/' {
			want += id.String()
		}
		if got := x.n.Sentence(); got != x.sentence {
			t.Errorf("%s: %q, want %q", x.n.Kind, got, x.sentence)
		}
		if got := x.n.To(); got != want {
			t.Errorf("%s leads to %s, want %s", x.n.Kind, got, want)
		}
	}
}
