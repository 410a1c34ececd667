//go:build unix

package main

import (
	"fmt"
	"os/exec"
	"os/user"
	"strconv"
	"syscall"
)

// runAs makes a command that of another user of this computer, which takes
// root.
func runAs(c *exec.Cmd, name string) error {
	u, err := user.Lookup(name)
	if err != nil {
		return fmt.Errorf("this computer has no such user; Debian's package postgresql makes %s, and Roster's %s", databaseUser, installationUser)
	}
	uid, uidErr := strconv.ParseUint(u.Uid, 10, 32)
	gid, gidErr := strconv.ParseUint(u.Gid, 10, 32)
	if uidErr != nil || gidErr != nil {
		return fmt.Errorf("its number %s:%s is none", u.Uid, u.Gid)
	}
	c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}}
	return nil
}
