package bench_test

import (
	"fmt"
	"io"
	"net"
	"strconv"
	"testing"

	"roster/bench/adb"
)

// fakeServer is an adb server of some version that ends every other
// connection at once: what a real one can't be made to do.
func fakeServer(t *testing.T, version string) *adb.Client {
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
				if string(request) == "host:version" {
					fmt.Fprintf(conn, "OKAY%04x%s", len(version), version)
				}
			}()
		}
	}()
	return &adb.Client{Address: ln.Addr().String()}
}
