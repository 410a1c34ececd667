// Package catalog holds what the catalogue says of packages: where a claim
// applies, which of several claims stands, and who put a package on a phone.
//
// How claims are edited and merged lives in package change, what trials come
// to in package evidence.
package catalog
