package services

import (
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"slices"
	"time"
)

// Follow runs one command that goes on by itself, such as a log, and hands
// its output to w as it comes, until the command ends, w fails or ctx ends,
// which is no error. The command line is Roster's own: see Session.Run.
func Follow(ctx context.Context, host Host, serial, command string, w io.Writer) error {
	features, err := host.Features(ctx, serial)
	if err != nil {
		return err
	}
	v2 := slices.Contains(features, "shell_v2")
	service := "shell:"
	if v2 {
		service = "shell,v2,raw:"
	}
	conn, err := host.Dial(ctx, serial, service+command)
	if err != nil {
		return err
	}
	defer conn.Close()
	conn.SetDeadline(time.Time{}) // it may say nothing for long
	ended := func(err error) error {
		if ctx.Err() != nil || err == nil {
			return nil
		}
		return fmt.Errorf("%w: %w", ErrGone, err)
	}
	if !v2 {
		_, err := io.Copy(w, conn)
		return ended(err)
	}
	for {
		var h [5]byte
		if _, err := io.ReadFull(conn, h[:]); err != nil {
			return ended(err)
		}
		size := binary.LittleEndian.Uint32(h[1:])
		if size > maxPacket {
			return fmt.Errorf("the phone sent a packet of %d bytes", size)
		}
		data := make([]byte, size)
		if _, err := io.ReadFull(conn, data); err != nil {
			return ended(err)
		}
		switch h[0] {
		case packetStdout:
			if _, err := w.Write(data); err != nil {
				return err
			}
		case packetExit:
			return nil
		}
	}
}
