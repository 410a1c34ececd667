package adb

import (
	"net"
	"syscall"
)

// quickAck makes the system acknowledge at once what was received. The adb
// server sends the end of an answer only when what came before has been
// acknowledged, and a system that takes its time over that (40 ms here) would
// cost more than the question.
func quickAck(c net.Conn) {
	s, ok := c.(stopConn)
	if ok {
		c = s.Conn
	}
	t, ok := c.(*net.TCPConn)
	if !ok {
		return
	}
	raw, err := t.SyscallConn()
	if err != nil {
		return
	}
	raw.Control(func(fd uintptr) { syscall.SetsockoptInt(int(fd), syscall.IPPROTO_TCP, syscall.TCP_QUICKACK, 1) })
}
