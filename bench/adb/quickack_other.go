//go:build !linux

package adb

import "net"

// quickAck does nothing where the system has no such setting.
func quickAck(net.Conn) {}
