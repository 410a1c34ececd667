package adb

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os/exec"
	"time"

	"roster/bench/services"
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

// Start starts a server with the adb program where none answers, and leaves it
// running.
func (c *Client) Start(ctx context.Context) error {
	if _, err := c.Version(ctx); !errors.Is(err, services.ErrNoHost) {
		return err
	}
	where, err := c.Flags()
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 15*time.Second)
	defer cancel()
	// The server inherits our pipes and would hold them open: it gets none.
	if err := exec.CommandContext(ctx, c.Program, append(where, "start-server")...).Run(); err != nil {
		return fmt.Errorf("could not start an adb server with %s: %w", c.Program, err)
	}
	_, err = c.Version(ctx)
	return err
}

// Serve starts a server where none answers, as a child of this program, and
// returns when it answers. Whoever calls it has to call end, which returns when
// the server is gone; end is nil where one answered already, which is left to
// who started it, and where there is no program to start.
func (c *Client) Serve(ctx context.Context) (end func(), err error) {
	if _, err := c.Version(ctx); !errors.Is(err, services.ErrNoHost) || c.Program == "" {
		return nil, err
	}
	where, err := c.Flags()
	if err != nil {
		return nil, err
	}
	// Keys typed into this program's terminal are not meant for adb, and its
	// output is nobody's.
	process := exec.Command(c.Program, append(where, "nodaemon", "server")...)
	inGroupOfItsOwn(process)
	if err := process.Start(); err != nil {
		return nil, fmt.Errorf("could not start an adb server with %s: %w", c.Program, err)
	}
	ended := make(chan struct{})
	go func() {
		process.Wait()
		close(ended)
	}()
	end = func() {
		process.Process.Kill()
		<-ended
	}
	ctx, cancel := context.WithTimeout(ctx, startTakes)
	defer cancel()
	for {
		select {
		case <-ended:
			return nil, fmt.Errorf("%s ended at once instead of serving at %s: %s", c.Program, c.address(), process.ProcessState)
		case <-ctx.Done():
			end()
			return nil, fmt.Errorf("%s does not serve at %s: %w", c.Program, c.address(), context.Cause(ctx))
		case <-time.After(20 * time.Millisecond):
		}
		if _, err := c.Version(ctx); !errors.Is(err, services.ErrNoHost) {
			return end, err
		}
	}
}
