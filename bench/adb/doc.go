// Package adb talks to an adb server through its own socket protocol. It does
// not run the adb program for each command; only Start does, where no server
// answers.
package adb
