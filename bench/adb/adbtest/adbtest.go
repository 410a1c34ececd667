// Package adbtest gives tests adb servers of their own: real ones, and one that
// answers as a test says. It is for tests alone.
package adbtest

import (
	"context"
	"fmt"
	"io"
	"net"
	"os/exec"
	"strconv"
	"testing"

	"roster/bench/adb"
)

// Address is a free one, where a real adb server may be started; it is ended
// with the test.
func Address(t testing.TB) string {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer ln.Close()
	_, port, _ := net.SplitHostPort(ln.Addr().String())
	t.Cleanup(func() { exec.Command("adb", "-P", port, "kill-server").Run() })
	return ln.Addr().String()
}

// Start starts a real adb server, which is ended with the test.
func Start(t testing.TB) *adb.Client {
	t.Helper()
	c := &adb.Client{Address: Address(t)}
	if err := c.Start(context.Background(), "adb"); err != nil {
		t.Fatalf("%v; these tests need Debian's package adb", err)
	}
	return c
}

// Fake is an adb server that a real one can't be made to be on demand: it
// answers each request with a text, or ends the connection where answer says
// no.
func Fake(t testing.TB, answer func(request string) (text string, ok bool)) *adb.Client {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { ln.Close() })
	go func() {
		for {
			conn, err := ln.Accept()
			if err != nil {
				return
			}
			go func() {
				defer conn.Close()
				head := make([]byte, 4)
				if _, err := io.ReadFull(conn, head); err != nil {
					return
				}
				n, _ := strconv.ParseUint(string(head), 16, 16)
				request := make([]byte, n)
				if _, err := io.ReadFull(conn, request); err != nil {
					return
				}
				if text, ok := answer(string(request)); ok {
					fmt.Fprintf(conn, "OKAY%04x%s", len(text), text)
				}
			}()
		}
	}()
	return &adb.Client{Address: ln.Addr().String()}
}
