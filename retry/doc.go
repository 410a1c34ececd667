// Package retry tries again what fails because something else is away for a
// while: a database, a server, an adb server.
package retry
