// Package adbtest gives tests adb servers of their own: real ones, and one that
// answers as a test says. It is for tests alone.
package adbtest

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"roster/bench/adb"
)

// Address is where an adb server may be started that is nobody else's: a socket
// in a folder of the test's own. What runs there is ended with the test.
func Address(t testing.TB) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "adb-") // not t.TempDir: a socket's path may have 107 bytes
	if err != nil {
		t.Fatal(err)
	}
	address := "localfilesystem:" + filepath.Join(folder, "adb")
	t.Cleanup(func() {
		End(address)
		os.RemoveAll(folder)
	})
	return address
}

// End ends the adb server at an address of Address, and returns when it is
// gone. Where none runs, it does nothing.
func End(address string) {
	exec.Command("adb", "-L", address, "kill-server").Run()
}

// Start starts a real adb server, which is ended with the test.
func Start(t testing.TB) *adb.Client {
	t.Helper()
	c := &adb.Client{Address: Address(t), Program: "adb"}
	if err := c.Start(context.Background()); err != nil {
		t.Fatalf("%v; these tests need Debian's package adb", err)
	}
	return c
}

// StartTCP starts a real adb server that listens as they usually do, on a port
// of loopback. adb can't choose one by itself, so that it is started on
// another where one turns out to be somebody else's.
func StartTCP(t testing.TB) *adb.Client {
	t.Helper()
	for range 50 {
		port := strconv.Itoa(20_000 + rand.IntN(12_000)) // below those that the system hands out
		c := &adb.Client{Address: "127.0.0.1:" + port}
		server := exec.Command("adb", "-P", port, "nodaemon", "server")
		if err := server.Start(); err != nil {
			t.Fatalf("%v; these tests need Debian's package adb", err)
		}
		ended := make(chan error, 1)
		go func() { ended <- server.Wait() }()
		if answers(t.Context(), c, ended) {
			t.Cleanup(func() {
				server.Process.Kill()
				<-ended
			})
			return c
		}
	}
	t.Fatal("no port can be had for an adb server")
	return nil
}

// answers waits until a server that was just started answers, or has ended.
func answers(ctx context.Context, c *adb.Client, ended <-chan error) bool {
	for ctx.Err() == nil {
		select {
		case <-ended:
			return false
		case <-time.After(10 * time.Millisecond):
		}
		if _, err := c.Version(ctx); err == nil {
			select {
			case <-ended: // it was somebody else who answered
				return false
			default:
				return true
			}
		}
	}
	return false
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
					if strings.HasPrefix(string(request), "host:track-") {
						io.Copy(io.Discard, conn) // as long as somebody listens
					}
				}
			}()
		}
	}()
	return &adb.Client{Address: ln.Addr().String()}
}
