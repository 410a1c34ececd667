// Package faults breaks runs on purpose: it runs the built program, a real
// database and the real adb against stand-in phones, and each time kills
// something at a random moment. Afterwards the phone has to be exactly as the
// journal says, no step lost, none done twice. Short in the tests, as long as
// one likes by scripts/faults.
package faults
