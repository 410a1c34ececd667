//go:build unix

package server

import "golang.org/x/sys/unix"

// room is how much of a disk is free for who is not root, and how large it is,
// in bytes.
func room(path string) (free, size uint64, err error) {
	var fs unix.Statfs_t
	if err := unix.Statfs(path, &fs); err != nil {
		return 0, 0, err
	}
	return uint64(fs.Bavail) * uint64(fs.Bsize), uint64(fs.Blocks) * uint64(fs.Bsize), nil
}
