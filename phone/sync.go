package phone

import (
	"bytes"
	"encoding/binary"
	"io"
	"path"
	"slices"
	"strings"
)

// maxPushed bounds what can be pushed to a phone in all, in bytes.
const maxPushed = 64 << 20

// The kinds of a file's mode, and an error number, as Linux has them.
const (
	modeFile   = 0o100644
	modeFolder = 0o040755
	errNoEntry = 2
)

// builtAt is the time that every file on the image has.
const builtAt = 1230768000 // 2009-01-01

// file finds a file on the phone: one that was pushed, or a package's own.
func (p *Phone) file(name string) (data []byte, ok bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if data, ok := p.files[name]; ok {
		return data, true
	}
	if p.disk != nil && slices.ContainsFunc(partitions, func(at string) bool { return strings.HasPrefix(name, at+"/") }) {
		data, err := p.disk.read(path.Clean(name))
		return data, err == nil
	}
	for _, a := range p.packages {
		if a.file() == name {
			if a.apk == nil {
				a.apk = packageFile(a)
			}
			return a.apk, true
		}
		for _, split := range a.Splits {
			if a.splitFile(split) == name {
				return splitFile(a, split), true
			}
		}
	}
	return nil, false
}

// folder lists what lies in a folder; nil where there is none.
func (p *Phone) folder(name string) []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	var names []string
	add := func(file string) {
		rest, ok := strings.CutPrefix(file, strings.TrimSuffix(name, "/")+"/")
		first, _, _ := strings.Cut(rest, "/")
		if ok && !slices.Contains(names, first) {
			names = append(names, first)
		}
	}
	for file := range p.files {
		add(file)
	}
	for _, a := range p.packages {
		for _, file := range a.allFiles() {
			add(file)
		}
	}
	add("/sdcard/Download/.nomedia")
	add("/data/local/tmp/.keep")
	slices.Sort(names)
	return names
}

// stat prints sizes as "stat -c '%s %n' PATH" does.
func (p *Phone) stat(c *command) byte {
	var code byte
	for _, name := range c.args {
		if strings.HasPrefix(name, "-") || strings.Contains(name, "%") {
			continue
		}
		if data, ok := p.file(name); ok {
			c.print("%d %s\n", len(data), name)
		} else {
			code = c.fail(1, "stat: '%s': No such file or directory", name)
		}
	}
	return code
}

// mode is the mode and size of a path, zero where nothing is there.
func (p *Phone) mode(name string) (mode, size uint32) {
	if data, ok := p.file(name); ok {
		return modeFile, uint32(len(data))
	}
	if len(p.folder(name)) > 0 {
		return modeFolder, 4096
	}
	return 0, 0
}

// sync serves adb's file transfer until it ends: requests of a four-letter
// id, a length and a path.
func (p *Phone) sync(s *stream) {
	var h [8]byte
	for {
		if _, err := io.ReadFull(s, h[:]); err != nil {
			return
		}
		id, size := string(h[:4]), binary.LittleEndian.Uint32(h[4:])
		if id == "QUIT" || size > 4096 {
			return
		}
		name := make([]byte, size)
		if _, err := io.ReadFull(s, name); err != nil {
			return
		}
		var err error
		switch id {
		case "STAT":
			mode, n := p.mode(string(name))
			_, err = s.Write(append([]byte("STAT"), words(mode, n, builtAt)...))
		case "STA2", "LST2":
			_, err = s.Write(append([]byte(id), p.stat2(string(name))...))
		case "LIST":
			err = p.syncList(s, string(name))
		case "RECV":
			err = p.send(s, string(name))
		case "SEND":
			err = p.receive(s, string(name))
		default:
			err = syncFail(s, "unknown request")
		}
		if err != nil {
			return
		}
	}
}

func syncFail(w io.Writer, words string) error {
	b := binary.LittleEndian.AppendUint32([]byte("FAIL"), uint32(len(words)))
	_, err := w.Write(append(b, words...))
	return err
}

// stat2 is the longer answer: error, device, inode, mode, links, user, group,
// size and three times.
func (p *Phone) stat2(name string) []byte {
	mode, size := p.mode(name)
	failed := uint32(0)
	if mode == 0 {
		failed = errNoEntry
	}
	b := words(failed, 1, 0, hashOf(name), 0, mode, 1, 0, 0, size, 0)
	return append(b, words(builtAt, 0, builtAt, 0, builtAt, 0)...)
}

func (p *Phone) syncList(w io.Writer, name string) error {
	for _, entry := range p.folder(name) {
		mode, size := p.mode(path.Join(name, entry))
		b := append([]byte("DENT"), words(mode, size, builtAt, uint32(len(entry)))...)
		if _, err := w.Write(append(b, entry...)); err != nil {
			return err
		}
	}
	_, err := w.Write(append([]byte("DONE"), words(0, 0, 0, 0)...))
	return err
}

const syncChunk = 64 * 1024

// send answers RECV.
func (p *Phone) send(s *stream, name string) error {
	data, ok := p.file(name)
	if !ok {
		return syncFail(s, "open failed: No such file or directory")
	}
	w := p.faulty("pull "+name, s, s).(*faultyWriter)
	w.begin("pull " + name)
	for part := range slices.Chunk(data, syncChunk) {
		b := binary.LittleEndian.AppendUint32([]byte("DATA"), uint32(len(part)))
		if _, err := w.Write(append(b, part...)); err != nil {
			return err
		}
	}
	_, err := s.Write(append([]byte("DONE"), words(0)...))
	return err
}

// receive answers SEND: "path,mode", then the data. Only folders that every
// user may write to take files.
func (p *Phone) receive(s *stream, spec string) error {
	name, _, _ := strings.Cut(spec, ",")
	name = path.Clean("/" + name)
	var data bytes.Buffer
	for {
		var h [8]byte
		if _, err := io.ReadFull(s, h[:]); err != nil {
			return err
		}
		size := binary.LittleEndian.Uint32(h[4:])
		if string(h[:4]) == "DONE" {
			break
		}
		if string(h[:4]) != "DATA" || size > syncChunk {
			return syncFail(s, "expected DATA")
		}
		if _, err := io.CopyN(&data, s, int64(size)); err != nil {
			return err
		}
		if data.Len() > maxPushed {
			return syncFail(s, "write failed: No space left on device")
		}
	}
	writable := strings.HasPrefix(name, "/sdcard/") || strings.HasPrefix(name, "/data/local/tmp/")
	switch {
	case p.scenario.DiskFull:
		return syncFail(s, "write failed: No space left on device")
	case !writable:
		return syncFail(s, "couldn't create file: Permission denied")
	}
	p.mu.Lock()
	p.files[name] = data.Bytes()
	p.mu.Unlock()
	_, err := s.Write(append([]byte("OKAY"), words(0)...))
	return err
}
