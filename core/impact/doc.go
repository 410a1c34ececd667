// Package impact works out what rests on what on a phone, from the phone's own
// words: links between packages, the jobs that the platform gives to them, and
// what a removal would cost. What people saw when they tried is package
// evidence's.
package impact
