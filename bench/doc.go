// Package bench is a computer with phones: what it sees through its adb
// server, and the few things that it can be asked to do with them. The same
// Station works inside a server and, through a Link, on a computer elsewhere.
// It knows nothing of the catalogue. The adb server's own protocol is in
// bench/adb.
package bench
