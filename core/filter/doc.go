// Package filter is the Ledger's filter language: it reads an expression into
// a tree, with the place of every mistake. It knows the fields and what their
// values may be, and nothing of SQL, which store makes of the tree.
//
// Terms side by side mean "and"; there are "or", "not" and brackets. A bare
// word searches names, labels and aliases, forgiving typing errors;
// field:value and field<number ask for something exact.
package filter
