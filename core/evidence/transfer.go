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
}

// DefaultTransfer is the table that a new installation starts with.
var DefaultTransfer = Transfer{1, 0.8, 0.5, 0.3, 0.2, 0.1}

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
	release := target.Release != "" && trial.Release == target.Release
	switch {
	case target.Build != "" && trial.Build == target.Build:
		return SameBuild
	case target.Model != "" && trial.Model == target.Model && release:
		return SameModelRelease
	case target.Model != "" && trial.Model == target.Model:
		return SameModel
	case target.Maker != "" && trial.Maker == target.Maker && release:
		return SameMakerRelease
	case target.Maker != "" && trial.Maker == target.Maker:
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
