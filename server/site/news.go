package site

import (
	"context"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"

	"roster/core/wording"
	"roster/server/atom"
	"roster/store"
)

// NewsKind is what happened to a release.
type NewsKind string

// The kinds of news.
const (
	Published NewsKind = "release.published"
	Withdrawn NewsKind = "release.withdrawn"
	NotForIt  NewsKind = "release.not-for-firmware"
)

// News is something that happened to a release, as the feed tells it.
type News struct {
	// ID tells it from all others, for ever.
	ID    string
	Kind  NewsKind
	At    time.Time
	Title string
	Words string
	// Of is the release, Path the one of its page, and Firmware the one that it is
	// not for, "" for other kinds.
	Of       store.ReleaseLine
	Path     string
	Firmware string
}

// newsOf bounds of how many releases there is news.
const newsOf = 200

// News lists what happened to releases, the latest first.
func (s *Site) News(ctx context.Context) ([]News, error) {
	list, err := s.Store.LatelyReleased(ctx, newsOf)
	if err != nil {
		return nil, err
	}
	marks, err := s.marks(ctx, list)
	return news(list, marks), err
}

func news(list []store.ReleaseLine, marks map[uuid.UUID][]store.NotFor) []News {
	var all []News
	for _, r := range list[:min(len(list), newsOf)] {
		name := fmt.Sprintf("%s %s: %s, no. %d", r.MakerName, r.ModelName, r.EditionName, r.Number)
		n := News{
			ID: "urn:uuid:" + r.ID.String(), Kind: Published, At: r.PublishedAt, Title: name,
			Words: wording.Count(r.Steps, "package goes", "packages go") + ".", Of: r, Path: Path(r),
		}
		if r.WithdrawnAt != nil {
			n.ID, n.Kind, n.At, n.Title, n.Words = n.ID+":withdrawn", Withdrawn, *r.WithdrawnAt, "Withdrawn: "+name, r.Reason
		}
		all = append(all, n)
		for _, m := range marks[r.ID] {
			all = append(all, News{
				ID: "urn:uuid:" + r.ID.String() + ":" + m.BuildID.String(), Kind: NotForIt, At: m.Since,
				Title: "Not for " + m.Name() + ": " + name, Words: m.Why, Of: r, Path: Path(r), Firmware: m.Name(),
			})
		}
	}
	slices.SortStableFunc(all, func(a, b News) int { return b.At.Compare(a.At) })
	return all
}

// feed is the news as Atom.
func (s *Site) feed(list []store.ReleaseLine, marks map[uuid.UUID][]store.NotFor) (File, error) {
	f := atom.Feed{
		ID: s.Base + "/feed.atom", Title: "Roster: releases", Author: atom.Author{Name: "Roster"},
		Links: []atom.Link{{Rel: "alternate", Href: s.Base + "/r"}, {Rel: "self", Href: s.Base + "/feed.atom"}},
	}
	for _, n := range news(list, marks) {
		f.Entries = append(f.Entries, atom.Entry{
			ID: n.ID, Title: n.Title, Updated: atom.Time(n.At), Link: atom.Link{Rel: "alternate", Href: s.Base + n.Path}, Content: n.Words,
		})
	}
	raw, err := f.Marshal()
	return File{Type: atom.ContentType, Body: raw}, err
}
