// Package bench is what a computer with phones attached does: it watches
// which phones the adb server sees, says in words what is wrong with one that
// cannot be used, and asks one for a capture.
//
// The adb server's protocol lives in bench/adb; what the answers mean, in
// core/android.
package bench
