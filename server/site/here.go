package site

import (
	"context"
	"encoding/json"
	"strings"

	"roster/core/catalog"
	"roster/store"
)

type herePage struct {
	releasePage
	Here       *Here
	Tell, Salt string
	Keep       string // what is kept for when there is no connection, with spaces between
	// Wrote is hereWrote as JSON.
	Wrote string
}

// hereWrote is what people wrote in the catalogue that the page needs, in its
// language.
type hereWrote struct {
	Labels    map[string]string `json:"labels"`
	Functions map[string]string `json:"functions"`
	// Guides say how the release's phones are made to listen to a computer, for
	// each of its Android releases; none where nobody has said.
	Guides []catalog.Guide `json:"guides"`
}

// here is the page that does a release on a phone. There is none where the program
// was built without the browser application.
func (s *Site) here(ctx context.Context, page releasePage, spoken store.Spoken) (File, error) {
	here, err := s.Assets.Here()
	if err != nil {
		return File{}, err
	}
	if here == nil {
		return File{}, store.ErrNotFound
	}
	lists, err := s.Store.Guides(ctx, page.Maker, page.Model)
	if err != nil {
		return File{}, err
	}
	var releases []string
	for _, b := range page.Doc.Builds {
		releases = append(releases, b.Android)
	}
	wrote, err := json.Marshal(hereWrote{spoken.Labels, spoken.Functions, catalog.GuidesFor(lists, releases, s.code())})
	if err != nil {
		return File{}, err
	}
	return s.page("here.html", herePage{page, here, s.Reports, s.Salt, "/" + strings.Join(here.All, " /"), string(wrote)})
}
