package site

import (
	"fmt"
	"html/template"
	"math"
	"strings"

	"roster/core/gain"
	"roster/store"
)

// brings is what a release brought phones, as its page tells it.
type brings struct {
	// Phones counts those that were measured; fewer than six say nothing of others.
	Phones int
	Lines  []bringsLine
}

// bringsLine is a quantity with its figure and a drawing of the phones behind it.
type bringsLine struct {
	// Says is the key of its sentence where it is a gain, None where it is none.
	Says, None string
	Gains      bool
	N          float64
	Low, High  float64
	Digits     int
	Plot       template.HTML
}

// told are the quantities that a page tells of, each in the unit that it says.
var told = []struct {
	quantity gain.Quantity
	key      string
	unit     float64
	digits   int
}{{gain.Memory, "Memory", 1e6, 0}, {gain.Start, "Start", 1, 1}, {gain.Wakeups, "Wakeups", 1, 1}}

// sides are a quantity of one phone before and after.
type sides struct {
	// Word is the key of its name, with its unit.
	Word          string
	Before, After float64
	Digits        int
	// WasWide and IsWide are how long the bars of both are, of 100.
	WasWide, IsWide float64
}

// sidesOf are the quantities of a phone that a page draws side by side.
func sidesOf(d gain.Difference) (list []sides) {
	for _, t := range []struct {
		quantity gain.Quantity
		word     string
		unit     float64
		digits   int
	}{{gain.Memory, "ran.memory", 1e6, 0}, {gain.Start, "ran.start", 1, 1}, {gain.Wakeups, "ran.wakeups", 1, 0}, {gain.Processes, "ran.processes", 1, 0}} {
		c, ok := d[t.quantity]
		if !ok {
			continue
		}
		most := max(c.Before, c.After, 1e-9)
		list = append(list, sides{t.word, c.Before / t.unit, c.After / t.unit, t.digits, math.Round(100 * c.Before / most), math.Round(100 * c.After / most)})
	}
	return list
}

// bringsOf is what a page tells of what phones gained; nil where none was measured.
func bringsOf(many *store.ManyGain) *brings {
	if many == nil {
		return nil
	}
	b := &brings{Phones: len(many.Phones)}
	for _, t := range told {
		f, ok := many.Figures[t.quantity]
		if !ok || f.Verdict == gain.TooFew {
			continue
		}
		var phones []float64
		for _, p := range many.Phones {
			if c, ok := p.Gained[t.quantity]; ok {
				phones = append(phones, c.Gained)
			}
		}
		b.Lines = append(b.Lines, bringsLine{
			Says: "page.brings" + t.key, None: "page.bringsNo" + t.key, Gains: f.Verdict == gain.Gains,
			N: f.Median / t.unit, Low: f.Low / t.unit, High: f.High / t.unit, Digits: t.digits, Plot: strip(f, phones),
		})
	}
	return b
}

// strip draws phones as dots along a line from the worst to the best, with the
// interval of their figure as a thick line and nothing gained as a thin mark.
func strip(f gain.Figure, phones []float64) template.HTML {
	const width, height, edge = 300.0, 26.0, 6.0
	least, most := min(0, f.Low), max(0, f.High)
	for _, v := range phones {
		least, most = min(least, v), max(most, v)
	}
	at := func(v float64) float64 {
		return math.Round((edge+(v-least)/max(most-least, 1e-9)*(width-2*edge))*10) / 10
	}
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="brings" viewBox="0 0 %g %g" width="%g" height="%g" aria-hidden="true" direction="ltr">`, width, height, width, height)
	fmt.Fprintf(&b, `<path d="M%g 18H%g" stroke="var(--hair)"/><path d="M%g 4V24" stroke="var(--second)"/>`, edge, width-edge, at(0))
	fmt.Fprintf(&b, `<path d="M%g 18H%g" stroke="var(--l3)" stroke-width="5"/>`, at(f.Low), max(at(f.High), at(f.Low)+1))
	for _, v := range phones {
		fmt.Fprintf(&b, `<circle cx="%g" cy="10" r="2.6" fill="none" stroke="currentColor"/>`, at(v))
	}
	fmt.Fprintf(&b, `<path d="M%g 13V23" stroke="currentColor" stroke-width="2"/></svg>`, at(f.Median))
	return template.HTML(b.String())
}
