package site

import (
	"context"
	"fmt"
	"html/template"
	"strings"

	"roster/store"
)

// maxCovered bounds the builds that coverage tells of.
const maxCovered = 5000

// coverRow is a model with its builds, oldest first.
type coverRow struct {
	store.ModelCover
	Builds []store.BuildCover `json:"builds"`
}

// Age is the day of the newest capture, "" for none.
func (r coverRow) Age() string { return date(r.CapturedAt) }

// coverPage tells those who want to help what is known and what is missing.
type coverPage struct {
	Base    string
	Rows    []coverRow
	Helpful []store.BuildCover
	// Builds, Packages and Tried are sums over all.
	Builds, Captured, Packages, Graded, Tried int
}

// coverage writes what is known of each build, without anything of whose
// phones told it.
func (s *Site) coverage(ctx context.Context, path string) (File, error) {
	models, err := s.Store.ModelCovers(ctx, store.Scope{}, maxCovered)
	if err != nil {
		return File{}, err
	}
	builds, err := s.Store.BuildCovers(ctx, store.Scope{}, maxCovered)
	if err != nil {
		return File{}, err
	}
	p := coverPage{Base: s.Base}
	if p.Helpful, err = s.Store.Helpful(ctx, store.Scope{}, 10); err != nil {
		return File{}, err
	}
	at := 0
	for _, m := range models {
		row := coverRow{ModelCover: m, Builds: []store.BuildCover{}}
		for at < len(builds) && builds[at].ModelID == m.ID {
			row.Builds = append(row.Builds, builds[at])
			at++
		}
		p.Rows = append(p.Rows, row)
		p.Builds, p.Captured, p.Packages, p.Graded, p.Tried = p.Builds+m.Builds, p.Captured+m.Captured, p.Packages+m.Packages, p.Graded+m.Graded, p.Tried+m.Tried
	}
	if path == "/coverage.json" {
		if p.Rows == nil {
			p.Rows = []coverRow{}
		}
		return asJSON(map[string]any{"models": p.Rows, "helpful": p.Helpful})
	}
	return s.page("coverage.html", p)
}

// percentOf is a share in whole percent, rounded down: what is nearly all is not
// all.
func percentOf(n, of int) int {
	if of == 0 {
		return 0
	}
	return 100 * n / of
}

// shade is how dark a cell is for the share that was tried: five steps, the
// first for nothing at all.
func shade(b store.BuildCover) int {
	switch share := percentOf(b.Tried, b.Packages); {
	case b.Tried == 0:
		return 0
	case share < 10:
		return 1
	case share < 25:
		return 2
	case share < 50:
		return 3
	}
	return 4
}

// heat draws a model's builds as a strip, a cell a build: the darker, the more
// of it was tried; outlined where nobody captured it.
func heat(builds []store.BuildCover) template.HTML {
	const cell, height = 9, 15
	var b strings.Builder
	fmt.Fprintf(&b, `<svg width="%d" height="%d" role="img" aria-label="%d builds">`, max(1, len(builds))*cell, height, len(builds))
	for i, one := range builds {
		name := strings.TrimSpace(one.Carrier + " " + one.Region + " " + one.Version)
		words := fmt.Sprintf("%s: nobody captured it", name)
		class := "n"
		if one.Packages > 0 {
			class = fmt.Sprintf("s%d", shade(one))
			words = fmt.Sprintf("%s: %d packages, %d %% graded, %d %% tried", name, one.Packages, percentOf(one.Graded, one.Packages), percentOf(one.Tried, one.Packages))
		}
		fmt.Fprintf(&b, `<rect class="%s" x="%d.5" y="1.5" width="%d" height="%d"><title>%s</title></rect>`, class, i*cell, cell-2, height-3, template.HTMLEscapeString(words))
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String())
}
