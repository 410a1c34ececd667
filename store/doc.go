// Package store keeps Roster's records in PostgreSQL. One file a subject,
// each statement beside the function that runs it; migrations are numbered
// files in migrations/.
//
// What figures and merges come to is computed in core/; this package loads
// what they need and writes what they say, in one transaction.
package store
