// Package server is Roster over HTTP: the API below /api/v1/, the public pages
// below /r/, the browser application, and the health checks. It decides who
// may do what; what things come to is decided in core/ and kept by store/.
package server
