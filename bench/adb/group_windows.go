package adb

import (
	"os/exec"
	"syscall"
)

// inGroupOfItsOwn keeps the terminal's Ctrl+C from a program.
func inGroupOfItsOwn(c *exec.Cmd) {
	c.SysProcAttr = &syscall.SysProcAttr{CreationFlags: syscall.CREATE_NEW_PROCESS_GROUP}
}
