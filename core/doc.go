// Package core is the root of Roster's computations. Everything below it is
// pure: values in, values out, with no clock, network, database or HTTP, so
// that each figure on screen can be tested on its own.
//
// Look here for what Roster knows; look in store/ for where it is kept, in
// bench/ for how phones are reached and in server/ for how people reach it.
package core
