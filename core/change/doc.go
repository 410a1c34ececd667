// Package change holds the edits that people send: which fields the catalogue
// has, what a value of each must look like, how an edit made on one revision
// meets a catalogue that has moved on, what a reviewer would ask about it, how
// many of them it needs, and what it would do to profiles.
//
// It says nothing of who somebody is and whether they may; that is decided in
// server/ and store/.
package change
