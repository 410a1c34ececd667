module roster

go 1.26.0

require (
	github.com/goccy/go-yaml v1.19.2
	github.com/gowebpki/jcs v1.0.2
	gonum.org/v1/gonum v0.17.0
	mvdan.cc/sh/v3 v3.14.1
)

require (
	golang.org/x/sys v0.47.0 // indirect
	golang.org/x/term v0.45.0 // indirect
)
