package demo

import (
	"embed"
	"io/fs"
)

//go:embed world
var files embed.FS

// World is the sample world's files: models/, sets/ and phones/.
var World = func() fs.FS {
	sub, err := fs.Sub(files, "world")
	if err != nil {
		panic(err) // the folder is embedded above
	}
	return sub
}()
