// Package profile composes what to take off one model: it ranks packages,
// finds the cut line, and compiles the result into a release document with
// one canonical form to sign.
//
// How a release is written as a script or a list lives in package render.
package profile
