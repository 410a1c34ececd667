package adb

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os/exec"
	"time"
)

// startTakes bounds how long an adb server may take until it answers: it makes
// a key of its own first where there is none.
const startTakes = time.Minute

// Flags are what the adb program has to be given to use this server.
func (c *Client) Flags() ([]string, error) {
	if network, _ := c.place(); network == "unix" {
		return []string{"-L", c.address()}, nil
	}
	_, port, err := net.SplitHostPort(c.address())
	if err != nil {
		return nil, fmt.Errorf("adb server address: %w", err)
	}
	return []string{"-P", port}, nil
}

// Start starts a server with the adb program where none answers. Program is
// its path or name.
func (c *Client) Start(ctx context.Context, program string) error {
	if _, err := c.Version(ctx); !errors.Is(err, ErrNoServer) {
		return err
	}
	where, err := c.Flags()
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 15*time.Second)
	defer cancel()
	// The server inherits our pipes and would hold them open: it gets none.
	if err := exec.CommandContext(ctx, program, append(where, "start-server")...).Run(); err != nil {
		return fmt.Errorf("could not start an adb server with %s: %w", program, err)
	}
	_, err = c.Version(ctx)
	return err
}

// Server is an adb server that this program started and will end.
type Server struct {
	process *exec.Cmd
	ended   chan struct{}
}

// Serve starts a server where none answers, as a child of this program, and
// returns when it answers. Program is adb's path or name. Whoever calls it has
// to close what it returns; a nil Server with a nil error says that one
// answered already, which is left to who started it.
func (c *Client) Serve(ctx context.Context, program string) (*Server, error) {
	if _, err := c.Version(ctx); !errors.Is(err, ErrNoServer) {
		return nil, err
	}
	where, err := c.Flags()
	if err != nil {
		return nil, err
	}
	// Keys typed into this program's terminal are not meant for adb, and its
	// output is nobody's.
	process := exec.Command(program, append(where, "nodaemon", "server")...)
	inGroupOfItsOwn(process)
	if err := process.Start(); err != nil {
		return nil, fmt.Errorf("could not start an adb server with %s: %w", program, err)
	}
	s := &Server{process, make(chan struct{})}
	go func() {
		process.Wait()
		close(s.ended)
	}()
	ctx, cancel := context.WithTimeout(ctx, startTakes)
	defer cancel()
	for {
		select {
		case <-s.ended:
			return nil, fmt.Errorf("%s ended at once instead of serving at %s: %s", program, c.address(), process.ProcessState)
		case <-ctx.Done():
			s.Close()
			return nil, fmt.Errorf("%s does not serve at %s: %w", program, c.address(), context.Cause(ctx))
		case <-time.After(20 * time.Millisecond):
		}
		if _, err := c.Version(ctx); !errors.Is(err, ErrNoServer) {
			return s, err
		}
	}
}

// Close ends the server and returns when it is gone. It may be called of a nil
// Server and more than once.
func (s *Server) Close() {
	if s == nil {
		return
	}
	s.process.Process.Kill()
	<-s.ended
}
