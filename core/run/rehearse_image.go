package run

import (
	"slices"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

// fromImage says what would become of a package that is taken out of the image,
// and in which way.
func (w *rehearser) fromImage(row *Row) {
	row.ComesBack = 0 // out of the image it has nothing to come back from
	row.WithData = slices.Contains(w.c.WithData, row.Package)
	image, asked := w.Images[row.Package]
	if asked && w.r.Root == "" {
		w.r.Root, w.r.Found = image.Root, foundWords(image)
	}
	data := ", data stays"
	if row.WithData {
		data = ", data goes, too"
	}
	// What the consequences are made of: all of it goes, but nothing that the owner has.
	goes := func() {
		w.set[row.Package] = evidence.Disable
		if row.WithData {
			w.set[row.Package] = evidence.RemoveForUser
		}
	}
	touched := w.Net.Touched(row.Package)
	switch {
	case touched != "":
		row.say(WouldRefuse, BecauseImageLeanedOn, "it stays in the image here: "+touched)
		w.r.Count.Refuses++
	case !asked:
		row.say(ToSee, BecauseImageNotAsked, "needs root")
		goes()
	case !image.Root.Given():
		row.say(WouldRefuse, BecauseImageNoRoot, rootWords(image.Root))
		w.r.Count.Refuses++
	case image.State == android.IsMasked || image.State == android.IsErased:
		row.say(WouldAlready, BecauseGoneBefore, "taken out of the image before")
		w.r.Count.Already++
	case image.Way == android.Erased:
		row.say(WouldGo, BecauseImageErased, "erased"+data)
		row.ImageBytes = image.Bytes
		w.r.ImageBytes += image.Bytes
		w.r.Count.Goes++
		goes()
	case image.Way == android.Masked:
		row.say(WouldGo, BecauseImageMasked, "masked"+data)
		w.r.MaskedBecause = maskWords(image.Why)
		w.r.Count.Goes++
		goes()
	default:
		row.say(WouldRefuse, BecauseImageNoWay, "can't be taken out of the image: "+wayWords(image.Why))
		w.r.Count.Refuses++
	}
}

// needRoot counts what can't go because root is missing: nobody has asked for it,
// or the phone gives none.
func (w *rehearser) needRoot() (n int) {
	for _, row := range w.r.Rows {
		if row.Kind == profile.Remove && (row.Code == BecauseImageNotAsked || row.Code == BecauseImageNoRoot || row.Code == BecauseImageNoWay) {
			n++
		}
	}
	return n
}

// foundWords say what a phone told of what guards its image.
func foundWords(i android.Image) string {
	var found []string
	for _, one := range []struct{ what, is string }{{"SELinux", i.SELinux}, {"dm-verity", i.Verity}, {"verified boot", i.Boot}} {
		if one.is != "" {
			found = append(found, one.what+" "+one.is)
		}
	}
	return strings.Join(found, ", ")
}

// rootWords say why there is no root.
func rootWords(r android.RootAnswer) string {
	if r == android.RootRefused {
		return "no root: it was refused on the phone"
	}
	return "no root: this phone has no program that gives it"
}

// maskWords say why a package is masked and not erased.
func maskWords(why android.ImageReason) string {
	if why == android.ImageVerified {
		return "the phone verifies its image, and erased it might not start"
	}
	return "this image can only be read"
}

// wayWords say why there is no way out of the image.
func wayWords(why android.ImageReason) string {
	if why == android.NoScripts {
		return "nothing runs boot scripts on this phone, and so what does not start could not heal"
	}
	return "it does not lie in a folder of its own there"
}

// NoWayWords say why a package can't be taken out of the image of a phone that was
// asked; "" where it can.
func NoWayWords(i android.Image) string {
	switch {
	case !i.Root.Given():
		return rootWords(i.Root)
	case i.Way == "":
		return "can't be taken out of the image: " + wayWords(i.Why)
	}
	return ""
}
