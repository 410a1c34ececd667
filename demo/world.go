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

// Phones are the scenarios of the stand-ins that the demo has, in the order
// in which they are attached.
var Phones = []string{"phones/lyra-5-desk.yaml", "phones/nib-2-shelf.yaml", "phones/lyra-5-drawer.yaml", "phones/view-43-ward.yaml", "phones/fen-box.yaml",
	"phones/lyra-5-workshop.yaml", "phones/lyra-5-open.yaml"}

// PutIn is the file of the packages that sample releases put in; see
// phone.WriteFiles.
const PutIn = "put-in.yaml"

// LoosePhones are the scenarios of the stand-ins that hang on no computer, for
// browsers to attach.
var LoosePhones = []string{"phones/lyra-5-bag.yaml"}
