package run

import (
	"slices"
	"strings"
	"testing"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

// lay is how a package lies on the image of a phone with root.
func lay(state android.ImageState, way android.Way, why android.ImageReason) android.Image {
	return android.Image{
		Root: android.RootBySu, State: state, Way: way, Why: why, Folder: "/product/app/Tips", At: "/product", Bytes: 4096,
		SELinux: "enforcing", Verity: "enforcing", Boot: "orange",
	}
}

// fromImage is the sample release with tips taken out of the image.
func fromImage() *profile.Document {
	d := document()
	for i := range d.Steps {
		if d.Steps[i].Package == "com.maker.tips" {
			d.Steps[i].Method = evidence.RemoveFromImage
		}
	}
	return d
}

// TestRehearseFromImage says in which way a package goes, and what is in the way.
func TestRehearseFromImage(t *testing.T) {
	held := func(s *Subject) {
		s.Facts.Roles = append(s.Facts.Roles, android.Role{Name: "DIALER", Able: []android.PackageName{"com.maker.tips", "com.maker.home"}})
	}
	images := func(i android.Image) map[android.PackageName]android.Image {
		return map[android.PackageName]android.Image{"com.maker.tips": i}
	}
	for what, c := range map[string]struct {
		images map[android.PackageName]android.Image
		change func(*Subject)
		choice Choices
		would  Would
		code   Because
		why    string
		stops  bool
	}{
		"nobody asked": {
			nil, nil, Choices{},
			ToSee, BecauseImageNotAsked, "needs root", true,
		},
		"masked": {
			images(lay(android.OnImage, android.Masked, android.ImageReadOnly)), nil, Choices{},
			WouldGo, BecauseImageMasked, "masked, data stays", false,
		},
		"erased, with data": {
			images(lay(android.OnImage, android.Erased, android.ImageWritable)), nil, Choices{WithData: []android.PackageName{"com.maker.tips"}},
			WouldGo, BecauseImageErased, "erased, data goes, too", false,
		},
		"refused": {
			images(android.Image{Root: android.RootRefused, State: android.NotOfRoot}), nil, Choices{},
			WouldRefuse, BecauseImageNoRoot, "it was refused on the phone", true,
		},
		"no su": {
			images(android.Image{Root: android.RootNone, State: android.NotOfRoot}), nil, Choices{},
			WouldRefuse, BecauseImageNoRoot, "no program that gives it", true,
		},
		"no scripts": {
			images(lay(android.OnImage, "", android.NoScripts)), nil, Choices{},
			WouldRefuse, BecauseImageNoWay, "nothing runs boot scripts", true,
		},
		"gone before": {
			images(lay(android.IsMasked, android.Masked, "")), nil, Choices{},
			WouldAlready, BecauseGoneBefore, "before", false,
		},
		"a role touches it": {
			images(lay(android.OnImage, android.Masked, android.ImageReadOnly)), held, Choices{},
			WouldRefuse, BecauseImageLeanedOn, "it could be the phone's DIALER", false,
		},
		"for the user alone": {
			nil, nil, Choices{User: []android.PackageName{"com.maker.tips"}},
			WouldGo, "", "", false,
		},
		"switched off": {
			nil, nil, Choices{Off: []android.PackageName{"com.maker.tips"}},
			WouldGo, "", "", false,
		},
		"left on this phone": {
			nil, nil, Choices{Leave: []android.PackageName{"com.maker.tips"}},
			LeftOut, BecauseLeft, "left on this phone", false,
		},
		"verified, and asked": {
			images(lay(android.OnImage, android.Masked, android.ImageVerified)), nil, Choices{},
			WouldGo, BecauseImageMasked, "masked", false,
		},
	} {
		t.Run(what, func(t *testing.T) {
			s := subject(c.change)
			s.Images = c.images
			r := Rehearse(fromImage(), s, c.choice)
			i := slices.IndexFunc(r.Rows, func(row Row) bool { return row.Package == "com.maker.tips" && row.Kind == profile.Remove })
			if row := r.Rows[i]; row.Would != c.would || row.Code != c.code || !strings.Contains(row.Why, c.why) {
				t.Errorf("%s %s %q", row.Would, row.Code, row.Why)
			}
			if stops := slices.ContainsFunc(r.Stops, func(s Stop) bool { return s.Code == RootFirst }); stops != c.stops {
				t.Errorf("%+v", r.Stops)
			}
			if strings.HasPrefix(what, "erased") && (r.ImageBytes != 4096 || r.Root != android.RootBySu || !strings.Contains(r.Found, "dm-verity enforcing")) {
				t.Errorf("%d bytes, root %s, found %q", r.ImageBytes, r.Root, r.Found)
			}
			if what == "verified, and asked" && !strings.Contains(r.MaskedBecause, "verifies its image") {
				t.Errorf("%q", r.MaskedBecause)
			}
		})
	}
}

// TestImageSteps plans, settles and undoes what goes from the image: it restarts
// whatever was chosen, and once more when it is undone.
func TestImageSteps(t *testing.T) {
	steps := Plan(fromImage(), Choices{NoRestart: true, WithData: []android.PackageName{"com.maker.tips"}})
	at := slices.IndexFunc(steps, Step.FromImage)
	step := steps[at]
	restarts := slices.ContainsFunc(steps, func(s Step) bool { return s.Kind == Restart })
	if !restarts || !step.WithData || !step.Alone() || step.Touches() != (Key{Image, "com.maker.tips"}) {
		t.Fatalf("%+v", steps)
	}
	seen := func(i android.Image) *Seen {
		return &Seen{Fingerprint: "f1", Known: []android.PackageName{"com.maker.tips"}, Installed: []android.PackageName{"com.maker.tips"},
			Settings: map[string]string{step.Touches().String(): i.String()}}
	}
	there := lay(android.OnImage, android.Masked, android.ImageReadOnly)
	before, ok := step.Had(seen(there))
	if !ok || before != there.String() {
		t.Fatalf("%q, %t", before, ok)
	}
	if _, ok := step.Had(&Seen{Settings: map[string]string{}}); ok {
		t.Error("it is sent before anybody wrote down how it lay")
	}
	for state, want := range map[android.ImageState]State{android.OnImage: Waiting, android.HalfGone: Waiting, android.IsMasked: Done, android.IsErased: Done} {
		if got, _ := step.Settle(seen(lay(state, android.Masked, "")), before); got != want {
			t.Errorf("%s settles as %s, want %s", state, got, want)
		}
	}
	lock := Step{Number: step.Number + 1, Kind: Remove, Method: evidence.RemoveForUser, Package: "com.maker.lock"}
	list := []Journal{{Step: step, State: Done, Before: before}, {Step: lock, State: Done}}
	undo := Undo(list, nil)
	if len(undo) != 3 || undo[0].Package != "com.maker.lock" || undo[1].Kind != PutBack || undo[1].Value != before ||
		undo[2].Kind != Restart || undo[2].Undoes == 0 {
		t.Fatalf("%+v", undo)
	}
	if got, _ := undo[1].Settle(seen(there), ""); got != Done {
		t.Errorf("put back, and settled as %s", got)
	}
	if only := Undo(list, []android.PackageName{"com.maker.lock"}); len(only) != 1 {
		t.Errorf("it restarts for what was never out of the image: %+v", only)
	}
	if instead, ok := Instead([]Journal{{Step: step, State: Refused}}, step.Number, evidence.RemoveForUser); !ok || instead.Method != evidence.RemoveForUser {
		t.Errorf("%+v", instead)
	}
	if m := step.Explain("no root: it was refused on the phone"); !slices.Contains(m.Try, ForUser) {
		t.Errorf("%+v", m)
	}
	log := Log(list[:1], "d", "b/p/d:1/i/2:user/k")
	read, err := ReadLog(log)
	if err != nil || len(read.Steps) != 1 || read.Steps[0].Before != before || len(read.LeftOut) != 0 {
		t.Errorf("%q was read as %+v, %v", log, read, err)
	}
	if read, _ := ReadLog(strings.Replace(log, "/product/app/Tips", "/product/app/$(reboot)", 1)); len(read.Steps) != 0 || len(read.LeftOut) != 1 {
		t.Errorf("a hostile log: %+v", read)
	}
}

// TestReturnedToImage tells what came back, and why.
func TestReturnedToImage(t *testing.T) {
	step := Step{Number: 1, Kind: Remove, Method: evidence.RemoveFromImage, Package: "a.b"}
	out := []Journal{{Step: step, State: Done}}
	restarted := append(slices.Clone(out), Journal{Step: Step{Number: 2, Kind: Restart}, State: Done})
	seen := func(state android.ImageState, fingerprint string) *Seen {
		return &Seen{Fingerprint: fingerprint, Installed: []android.PackageName{"a.b"},
			Settings: map[string]string{step.Touches().String(): lay(state, "", "").String()}}
	}
	for what, c := range map[string]struct {
		list []Journal
		seen *Seen
		want string
	}{
		"not restarted yet": {out, seen(android.IsMasked, "f"), ""},
		"restarted":         {restarted, seen(android.IsMasked, "f"), BackAfterRestart},
		"updated":           {restarted, seen(android.OnImage, "g"), BackAfterUpdate},
		"healed":            {restarted, seen(android.IsHealed, "f"), NoStartWithout},
		"gone":              {restarted, &Seen{Fingerprint: "f"}, ""},
	} {
		if got := Returned(c.list, c.seen, "f")["a.b"]; got != c.want {
			t.Errorf("%s: %q, want %q", what, got, c.want)
		}
	}
	f := RunRecord{WatchedDays: 3, Restarted: true, Journal: restarted, Back: map[android.PackageName]string{"a.b": NoStartWithout}}
	if drafts, _ := Draft(f); len(drafts) != 1 || drafts[0].Value.Outcome != evidence.NoStart || drafts[0].Value.Method != evidence.RemoveFromImage {
		t.Errorf("%+v", drafts)
	}
	other := Journal{Step: Step{Number: 3, Kind: Remove, Method: evidence.RemoveFromImage, Package: "a.c"}, State: Done}
	f.Journal, f.Back["a.c"] = append(f.Journal, other), NoStartWithout
	if drafts, withheld := Draft(f); len(drafts) != 0 || len(withheld) != 2 || !strings.Contains(withheld[0].Why, "one at a time") {
		t.Errorf("%+v, %+v", drafts, withheld)
	}
	// Narrowing down moves packages in and out of the image, and restarts for it.
	h := Hunt{Suspects: []Suspect{{Package: "a.b"}}, Asking: []android.PackageName{"a.b"}}
	if moves := h.Moves(restarted); len(moves) != 2 || moves[0].Kind != PutBack || moves[1].Kind != Restart || moves[1].Undoes != 0 {
		t.Errorf("%+v", moves)
	}
}
