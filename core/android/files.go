package android

import (
	"bytes"
	"fmt"
	"io"
	"strings"
)

// File is an output of a phone that somebody saved.
type File struct {
	// Name is what the person calls it; it is only ever shown.
	Name string
	Data []byte
}

// kindOf tells from the first lines which output a file holds, "" when none
// that is known.
func kindOf(data []byte) string {
	head := data[:min(len(data), 64*1024)]
	for len(head) > 0 {
		var line []byte
		line, head, _ = bytes.Cut(head, []byte("\n"))
		line = bytes.TrimRight(line, "\r")
		switch {
		case len(line) == 0:
			continue
		case bytes.HasPrefix(line, []byte("package:")):
			return SectionPackageList
		case string(line) == "Packages:", string(line) == "Database versions:", string(line) == "Libraries:", strings.HasSuffix(string(line), "Resolver Table:"):
			return SectionPackageDump
		}
		if _, _, ok := propertyStart(line); ok {
			return SectionProperties
		}
	}
	return ""
}

// ReadFiles makes a capture of saved outputs, finding out what each is. A
// list with paths is taken as everything that the phone knows, one without as
// what is installed. The errors name files.
func ReadFiles(files []File) (*Capture, error) {
	var in Inputs
	slot := func(name string, at *io.Reader, data []byte) error {
		if *at != nil {
			return fmt.Errorf("%s: a second output of the same kind; send the outputs of one phone at a time", Printable(name, 80))
		}
		*at = bytes.NewReader(data)
		return nil
	}
	for _, f := range files {
		var err error
		switch kindOf(f.Data) {
		case SectionProperties:
			err = slot(f.Name, &in.Properties, f.Data)
		case SectionPackageDump:
			err = slot(f.Name, &in.Dump, f.Data)
		case SectionPackageList:
			if bytes.HasPrefix(f.Data, []byte("package:/")) {
				err = slot(f.Name, &in.Known, f.Data)
			} else {
				err = slot(f.Name, &in.Installed, f.Data)
			}
		default:
			err = fmt.Errorf("%s: this is not an output that Roster knows; it reads getprop, pm list packages and dumpsys package", Printable(f.Name, 80))
		}
		if err != nil {
			return nil, err
		}
	}
	if in.Properties == nil {
		return nil, fmt.Errorf("the output of getprop is missing: without it nobody can tell which phone this is")
	}
	return Read(in)
}
