// Package android reads what Android prints. It turns the text of getprop, pm
// and dumpsys into facts, and holds the grammar of package names and build
// fingerprints.
//
// Readers are tolerant: they take any order, extra lines, CRLF and truncated
// input, never panic, and report every line that looked like data and was not
// understood with its number. They do not run anything and know nothing of
// adb; see package bench for that.
package android
