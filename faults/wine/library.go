package wine

import (
	"bytes"
	"encoding/binary"
	"errors"
	"os"
	"path/filepath"
)

// addLibrary puts into a prefix what Go's programs need and Debian's Wine lacks:
// bcryptprimitives.dll, whose ProcessPrng fills memory with random bytes. It
// holds no code: it forwards to a function of advapi32 that does the same.
func addLibrary(prefix string) error {
	folder := filepath.Join(prefix, "drive_c", "windows", "system32")
	part, err := os.CreateTemp(folder, "part-") // tests of other packages do the same
	if err != nil {
		return err
	}
	_, err = part.Write(forwarder("bcryptprimitives.dll", "ProcessPrng", "advapi32.SystemFunction036"))
	if err = errors.Join(err, part.Close()); err != nil {
		return err
	}
	return os.Rename(part.Name(), filepath.Join(folder, "bcryptprimitives.dll"))
}

// forwarder is a library for Windows on amd64 with one export that stands for
// a function of another one. The format is Microsoft's "PE Format".
func forwarder(library, name, target string) []byte {
	const (
		headers   = 0x200 // bytes in the file before the section
		section   = 0x200 // bytes of the section in the file
		at        = 0x1000
		directory = 40 // bytes of an export directory
	)
	// The export directory, its three tables of one entry each, and the texts.
	functions := uint32(at + directory)
	names, ordinals := functions+4, functions+8
	ofLibrary := ordinals + 4
	ofName := ofLibrary + uint32(len(library)) + 1
	ofTarget := ofName + uint32(len(name)) + 1
	end := ofTarget + uint32(len(target)) + 1

	var b bytes.Buffer
	put := func(values ...any) {
		for _, v := range values {
			if text, ok := v.(string); ok {
				v = []byte(text)
			}
			_ = binary.Write(&b, binary.LittleEndian, v) // into memory
		}
	}
	put("MZ", make([]byte, 58), uint32(64)) // where the rest begins
	put("PE\x00\x00", uint16(0x8664), uint16(1), uint32(0), uint32(0), uint32(0), uint16(112+16*8), uint16(0x2022))
	put(uint16(0x20b), uint16(0), uint32(0), uint32(section), uint32(0), uint32(0), uint32(at)) // no code, no entry
	put(uint64(0x180000000), uint32(0x1000), uint32(0x200))                                     // base, alignments
	put(uint16(6), uint16(0), uint16(0), uint16(0), uint16(6), uint16(0), uint32(0))            // versions
	put(uint32(2*at), uint32(headers), uint32(0), uint16(2), uint16(0x100))                     // sizes, kind
	put(uint64(0x100000), uint64(0x1000), uint64(0x100000), uint64(0x1000), uint32(0), uint32(16))
	put(uint32(at), end-at, make([]byte, 15*8)) // directories: the exports, and no others
	put(".edata\x00\x00", end-at, uint32(at), uint32(section), uint32(headers), make([]byte, 12), uint32(0x40000040))
	put(make([]byte, headers-b.Len()))
	put(uint32(0), uint32(0), uint32(0), ofLibrary, uint32(1), uint32(1), uint32(1), functions, names, ordinals)
	put(ofTarget, ofName, uint32(0)) // within the directory: a forwarder
	put(library, "\x00", name, "\x00", target, "\x00")
	put(make([]byte, headers+section-b.Len()))
	return b.Bytes()
}
