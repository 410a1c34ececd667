// Package demo is the sample world: makers, models, builds and people that do
// not exist, as files, and the seeding of an empty installation with them.
//
// How a stand-in phone behaves lives in package phone; this package only has
// what the ones of the sample world are like.
package demo
