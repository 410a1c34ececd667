// Package door holds an address of loopback for as long as a test runs, behind
// which whatever is tested may be absent, come, go and come again: nobody has
// to choose a port before it is used, or to give one back in between. It is
// for tests alone.
package door

import (
	"io"
	"net"
	"sync"
	"testing"
)

// Door listens on a port of the system's choice. It is shut at first: who
// knocks is turned away. It is safe for many goroutines.
type Door struct {
	// Address is where it listens, as host:port.
	Address string

	mu     sync.Mutex
	behind string // where it leads; "" while it is shut
	inside map[net.Conn]bool
}

// New makes a door, which is there until the test ends.
func New(t testing.TB) *Door {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	d := &Door{Address: ln.Addr().String(), inside: map[net.Conn]bool{}}
	t.Cleanup(func() {
		ln.Close()
		d.Shut()
	})
	go func() {
		for {
			in, err := ln.Accept()
			if err != nil {
				return
			}
			go d.lead(in)
		}
	}()
	return d
}

// Open lets whoever knocks through to an address.
func (d *Door) Open(behind string) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.behind = behind
}

// Shut turns whoever knocks away, and ends what goes through now.
func (d *Door) Shut() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.behind = ""
	for c := range d.inside {
		c.Close()
	}
}

// lead joins a connection with what is behind the door.
func (d *Door) lead(in net.Conn) {
	defer in.Close()
	d.mu.Lock()
	behind := d.behind
	d.mu.Unlock()
	if behind == "" {
		return
	}
	out, err := net.Dial("tcp", behind)
	if err != nil {
		return
	}
	defer out.Close()
	if !d.enter(in, behind) {
		return
	}
	defer d.leave(in)
	go func() {
		io.Copy(out, in)
		out.(*net.TCPConn).CloseWrite()
	}()
	io.Copy(in, out)
}

// enter notes a connection, unless the door was shut meanwhile.
func (d *Door) enter(c net.Conn, behind string) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.behind != behind {
		return false
	}
	d.inside[c] = true
	return true
}

func (d *Door) leave(c net.Conn) {
	d.mu.Lock()
	defer d.mu.Unlock()
	delete(d.inside, c)
}
