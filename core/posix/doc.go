// Package posix writes words for POSIX shells: those of phones and of the
// scripts that a release comes with.
package posix
