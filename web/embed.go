// Package web carries the built browser application. Its sources are the
// other files of this folder; scripts/build writes dist/.
package web

import "embed"

// Dist is the built application, empty but for a marker before scripts/build
// has run.
//
//go:embed all:dist
var Dist embed.FS

// Words are the sentences of the public pages, a file a language; what a file
// lacks is said in English.
//
//go:embed words/*.json
var Words embed.FS
