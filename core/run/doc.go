// Package run is one application of a release, or of a draft, to one phone:
// what it would do (rehearse), the steps it consists of and how each is read
// back from the phone's own words, what was done and how that is undone, what
// to try afterwards, and which evidence comes of it. It sends nothing: a bench
// does, and the store keeps the journal.
package run
