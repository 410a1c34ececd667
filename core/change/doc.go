// Package change holds the edits that people send: which fields the catalogue
// has, what a value of each must look like, and how an edit made on one
// revision meets a catalogue that has moved on.
//
// It says nothing of who may accept what; that is decided in server/ and
// store/.
package change
