package catalog

import (
	"fmt"
	"strings"
)

// Arrival is what a build brings against the one before it, in short.
type Arrival struct {
	Gone    []string  `json:"gone" nullable:"false"`
	New     []string  `json:"new" nullable:"false"`
	Renamed []Renamed `json:"renamed" nullable:"false"`
	// Changed counts packages with other facts, Versions those of them of which
	// only the version differs.
	Changed  int `json:"changed"`
	Versions int `json:"versions"`
}

// Arrived is a comparison in short.
func Arrived(c Comparison) Arrival {
	a := Arrival{Gone: c.Gone, New: c.New, Renamed: c.Renamed, Changed: len(c.Changed)}
	for _, one := range c.Changed {
		if len(one.What) == 1 && one.What[0].What == "version" {
			a.Versions++
		}
	}
	return a
}

// Words say an arrival in a sentence's part: 4 packages are new, 1 is gone.
// Back counts packages that the update brought back to phones.
func (a Arrival) Words(back int) string {
	var parts []string
	add := func(n int, one, many string) {
		switch {
		case n == 0:
			return
		case n == 1 && len(parts) == 0:
			parts = append(parts, "1 package "+one)
		case n == 1:
			parts = append(parts, "1 "+one)
		case len(parts) == 0:
			parts = append(parts, fmt.Sprintf("%d packages %s", n, many))
		default:
			parts = append(parts, fmt.Sprintf("%d %s", n, many))
		}
	}
	add(len(a.New), "is new", "are new")
	add(back, "that was off came back", "that were off came back")
	add(len(a.Gone), "is gone", "are gone")
	add(len(a.Renamed), "has another name", "have other names")
	add(a.Changed-a.Versions, "changed in more than its version", "changed in more than their versions")
	if len(parts) == 0 {
		return "nothing but versions changed"
	}
	return strings.Join(parts, ", ")
}
