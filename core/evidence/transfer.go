package evidence

import (
	"errors"
	"fmt"
)

// Transfer is the table of how much a trial on one firmware says about
// another, as weights from 0 to 1. It is data: each installation holds one.
type Transfer struct {
	SameBuild        float64 `json:"sameBuild"`
	SameModelRelease float64 `json:"sameModelRelease"`
	SameModel        float64 `json:"sameModel"`
	SameMakerRelease float64 `json:"sameMakerRelease"`
	SameMaker        float64 `json:"sameMaker"`
	Otherwise        float64 `json:"otherwise"`
	// Outside is what a trial from outside counts of that.
	Outside float64 `json:"outside"`
}

// DefaultTransfer is the table that a new installation starts with.
var DefaultTransfer = Transfer{1, 0.8, 0.5, 0.3, 0.2, 0.1, 0.3}

// Distance is the relation of two firmwares, 0 for the same build and growing.
type Distance int

// The distances, nearest first.
const (
	SameBuild Distance = iota
	SameModelRelease
	SameModel
	SameMakerRelease
	SameMaker
	Otherwise
)

// Between tells how far the firmware of a trial is from the target. An empty
// field of the target matches nothing.
func Between(trial, target Firmware) Distance {
	same := func(a, b string) bool { return b != "" && a == b }
	return relation(same(trial.Build, target.Build), same(trial.Model, target.Model), same(trial.Maker, target.Maker), same(trial.Release, target.Release))
}

// relation is the distance of two firmwares by what is the same of them.
func relation(build, model, maker, release bool) Distance {
	switch {
	case build:
		return SameBuild
	case model && release:
		return SameModelRelease
	case model:
		return SameModel
	case maker && release:
		return SameMakerRelease
	case maker:
		return SameMaker
	}
	return Otherwise
}

// Weight is the transfer weight for a distance.
func (t Transfer) Weight(d Distance) float64 {
	return [...]float64{t.SameBuild, t.SameModelRelease, t.SameModel, t.SameMakerRelease, t.SameMaker, t.Otherwise}[d]
}

// Check reports whether the table makes sense: weights from 0 to 1 that never
// grow with distance.
func (t Transfer) Check() error {
	if !(t.Outside >= 0 && t.Outside <= 1) {
		return fmt.Errorf("the weight of trials from outside is %v, not between 0 and 1", t.Outside)
	}
	for d := SameBuild; d <= Otherwise; d++ {
		w := t.Weight(d)
		if !(w >= 0 && w <= 1) {
			return fmt.Errorf("transfer weight %d is %v, not between 0 and 1", d, w)
		}
		if d > SameBuild && w > t.Weight(d-1) {
			return errors.New("a farther firmware may not weigh more than a nearer one")
		}
	}
	return nil
}

// Thresholds are the figures that standing and suggestion turn on. They are
// data: each installation holds one set.
type Thresholds struct {
	// Near is the transfer weight from which on a trial can contradict
	// another, and a phone that did not start calls for Load-bearing.
	Near float64 `json:"near"`
	// FirmCeiling and FirmFloor bound what is firm: at most so harmful, or at
	// least so harmful. ThinWidth is how far ceiling and floor may be apart
	// before evidence is thin.
	FirmCeiling float64 `json:"firmCeiling"`
	FirmFloor   float64 `json:"firmFloor"`
	ThinWidth   float64 `json:"thinWidth"`
	// LooseCeiling, LoosePeople and LoosePhones are what Loose wants.
	LooseCeiling float64 `json:"looseCeiling"`
	LoosePeople  int     `json:"loosePeople"`
	LoosePhones  int     `json:"loosePhones"`
}

// DefaultThresholds are those that a new installation starts with.
var DefaultThresholds = Thresholds{Near: 0.5, FirmCeiling: 0.15, FirmFloor: 0.5, ThinWidth: 0.5, LooseCeiling: 0.30, LoosePeople: 2, LoosePhones: 3}

// Check reports whether the thresholds make sense: shares between 0 and 1, and
// at least one person and one phone.
func (t Thresholds) Check() error {
	for _, share := range []struct {
		name  string
		value float64
	}{{"near", t.Near}, {"firm ceiling", t.FirmCeiling}, {"firm floor", t.FirmFloor}, {"thin width", t.ThinWidth}, {"ceiling for Loose", t.LooseCeiling}} {
		if !(share.value > 0 && share.value <= 1) {
			return fmt.Errorf("%s is %v, not above 0 and at most 1", share.name, share.value)
		}
	}
	if t.LoosePeople < 1 || t.LoosePhones < 1 {
		return errors.New("the load Loose wants at least one person and one phone")
	}
	return nil
}

// Yardstick is all data that figures are measured by.
type Yardstick struct {
	Transfer   Transfer   `json:"transfer"`
	Thresholds Thresholds `json:"thresholds"`
}

// DefaultYardstick is what a new installation measures by.
var DefaultYardstick = Yardstick{DefaultTransfer, DefaultThresholds}

// Check reports whether both halves make sense.
func (y Yardstick) Check() error { return errors.Join(y.Transfer.Check(), y.Thresholds.Check()) }
