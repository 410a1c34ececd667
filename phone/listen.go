package phone

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"time"
)

// Serve takes adb's connections on ln until ctx ends. While the cable is out
// or the phone restarts, connections are closed at once.
func (p *Phone) Serve(ctx context.Context, ln net.Listener) error {
	stop := context.AfterFunc(ctx, func() {
		ln.Close()
		p.Unplug()
	})
	defer stop()
	for {
		conn, err := ln.Accept()
		if err != nil {
			if ctx.Err() != nil {
				return nil
			}
			var temporary net.Error
			if errors.As(err, &temporary) && temporary.Timeout() {
				time.Sleep(10 * time.Millisecond)
				continue
			}
			return fmt.Errorf("stand-in phone %s: %w", p.scenario.Name, err)
		}
		if !p.reachable() {
			conn.Close()
			continue
		}
		l := &link{phone: p, conn: conn, in: bufio.NewReader(conn), streams: map[uint32]*stream{}, done: make(chan struct{}), late: make(chan lateMessage, 1024)}
		p.mu.Lock()
		p.links[l] = true
		p.mu.Unlock()
		go func() {
			if err := l.serve(); err != nil && !errors.Is(err, net.ErrClosed) && !errors.Is(err, io.EOF) {
				p.log.Debug("connection ended", "why", err)
			}
			p.mu.Lock()
			delete(p.links, l)
			p.mu.Unlock()
		}()
	}
}

// Listen serves the phone on a loopback port of the system's choice and
// returns its address.
func (p *Phone) Listen(ctx context.Context, address string) (string, error) {
	ln, err := net.Listen("tcp", address)
	if err != nil {
		return "", err
	}
	go p.Serve(ctx, ln)
	return ln.Addr().String(), nil
}
