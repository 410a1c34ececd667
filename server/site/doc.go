// Package site writes what is public: the pages for a person with a phone, the
// forms of releases, the feed and the keys. Each address is one file, which a
// server hands out and the export writes to a folder.
//
// How scripts and tables are written is package core/render's.
package site
