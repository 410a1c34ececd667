package phone

import (
	"bytes"
	"errors"
	"io/fs"
	"maps"
	"path"
	"slices"
	"strings"
	"time"
)

// disk is what lies on a phone of which its owner has root: the folders of the
// packages on its image, and what root writes below /data/adb. Other phones have
// none: nothing there can read or change one.
//
// Its lock is the phone's.
type disk struct {
	nodes  map[string]*node // by where they lie, whatever is bound over it
	mounts []mount
}

// node is a file or a folder.
type node struct {
	folder bool
	data   []byte
	make   func() []byte // makes the data of a file that nobody has read yet; nil for none
	mode   uint32        // the permission bits
	owner  string        // user and group, as "0 0"
	label  string        // SELinux's
}

// mount is a partition, or a folder that is bound over another one.
type mount struct {
	at, device, kind string
	writable         bool
	// fixed is true where no remount makes it writable.
	fixed bool
	// bound is the folder that lies over at instead, "" for a partition.
	bound string
}

// partitions are those of an image, the longer first.
var partitions = []string{"/system_ext", "/product", "/system", "/vendor"}

var (
	errExists   = errors.New("file exists")
	errNoFile   = errors.New("no such file or directory")
	errReadOnly = errors.New("read-only file system")
)

// newDisk makes the disk of a phone with an image that is "writable" for root, or
// "read-only" even for it.
func newDisk(image string) *disk {
	d := &disk{nodes: map[string]*node{}}
	kind := "erofs"
	if image == "writable" {
		kind = "ext4"
	}
	for _, at := range partitions {
		d.mounts = append(d.mounts, mount{at: at, device: "/dev/block/dm-" + at[1:2], kind: kind, fixed: image != "writable"})
	}
	d.mounts = append(d.mounts, mount{at: "/data", device: "/dev/block/dm-9", kind: "f2fs", writable: true})
	d.nodes["/data/adb/post-fs-data.d"] = &node{folder: true, mode: 0o755, owner: "0 0", label: "u:object_r:adb_data_file:s0"}
	return d
}

// addPackage puts a package's folder and files on the image.
func (d *disk) addPackage(a *app) {
	if !a.system() {
		return
	}
	of := func(folder bool, content func() []byte) *node {
		n := &node{folder: folder, make: content, mode: 0o644, owner: "0 0", label: "u:object_r:system_file:s0"}
		if folder {
			n.mode = 0o755
		}
		return n
	}
	d.nodes[a.dir] = of(true, nil)
	d.nodes[a.imageFile()] = of(false, func() []byte { return packageFile(a) })
	for _, split := range a.Splits {
		d.nodes[path.Join(a.dir, "split_"+split+".apk")] = of(false, func() []byte { return splitFile(a, split) })
	}
	d.nodes[path.Join(a.dir, "oat")] = of(true, nil)
	d.nodes[path.Join(a.dir, "oat", "base.odex")] = of(false, func() []byte { return []byte("compiled " + a.Name) })
}

// partition is where a path lies in truth; bound is true where something is bound
// over it.
func (d *disk) partition(name string) (at *mount, real string, bound bool) {
	for i := len(d.mounts) - 1; i >= 0; i-- {
		m := &d.mounts[i]
		rest, below := strings.CutPrefix(name, m.at)
		if !below || rest != "" && rest[0] != '/' {
			continue
		}
		if m.bound != "" {
			at, real, _ = d.partition(m.bound + rest)
			return at, real, true
		}
		if at == nil {
			at = m
		}
		return at, name, false
	}
	return nil, name, false
}

// find is what lies at a path as the phone sees it; nil where nothing does.
func (d *disk) find(name string) *node {
	_, real, _ := d.partition(path.Clean(name))
	if n := d.nodes[real]; n != nil {
		return n
	}
	for other := range d.nodes {
		if strings.HasPrefix(other, strings.TrimSuffix(real, "/")+"/") {
			return &node{folder: true, mode: 0o755, owner: "0 0", label: "u:object_r:system_file:s0"}
		}
	}
	return nil
}

// read is the content of a file.
func (d *disk) read(name string) ([]byte, error) {
	n := d.find(name)
	switch {
	case n == nil:
		return nil, errNoFile
	case n.folder:
		return nil, errors.New("is a directory")
	case n.data == nil && n.make != nil:
		n.data = n.make()
	}
	return n.data, nil
}

// below lists what lies in a folder, its own path first.
func (d *disk) below(name string) []string {
	name = path.Clean(name)
	_, real, _ := d.partition(name)
	var list []string
	if d.find(name) != nil {
		list = append(list, name)
	}
	for other := range d.nodes {
		if rest, ok := strings.CutPrefix(other, real+"/"); ok {
			list = append(list, name+"/"+rest)
		}
	}
	slices.Sort(list)
	return list
}

// write puts a node at a path.
func (d *disk) write(name string, n *node) error {
	at, real, _ := d.partition(path.Clean(name))
	switch {
	case at == nil || !at.writable:
		return errReadOnly
	case d.find(path.Dir(real)) == nil && path.Dir(real) != at.at:
		return errNoFile
	}
	d.nodes[real] = n
	return nil
}

// remove takes away a path and all below it.
func (d *disk) remove(name string) error {
	name = path.Clean(name)
	at, real, _ := d.partition(name)
	if at == nil || !at.writable {
		return errReadOnly
	}
	if slices.ContainsFunc(d.mounts, func(m mount) bool { return m.at == name }) {
		return errors.New("device or resource busy")
	}
	maps.DeleteFunc(d.nodes, func(other string, _ *node) bool { return other == real || strings.HasPrefix(other, real+"/") })
	return nil
}

// copy copies a path and all below it with modes, owners and labels.
func (d *disk) copy(from, to string) error {
	list := d.below(from)
	if len(list) == 0 {
		return errNoFile
	}
	for _, name := range list {
		n := *d.find(name)
		if !n.folder {
			data, err := d.read(name)
			if err != nil {
				return err
			}
			n.data, n.make = bytes.Clone(data), nil
		}
		if err := d.write(to+strings.TrimPrefix(name, path.Clean(from)), &n); err != nil {
			return err
		}
	}
	return nil
}

// remount makes a partition writable, or not any more.
func (d *disk) remount(at string, writable bool) error {
	for i := range d.mounts {
		if m := &d.mounts[i]; m.at == at && m.bound == "" {
			if writable && m.fixed {
				return errors.New("'" + m.device + "' is read-only")
			}
			m.writable = writable
			return nil
		}
	}
	return errors.New("bad /etc/fstab: " + errNoFile.Error())
}

// used is what lies on a partition, in KiB.
func (d *disk) used(at string) int {
	bytes := 0
	for name, n := range d.nodes {
		if strings.HasPrefix(name, at+"/") && !n.folder {
			if n.data == nil && n.make != nil {
				n.data = n.make()
			}
			bytes += len(n.data)
		}
	}
	return (bytes + 1023) / 1024
}

// restart lets go of what was bound and made writable.
func (d *disk) restart() {
	d.mounts = slices.DeleteFunc(d.mounts, func(m mount) bool { return m.bound != "" })
	for i := range d.mounts {
		if m := &d.mounts[i]; m.at != "/data" {
			m.writable = false
		}
	}
}

// wipe empties /data, as a reset does; the image stays as it is.
func (d *disk) wipe() {
	maps.DeleteFunc(d.nodes, func(name string, _ *node) bool {
		return strings.HasPrefix(name, "/data/adb/") && name != "/data/adb/post-fs-data.d"
	})
}

// table is /proc/mounts.
func (d *disk) table() []byte {
	var b bytes.Buffer
	for _, m := range d.mounts {
		of, how := m, "ro"
		if m.bound != "" {
			under, _, _ := d.partition(m.bound)
			of = *under
		}
		if of.writable {
			how = "rw"
		}
		b.WriteString(of.device + " " + m.at + " " + of.kind + " " + how + ",seclabel,relatime 0 0\n")
	}
	return b.Bytes()
}

// info is a node as the shell's tests see it.
type info struct {
	name string
	*node
}

func (i info) Name() string { return i.name }
func (i info) Size() int64  { return int64(len(i.data)) }
func (i info) Mode() fs.FileMode {
	if i.folder {
		return fs.ModeDir | fs.FileMode(i.mode)
	}
	return fs.FileMode(i.mode)
}
func (i info) ModTime() time.Time { return time.Unix(builtAt, 0) }
func (i info) IsDir() bool        { return i.folder }
func (i info) Sys() any           { return nil }
