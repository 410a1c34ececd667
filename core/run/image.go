package run

import (
	"slices"

	"roster/core/android"
	"roster/core/evidence"
)

// Image is the namespace of packages that are taken out of the image: what is kept
// of each is how it lies there, as android.Image writes itself.
const Image = "image"

// FromImage reports whether a step takes a package out of the image, or brings it
// back there: root does that, and the next start of the phone shows it.
func (s Step) FromImage() bool {
	return s.Method == evidence.RemoveFromImage && (s.Kind == Remove || s.Kind == PutBack)
}

// Alone reports whether nothing else may be under way beside a step.
func (s Step) Alone() bool { return s.Kind.Alone() || s.FromImage() }

// ImageOf is how the package of a step lies on the image of a phone that was asked
// for root; ok is false where nobody asked.
func (s Step) ImageOf(seen *Seen) (i android.Image, ok bool) {
	return android.ParseImage(seen.Settings[Key{Image, string(s.Package)}.String()])
}

// NeedsRoot lists the packages of keys that root has to be asked about, and the
// keys that it has not.
func NeedsRoot(keys []Key) (names []android.PackageName, others []Key) {
	for _, k := range keys {
		if name := android.PackageName(k.Key); k.Namespace == Image && name.Valid() {
			names = append(names, name)
		} else if k.Namespace != Image {
			others = append(others, k)
		}
	}
	return names, others
}

// settleImage is Settle for what goes from the image or comes back to it.
func (s Step) settleImage(seen *Seen) (State, string) {
	i, ok := s.ImageOf(seen)
	const lost = "the answer was lost; the phone shows that it was done"
	switch {
	case !ok || !i.Root.Given():
		return Waiting, ""
	case s.Kind == Remove && (i.State == android.IsMasked || i.State == android.IsErased):
		return Done, lost
	case s.Kind == PutBack:
		if was, ok := android.ParseImage(s.Value); ok && i.Lies(was.Folder) {
			return Done, lost
		}
	}
	return Waiting, ""
}

// What became of packages that a run took off and a phone has all the same.
const (
	BackAfterRestart = "back-after-restart"
	BackAfterUpdate  = "back-after-update"
	// NoStartWithout is what the phone took back by itself, because it did not start.
	NoStartWithout = "did-not-start"
)

// Returned finds what a run took off and a phone that has restarted since has all
// the same, each with what became of it. Fingerprint is that of the firmware at the
// beginning.
func Returned(list []Journal, seen *Seen, fingerprint string) map[android.PackageName]string {
	when := BackAfterRestart
	if seen.Fingerprint != fingerprint {
		when = BackAfterUpdate
	}
	back := map[android.PackageName]string{}
	for _, j := range Off(list) {
		switch {
		case j.FromImage():
			if now, ok := j.ImageOf(seen); ok && now.State == android.IsHealed {
				back[j.Package] = NoStartWithout
			} else if restartedAfter(list, j.Number) && slices.Contains(seen.Installed, j.Package) {
				back[j.Package] = when
			}
		case j.Undone(seen):
			back[j.Package] = when
		}
	}
	return back
}

// restartedAfter reports whether a run restarted the phone after a step.
func restartedAfter(list []Journal, number int) bool {
	return slices.ContainsFunc(list, func(j Journal) bool { return j.Kind == Restart && j.State == Done && j.Number > number })
}

// restartFor adds the restart that shows what was taken out of the image, or was
// brought back to it: without one nothing of that is to be seen. Undoes is the step
// that is undone with it, 0 for none.
func restartFor(steps []Step, undoes int) []Step {
	if !slices.ContainsFunc(steps, Step.FromImage) {
		return steps
	}
	return append(steps, Step{Kind: Restart, Text: "Restart the phone", Undoes: undoes})
}
