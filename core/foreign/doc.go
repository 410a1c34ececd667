// Package foreign reads lists of packages that were made elsewhere, in any
// layout, and turns them into sources by a mapping that a person makes.
//
// It guesses where rows and columns are, never what they mean.
package foreign
