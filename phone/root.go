package phone

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// asRoot marks a context whose programs run as root.
type asRoot struct{}

// booting marks a context whose programs run while the phone starts.
type booting struct{}

func isRoot(ctx context.Context) bool { return ctx.Value(asRoot{}) != nil }

// rooted are the programs that work on a disk, as root alone.
var rooted map[string]func(*Phone, *command) byte

func init() { // they call the shell, which looks them up
	rooted = map[string]func(*Phone, *command) byte{
		"cat": (*Phone).cat, "chcon": (*Phone).change, "chmod": (*Phone).change, "chown": (*Phone).change, "cp": (*Phone).cp,
		"du": (*Phone).du, "find": (*Phone).find, "ls": (*Phone).ls, "mkdir": (*Phone).mkdir, "mount": (*Phone).mount, "mv": (*Phone).mv,
		"rm": (*Phone).rm, "sha256sum": (*Phone).sha256sum, "stat": (*Phone).statAll, "umount": (*Phone).umount,
		"sync":       func(*Phone, *command) byte { return 0 },
		"restorecon": func(*Phone, *command) byte { return 0 }, // its cp keeps labels
	}
}

// AllowRoot says what the phone's owner answers to whoever asks for root.
func (p *Phone) AllowRoot(yes bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.noRoot = !yes
}

// givesRoot reports whether its owner gives root to whoever asks.
func (p *Phone) givesRoot() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return !p.noRoot
}

// su runs a line as root: su -c LINE.
func (p *Phone) su(c *command) byte {
	switch {
	case !p.givesRoot():
		return c.fail(1, "Permission denied")
	case len(c.args) < 2 || c.args[0] != "-c":
		return c.fail(1, "su: want -c and a command")
	}
	return p.shell(context.WithValue(c.ctx, asRoot{}, true), strings.Join(c.args[1:], " "), nil, c.out, c.errs)
}

// sh runs a line with the rights that its caller has.
func (p *Phone) sh(c *command) byte {
	if len(c.args) != 2 || c.args[0] != "-c" {
		return c.fail(127, "sh: want -c and a command")
	}
	return p.shell(c.ctx, c.args[1], nil, c.out, c.errs)
}

func (p *Phone) id(c *command) byte {
	switch root := isRoot(c.ctx); {
	case slices.Contains(c.args, "-u") && root:
		c.print("0\n")
	case slices.Contains(c.args, "-u"):
		c.print("2000\n")
	case root:
		c.print("uid=0(root) gid=0(root) groups=0(root) context=u:r:magic:s0\n")
	default:
		c.print("uid=2000(shell) gid=2000(shell) groups=2000(shell),1004(input) context=u:r:shell:s0\n")
	}
	return 0
}

// locked runs a program on the disk under the phone's lock.
func (p *Phone) locked(c *command, do func(d *disk) error) byte {
	p.mu.Lock()
	defer p.mu.Unlock()
	if err := do(p.disk); err != nil {
		said := err.Error() // which a phone begins with a capital
		return c.fail(1, "%s: %s%s", strings.Join(c.args, " "), strings.ToUpper(said[:1]), said[1:])
	}
	return 0
}

func (p *Phone) cat(c *command) byte {
	if len(c.args) == 1 && strings.HasPrefix(c.args[0], "/proc/") && c.args[0] != "/proc/mounts" {
		return p.proc(c)
	}
	if len(c.args) == 0 && c.in != nil {
		io.Copy(c.out, c.in)
		return 0
	}
	return p.locked(c, func(d *disk) error {
		for _, name := range c.args {
			data, err := p.contentOf(name)
			if err != nil {
				return err
			}
			c.out.Write(data)
		}
		return nil
	})
}

// contentOf reads a file for root, also one that was pushed. The lock is held.
func (p *Phone) contentOf(name string) ([]byte, error) {
	if name == "/proc/mounts" {
		return p.disk.table(), nil
	}
	if data, ok := p.files[name]; ok {
		return data, nil
	}
	return p.disk.read(name)
}

// words splits off switches.
func (c *command) words() (switches string, names []string) {
	for _, a := range c.args {
		if strings.HasPrefix(a, "-") {
			switches += a
		} else {
			names = append(names, a)
		}
	}
	return switches, names
}

// change sets a mode, an owner or a label: those of all names after the first word.
func (p *Phone) change(c *command) byte {
	_, words := c.words()
	return p.locked(c, func(d *disk) error {
		if len(words) < 2 {
			return errors.New("needs more words")
		}
		for _, name := range words[1:] {
			n := d.find(name)
			if n == nil {
				return errNoFile
			}
			if at, _, _ := d.partition(name); at == nil || !at.writable {
				return errReadOnly
			}
			mode, err := strconv.ParseUint(words[0], 8, 32)
			switch {
			case strings.Contains(words[0], ":") && strings.Contains(words[0], "_r:"):
				n.label = words[0]
			case strings.Contains(words[0], ":"):
				n.owner = strings.Replace(words[0], ":", " ", 1)
			case err == nil:
				n.mode = uint32(mode)
			default:
				return errors.New("bad mode")
			}
		}
		return nil
	})
}

func (p *Phone) cp(c *command) byte {
	_, names := c.words()
	return p.locked(c, func(d *disk) error {
		if len(names) != 2 {
			return errors.New("needs two names")
		}
		if data, ok := p.files[names[0]]; ok {
			return d.write(names[1], &node{data: data, mode: 0o644, owner: "0 0", label: "u:object_r:system_file:s0"})
		}
		to := names[1]
		if n := d.find(to); n != nil && n.folder {
			to = path.Join(to, path.Base(names[0]))
		}
		if p.scenario.DiskFull && strings.HasPrefix(to, "/data/") {
			return errors.New("no space left on device")
		}
		return d.copy(names[0], to)
	})
}

func (p *Phone) mv(c *command) byte {
	_, names := c.words()
	return p.locked(c, func(d *disk) error {
		if len(names) != 2 {
			return errors.New("needs two names")
		}
		if d.find(names[0]) != nil {
			d.remove(names[1])
		}
		if err := d.copy(names[0], names[1]); err != nil {
			return err
		}
		return d.remove(names[0])
	})
}

func (p *Phone) rm(c *command) byte {
	switches, names := c.words()
	return p.locked(c, func(d *disk) error {
		for _, name := range names {
			n := d.find(name)
			switch {
			case n == nil && strings.Contains(switches, "f"):
				continue
			case n == nil:
				return errNoFile
			case n.folder && !strings.Contains(switches, "r"):
				return errors.New("is a directory")
			}
			if err := d.remove(name); err != nil {
				return err
			}
		}
		return nil
	})
}

func (p *Phone) mkdir(c *command) byte {
	switches, names := c.words()
	return p.locked(c, func(d *disk) error {
		for _, name := range names {
			if n := d.find(name); n != nil {
				if !strings.Contains(switches, "p") {
					return errExists
				}
				continue
			}
			for _, one := range append(parents(name, switches), name) {
				if d.find(one) != nil {
					continue
				}
				if err := d.write(one, &node{folder: true, mode: 0o755, owner: "0 0", label: "u:object_r:adb_data_file:s0"}); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// parents are the folders above a path, outermost first, where -p asks for them.
func parents(name, switches string) (list []string) {
	for dir := path.Dir(name); strings.Contains(switches, "p") && dir != "/" && dir != "."; dir = path.Dir(dir) {
		list = append(list, dir)
	}
	slices.Reverse(list)
	return list
}

// mount is mount -o bind FROM AT and mount -o remount,rw AT.
func (p *Phone) mount(c *command) byte {
	var how string
	var names []string
	for i := 0; i < len(c.args); i++ {
		if c.args[i] == "-o" && i+1 < len(c.args) {
			i++
			how = c.args[i]
		} else {
			names = append(names, c.args[i])
		}
	}
	return p.locked(c, func(d *disk) error {
		switch {
		case how == "bind" && len(names) == 2:
			for _, name := range names {
				if n := d.find(name); n == nil || !n.folder {
					return errNoFile
				}
			}
			d.mounts = append(d.mounts, mount{at: path.Clean(names[1]), bound: path.Clean(names[0])})
			return nil
		case strings.HasPrefix(how, "remount,") && len(names) == 1:
			return d.remount(names[0], how == "remount,rw")
		}
		return errors.New("unknown")
	})
}

func (p *Phone) umount(c *command) byte {
	_, names := c.words()
	return p.locked(c, func(d *disk) error {
		for _, name := range names {
			i := slices.IndexFunc(d.mounts, func(m mount) bool { return m.at == name && m.bound != "" })
			if i < 0 {
				return errors.New("invalid argument")
			}
			d.mounts = slices.Delete(d.mounts, i, i+1)
		}
		return nil
	})
}

func (p *Phone) find(c *command) byte {
	return p.locked(c, func(d *disk) error {
		if len(c.args) == 0 {
			return errNoFile
		}
		list := d.below(c.args[0])
		if len(list) == 0 {
			return errNoFile
		}
		c.print("%s\n", strings.Join(list, "\n"))
		return nil
	})
}

func (p *Phone) ls(c *command) byte {
	_, names := c.words()
	return p.locked(c, func(d *disk) error {
		for _, name := range names {
			if d.find(name) == nil {
				return errNoFile
			}
			for _, one := range d.below(name)[1:] {
				if rest := strings.TrimPrefix(one, name+"/"); !strings.Contains(rest, "/") {
					c.print("%s\n", rest)
				}
			}
		}
		return nil
	})
}

func (p *Phone) du(c *command) byte {
	_, names := c.words()
	return p.locked(c, func(d *disk) error {
		for _, name := range names {
			bytes := 0
			for _, one := range d.below(name) {
				data, _ := d.read(one) // a folder has none
				bytes += len(data)
			}
			c.print("%d\t%s\n", (bytes+1023)/1024, name)
		}
		return nil
	})
}

func (p *Phone) sha256sum(c *command) byte {
	return p.locked(c, func(d *disk) error {
		for _, name := range c.args {
			data, err := p.contentOf(name)
			if err != nil {
				return err
			}
			c.print("%x  %s\n", sha256.Sum256(data), name)
		}
		return nil
	})
}

// statAll is stat -c FORMAT NAME... with the signs that a backup asks for.
func (p *Phone) statAll(c *command) byte {
	if len(c.args) < 3 || c.args[0] != "-c" {
		return p.stat(c)
	}
	return p.locked(c, func(d *disk) error {
		for _, name := range c.args[2:] {
			n := d.find(name)
			if n == nil {
				return errNoFile
			}
			data, _ := d.read(name) // a folder has none
			kind, user, group := "regular file", "0", "0"
			if n.folder {
				kind = "directory"
			}
			user, group, _ = strings.Cut(n.owner, " ")
			c.print("%s\n", strings.NewReplacer("%a", strconv.FormatUint(uint64(n.mode), 8), "%u", user, "%g", group, "%C", n.label,
				"%s", fmt.Sprint(len(data)), "%F", kind, "%n", name).Replace(c.args[1]))
		}
		return nil
	})
}

// open opens a file of the disk for the shell's own redirections.
func (p *Phone) open(ctx context.Context, name string, flag int, mode fs.FileMode) (io.ReadWriteCloser, error) {
	if p.disk == nil || !isRoot(ctx) || name == "/dev/null" {
		return openNothing(ctx, name, flag, mode)
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	f := &diskFile{phone: p, name: path.Clean(name), writes: flag&(os.O_WRONLY|os.O_RDWR) != 0}
	data, err := p.contentOf(f.name)
	switch {
	case !f.writes && err != nil:
		return nil, &fs.PathError{Op: "open", Path: name, Err: syscall.ENOENT}
	case !f.writes || flag&os.O_APPEND != 0 && err == nil:
		f.Write(data)
	}
	if f.writes {
		if err := p.disk.write(f.name, f.node()); err != nil {
			return nil, &fs.PathError{Op: "open", Path: name, Err: syscall.EROFS}
		}
	}
	return f, nil
}

// diskFile is an open file; what is written stands on the disk when it is closed.
type diskFile struct {
	bytes.Buffer
	phone  *Phone
	name   string
	writes bool
}

func (f *diskFile) node() *node {
	return &node{data: bytes.Clone(f.Bytes()), mode: 0o644, owner: "0 0", label: "u:object_r:adb_data_file:s0"}
}

func (f *diskFile) Close() error {
	if !f.writes {
		return nil
	}
	f.phone.mu.Lock()
	defer f.phone.mu.Unlock()
	return f.phone.disk.write(f.name, f.node())
}

// statFor is what the shell's own tests see.
func (p *Phone) statFor(ctx context.Context, name string, _ bool) (fs.FileInfo, error) {
	if p.disk == nil || !isRoot(ctx) {
		return nil, fs.ErrNotExist
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if n := p.disk.find(name); n != nil {
		return info{path.Base(name), n}, nil
	}
	return nil, fs.ErrNotExist
}

// bootScripts runs what root put into the folder of boot scripts, each to its end;
// what they leave in the background goes on until the phone starts again.
func (p *Phone) bootScripts() {
	if p.disk == nil {
		return
	}
	p.mu.Lock()
	if p.endBoot != nil {
		p.endBoot()
	}
	ctx, end := context.WithCancel(context.WithValue(context.WithValue(context.Background(), asRoot{}, true), booting{}, true))
	p.endBoot = end
	p.disk.restart()
	scripts := map[string]string{}
	for _, name := range p.disk.below("/data/adb/post-fs-data.d")[1:] {
		data, _ := p.disk.read(name) // a folder is no script
		scripts[name] = string(data)
	}
	p.mu.Unlock()
	for name, script := range scripts {
		if strings.TrimSpace(script) == "" {
			continue
		}
		if code := p.shell(ctx, script, nil, io.Discard, io.Discard); code != 0 {
			p.log.Info("a boot script failed", "script", name, "code", code)
		}
	}
}

// bootSpeed is how much faster what waits in a boot script does so: its phone
// restarts in seconds.
const bootSpeed = 50

// sleep waits.
func sleep(_ *Phone, c *command) byte {
	d, err := time.ParseDuration(strings.Join(c.args, "") + "s")
	if err != nil {
		return c.fail(1, "sleep: bad time")
	}
	if c.ctx.Value(booting{}) != nil {
		d /= bootSpeed
	}
	select {
	case <-time.After(d):
	case <-c.ctx.Done():
	}
	return 0
}
