// Package phone is the stand-in phone: a simulated Android device that speaks
// adb's own wire protocol over TCP, so that the real adb server, Roster's
// bench and every test can work with it as with a phone on a cable.
//
// What a stand-in is and how it misbehaves is told by scenario files (see
// Scenario), not by code. What it prints follows the Android release that it
// claims to be.
package phone
