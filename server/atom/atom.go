// Package atom writes feeds as RFC 4287 has them.
package atom

import (
	"encoding/xml"
	"time"
)

// ContentType is what a feed is sent as.
const ContentType = "application/atom+xml; charset=utf-8"

// Feed is a list of entries, newest first.
type Feed struct {
	XMLName xml.Name `xml:"http://www.w3.org/2005/Atom feed"`
	ID      string   `xml:"id"`
	Title   string   `xml:"title"`
	Updated string   `xml:"updated"`
	Author  Author   `xml:"author"`
	Links   []Link   `xml:"link"`
	Entries []Entry  `xml:"entry"`
}

// Author is who a feed is by.
type Author struct {
	Name string `xml:"name"`
}

// Link leads to what a feed or an entry is about.
type Link struct {
	Rel  string `xml:"rel,attr,omitempty"`
	Href string `xml:"href,attr"`
}

// Entry is one thing that happened.
type Entry struct {
	ID      string `xml:"id"`
	Title   string `xml:"title"`
	Updated string `xml:"updated"`
	Link    Link   `xml:"link"`
	Content string `xml:"content,omitempty"`
}

// Time writes a moment as feeds do.
func Time(t time.Time) string { return t.UTC().Format(time.RFC3339) }

// Marshal writes a feed as a document. A feed without entries is as old as
// time.
func (f Feed) Marshal() ([]byte, error) {
	f.Updated = Time(time.Unix(0, 0))
	if len(f.Entries) > 0 {
		f.Updated = f.Entries[0].Updated
	}
	raw, err := xml.MarshalIndent(f, "", "  ")
	return append([]byte(xml.Header), raw...), err
}
