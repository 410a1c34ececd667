package adb

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"strings"
	"time"
)

// Pull copies a file of the phone to w by the sync protocol, at most limit
// bytes, and returns how many there were. The error wraps ErrGone when the
// phone vanishes and ErrTooMuch over the limit; a phone's refusal is told in
// its words.
func (c *Client) Pull(ctx context.Context, serial, path string, w io.Writer, limit int64) (int64, error) {
	if len(path) > 1024 || strings.ContainsAny(path, "\x00\n") {
		return 0, fmt.Errorf("not a path on a phone")
	}
	conn, err := c.transport(ctx, serial)
	if err != nil {
		return 0, err
	}
	defer conn.Close()
	if err := conn.request("sync:"); err != nil {
		return 0, err
	}
	if _, err := conn.Write(append(binary.LittleEndian.AppendUint32([]byte("RECV"), uint32(len(path))), path...)); err != nil {
		return 0, fmt.Errorf("%w: %w", ErrGone, err)
	}
	var n int64
	for {
		// A phone that says nothing for this long has gone.
		conn.SetDeadline(time.Now().Add(30 * time.Second))
		var h [8]byte
		if _, err := io.ReadFull(conn.r, h[:]); err != nil {
			return n, gone(ctx, err)
		}
		size := int64(binary.LittleEndian.Uint32(h[4:]))
		switch id := string(h[:4]); {
		case id == "DONE":
			return n, nil
		case id == "FAIL" && size <= 4096:
			words := make([]byte, size)
			if _, err := io.ReadFull(conn.r, words); err != nil {
				return n, gone(ctx, err)
			}
			return n, fmt.Errorf("the phone would not hand out %s: %s", path, words)
		case id != "DATA" || size > 64<<10:
			return n, fmt.Errorf("the phone answered %q where data should be", h[:4])
		case n+size > limit:
			return n, fmt.Errorf("%s: %w", path, ErrTooMuch)
		}
		m, err := io.CopyN(w, conn.r, size)
		n += m
		if err != nil {
			return n, gone(ctx, err)
		}
	}
}

func gone(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return fmt.Errorf("%w: %w", ErrGone, err)
}
