// Package render writes a release as scripts and lists. It reads nothing but
// the release document, so that what was signed is what runs. Quoting for
// shells lives here and nowhere else.
package render
