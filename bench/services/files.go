package services

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"
)

// Sync is a connection for copying files from one phone, one after another.
// After an error it is of no more use.
type Sync struct {
	ctx  context.Context
	conn Stream
}

// Files begins copying files. Cancelling ctx ends it at once.
func Files(ctx context.Context, host Host, serial string) (*Sync, error) {
	conn, err := host.Dial(ctx, serial, "sync:")
	if err != nil {
		return nil, err
	}
	return &Sync{ctx, conn}, nil
}

// Close ends it.
func (s *Sync) Close() error { return s.conn.Close() }

// ErrRefused is wrapped by the error for a file that the phone would not hand
// out. The connection is still of use.
var ErrRefused = errors.New("the phone would not hand it out")

// Pull copies a file of the phone to w, at most limit bytes, and returns how
// many there were. The error wraps ErrGone when the phone vanishes, ErrTooMuch
// over the limit and ErrRefused with the phone's words.
func (s *Sync) Pull(path string, w io.Writer, limit int64) (int64, error) {
	if len(path) > 1024 || strings.ContainsAny(path, "\x00\n") {
		return 0, fmt.Errorf("not a path on a phone")
	}
	ctx, conn := s.ctx, s.conn
	if _, err := conn.Write(append(binary.LittleEndian.AppendUint32([]byte("RECV"), uint32(len(path))), path...)); err != nil {
		return 0, gone(ctx, err)
	}
	var n int64
	for {
		// A phone that says nothing for this long has gone.
		conn.SetDeadline(time.Now().Add(30 * time.Second))
		var h [8]byte
		if _, err := io.ReadFull(conn, h[:]); err != nil {
			return n, gone(ctx, err)
		}
		size := int64(binary.LittleEndian.Uint32(h[4:]))
		switch id := string(h[:4]); {
		case id == "DONE":
			return n, nil
		case id == "FAIL" && size <= 4096:
			words := make([]byte, size)
			if _, err := io.ReadFull(conn, words); err != nil {
				return n, gone(ctx, err)
			}
			return n, fmt.Errorf("%w: %s", ErrRefused, words)
		case id != "DATA" || size > 64<<10:
			return n, fmt.Errorf("the phone answered %q where data should be", h[:4])
		case n+size > limit:
			return n, fmt.Errorf("%s: %w", path, ErrTooMuch)
		}
		m, err := io.CopyN(w, conn, size)
		n += m
		if err != nil {
			return n, gone(ctx, err)
		}
	}
}

// Size asks how large a file of the phone is, in bytes; it fails with
// ErrRefused where there is none.
func (s *Sync) Size(path string) (int64, error) {
	if len(path) > 1024 || strings.ContainsAny(path, "\x00\n") {
		return 0, fmt.Errorf("not a path on a phone")
	}
	s.conn.SetDeadline(time.Now().Add(30 * time.Second))
	if _, err := s.conn.Write(append(binary.LittleEndian.AppendUint32([]byte("STAT"), uint32(len(path))), path...)); err != nil {
		return 0, gone(s.ctx, err)
	}
	var h [16]byte // the id, then mode, size and time
	if _, err := io.ReadFull(s.conn, h[:]); err != nil {
		return 0, gone(s.ctx, err)
	}
	switch {
	case string(h[:4]) != "STAT":
		return 0, fmt.Errorf("the phone answered %q where a size should be", h[:4])
	case binary.LittleEndian.Uint32(h[4:]) == 0:
		return 0, fmt.Errorf("%w: there is no such file", ErrRefused)
	}
	return int64(binary.LittleEndian.Uint32(h[8:])), nil
}

// Push copies size bytes of r to a file of the phone, in a folder that adb may write
// to. The error wraps ErrGone when the phone vanishes, and says the phone's words
// where it would not take it.
func (s *Sync) Push(path string, r io.Reader, size int64) error {
	spec := path + ",33188" // a file that all may read
	if len(spec) > 1024 || strings.ContainsAny(path, "\x00\n,") {
		return fmt.Errorf("not a path on a phone")
	}
	s.conn.SetDeadline(time.Now().Add(30 * time.Second))
	request := func(id string, n int, data []byte) error {
		_, err := s.conn.Write(append(binary.LittleEndian.AppendUint32([]byte(id), uint32(n)), data...))
		if err != nil {
			err = gone(s.ctx, err)
		}
		return err
	}
	if err := request("SEND", len(spec), []byte(spec)); err != nil {
		return err
	}
	chunk := make([]byte, 64<<10)
	for left := size; left > 0; {
		n, err := io.ReadFull(r, chunk[:min(left, int64(len(chunk)))])
		if err != nil {
			return fmt.Errorf("%d bytes are missing of %s: %w", left, path, err)
		}
		s.conn.SetDeadline(time.Now().Add(30 * time.Second))
		if err := request("DATA", n, chunk[:n]); err != nil {
			return err
		}
		left -= int64(n)
	}
	if err := request("DONE", 0, nil); err != nil {
		return err
	}
	var h [8]byte
	if _, err := io.ReadFull(s.conn, h[:]); err != nil {
		return gone(s.ctx, err)
	}
	words := make([]byte, min(binary.LittleEndian.Uint32(h[4:]), 4096))
	if _, err := io.ReadFull(s.conn, words); err != nil {
		return gone(s.ctx, err)
	}
	if string(h[:4]) != "OKAY" {
		return fmt.Errorf("%w: %s", ErrRefused, words)
	}
	return nil
}

// Feed runs a service that reads size bytes, such as an install, and returns
// what the phone says to them.
func Feed(ctx context.Context, host Host, serial, service string, data io.Reader, size int64) (string, error) {
	conn, err := host.Dial(ctx, serial, "exec:"+service)
	if err != nil {
		return "", err
	}
	defer conn.Close()
	conn.SetDeadline(time.Now().Add(time.Minute + time.Duration(size>>20)*time.Second))
	if _, err := io.CopyN(conn, data, size); err != nil {
		return "", gone(ctx, err)
	}
	words, err := io.ReadAll(io.LimitReader(conn, 64<<10))
	if err != nil {
		return "", gone(ctx, err)
	}
	return strings.TrimSpace(string(words)), nil
}

func gone(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return fmt.Errorf("%w: %w", ErrGone, err)
}
