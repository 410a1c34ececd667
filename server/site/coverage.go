package site

import (
	"context"
	"fmt"
	"html/template"
	"strings"

	"github.com/google/uuid"

	"roster/store"
)

const (
	// maxShown is how many models are shown one by one; where there are more,
	// makers are, and each maker's models on a page of its own.
	maxShown = 250
	// maxOfMaker bounds the models on a maker's page, maxCovered the builds.
	maxOfMaker, maxCovered = 2000, 10_000
)

// coverRow is a model with its builds, oldest first.
type coverRow struct {
	store.ModelCover
	Builds []store.BuildCover `json:"builds"`
}

// coverPage tells those who want to help what is known and what is missing.
type coverPage struct {
	Base, Path string
	// Maker is whose page it is, "" for all.
	Maker   string
	Rows    []coverRow
	Makers  []store.MakerCover
	Helpful []store.BuildCover
	// CoverSum is over all that the page is about.
	store.CoverSum
}

// coverage writes what is known of each build of a maker, or of all, without
// anything of whose phones told it.
func (s *Site) coverage(ctx context.Context, path string) (File, error) {
	slug, json := strings.CutSuffix(strings.TrimPrefix(path, "/coverage"), ".json")
	var sc store.Scope
	if slug = strings.TrimPrefix(slug, "/"); slug != "" {
		var err error
		if sc, err = s.Store.FindScope(ctx, slug, "", ""); err != nil {
			return File{}, err
		}
	}
	makers, err := s.Store.MakerCovers(ctx, sc)
	if err != nil {
		return File{}, err
	}
	p := coverPage{Base: s.Base, Path: strings.TrimSuffix(path, ".json"), Rows: []coverRow{}, Makers: makers}
	models := 0
	for _, m := range makers {
		models += m.Models
		p.CoverSum = p.Plus(m.CoverSum)
	}
	if sc.Maker != nil {
		p.Maker = sc.Maker.Name
	}
	if p.Helpful, err = s.Store.Helpful(ctx, sc, 10); err != nil {
		return File{}, err
	}
	if models <= maxShown || sc.Maker != nil {
		if p.Rows, err = s.coverRows(ctx, sc); err != nil {
			return File{}, err
		}
	}
	if json {
		return asJSON(map[string]any{"makers": p.Makers, "models": p.Rows, "helpful": p.Helpful})
	}
	return s.page("coverage.html", p)
}

func (s *Site) coverRows(ctx context.Context, sc store.Scope) ([]coverRow, error) {
	models, _, err := s.Store.ModelCovers(ctx, store.CoverQuery{Scope: sc, Sort: "model", Limit: maxOfMaker})
	if err != nil {
		return nil, err
	}
	rows, ids, at := make([]coverRow, len(models)), make([]uuid.UUID, len(models)), make(map[uuid.UUID]int, len(models))
	for i, m := range models {
		rows[i], ids[i], at[m.ID] = coverRow{m, []store.BuildCover{}}, m.ID, i
	}
	builds, err := s.Store.BuildCovers(ctx, ids, maxCovered)
	for _, b := range builds {
		row := &rows[at[b.ModelID]]
		row.Builds = append(row.Builds, b)
	}
	return rows, err
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
func (s *speaker) heat(builds []store.BuildCover) (template.HTML, error) {
	const cell, height = 9, 15
	var b strings.Builder
	fmt.Fprintf(&b, `<svg width="%d" height="%d" role="img" aria-label="%s">`, max(1, len(builds))*cell, height, s.print.Sprint(len(builds)))
	for i, one := range builds {
		name := strings.TrimSpace(one.Carrier + " " + one.Region + " " + one.Version)
		class, words := "n", ""
		nobody, err := s.say("cover.nobody")
		if words = name + ": " + nobody; one.Packages > 0 {
			class = fmt.Sprintf("s%d", shade(one))
			words, err = s.say("cover.cell", "name", name, "n", one.Packages,
				"graded", percentOf(one.Graded, one.Packages), "tried", percentOf(one.Tried, one.Packages))
		}
		if err != nil {
			return "", err
		}
		fmt.Fprintf(&b, `<rect class="%s" x="%d.5" y="1.5" width="%d" height="%d"><title>%s</title></rect>`, class, i*cell, cell-2, height-3, template.HTMLEscapeString(words))
	}
	b.WriteString(`</svg>`)
	return template.HTML(b.String()), nil
}
