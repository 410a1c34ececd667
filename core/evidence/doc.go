// Package evidence turns trials into figures: how much a trial on one
// firmware says about another, how many phones may be harmed at most, how
// sure one may be, and which load follows from it.
//
// What a package is and who graded it lives in package catalog.
package evidence
