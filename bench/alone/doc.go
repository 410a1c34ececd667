// Package alone does releases on a phone with no server: it checks what it is
// given, rehearses, orders the steps of a run that its bench does, and writes the
// run's journal itself. It is what a page has that anybody may open.
package alone
