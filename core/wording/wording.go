// Package wording writes what is written everywhere in the same way: counts,
// shares, days, conditions. web/src/format does the same in the browser.
package wording

import (
	"fmt"
	"math"
	"strings"
	"time"
)

// Count writes how many there are: 1 phone, 2 phones. More than one is called
// many, or else one with an s.
func Count(n int, one string, many ...string) string {
	if n == 1 {
		return "1 " + one
	}
	if len(many) > 0 {
		return fmt.Sprintf("%d %s", n, many[0])
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Ceiling writes a share between 0 and 1 in whole percents, rounded up so that
// no limit from above is shown lower than it is.
func Ceiling(share float64) string {
	return fmt.Sprintf("%d %%", int(math.Ceil(100*share-1e-9)))
}

// Floor writes a share in whole percents, rounded down.
func Floor(share float64) string {
	return fmt.Sprintf("%d %%", int(math.Floor(100*share+1e-9)))
}

// Share writes what is no limit in whole percents, rounded to the nearest.
func Share(share float64) string { return fmt.Sprintf("%.0f %%", 100*share) }

// People writes how many there are: 1 person, 2 people.
func People(n int) string { return Count(n, "person", "people") }

// Day writes a date: 2 Jan 2006, in UTC.
func Day(t time.Time) string { return t.UTC().Format("2 Jan 2006") }

// Sentence ends what somebody wrote as a sentence ends, once.
func Sentence(text string) string {
	text = strings.TrimSpace(text)
	if text == "" || strings.ContainsAny(text[len(text)-1:], ".!?:") || strings.HasSuffix(text, "…") {
		return text
	}
	return text + "."
}

// OnlyIf writes a condition that people have set: "only if: the set is old", or
// just "not while a card is in it", which says so itself.
func OnlyIf(condition string) string {
	lower := strings.ToLower(condition)
	for _, start := range []string{"not while ", "not if ", "not when ", "not on ", "not where ", "never "} {
		if strings.HasPrefix(lower, start) {
			return condition
		}
	}
	return "only if: " + condition
}

// Bytes is a size as people say it: in kB below a megabyte, else in MB.
func Bytes(n int64) string {
	if n < 1_000_000 {
		return fmt.Sprintf("%d kB", (n+999)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/1e6)
}
