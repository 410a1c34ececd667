package phone

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"
)

// banner introduces the phone in CNXN.
func (p *Phone) banner() string {
	get := func(k string) string { return p.scenario.Properties[k] }
	return fmt.Sprintf("device::ro.product.name=%s;ro.product.model=%s;ro.product.device=%s;features=shell_v2,cmd,stat_v2",
		get("ro.product.name"), get("ro.product.model"), get("ro.product.device"))
}

// service finds what answers a request to open a stream; nil refuses it.
func (p *Phone) service(name string) func(*stream) {
	kind, rest, _ := strings.Cut(name, ":")
	kind, options, _ := strings.Cut(kind, ",")
	switch kind {
	case "shell":
		if options == "v2" || strings.HasPrefix(options, "v2,") {
			return func(s *stream) { p.shellV2(s, rest) }
		}
		return func(s *stream) { p.shellV1(s, rest) }
	case "exec":
		if rest == "sh" {
			rest = "" // a shell that reads its commands
		}
		if size, session, name, ok := streamedInstall(rest); ok {
			return func(s *stream) { p.installStream(s, size, session, name) }
		}
		return func(s *stream) { p.shellV1(s, rest) }
	case "sync":
		return p.sync
	case "reboot":
		return func(s *stream) {
			s.Close()
			time.AfterFunc(20*time.Millisecond, p.Restart)
		}
	case "root":
		return func(s *stream) { io.WriteString(s, "adbd cannot run as root in production builds\n") }
	}
	return nil
}

// shellV1 mixes output and errors and has no exit code.
func (p *Phone) shellV1(s *stream, command string) {
	ctx, cancel := s.context()
	defer cancel()
	held := newPipe(s)
	defer held.Close()
	out := p.faulty(command, s, held)
	p.shell(ctx, command, s, out, out)
}

// The packets of shell protocol version 2: one byte of kind, four bytes of
// length, data.
const (
	packetStdin      = 0
	packetStdout     = 1
	packetStderr     = 2
	packetExit       = 3
	packetCloseStdin = 4
)

func (p *Phone) shellV2(s *stream, command string) {
	ctx, cancel := s.context()
	defer cancel()
	in, feed := io.Pipe()
	go func() {
		err := readPackets(s, feed)
		feed.CloseWithError(err)
	}()
	defer in.Close()
	held := newPipe(packetWriter{s, packetStdout})
	code := p.shell(ctx, command, in, p.faulty(command, s, held), after{held, packetWriter{s, packetStderr}})
	held.Close()
	packetWriter{s, packetExit}.Write([]byte{code})
}

// readPackets passes standard input on until the computer closes it.
func readPackets(r io.Reader, stdin io.Writer) error {
	var h [5]byte
	for {
		if _, err := io.ReadFull(r, h[:]); err != nil {
			return err
		}
		size := binary.LittleEndian.Uint32(h[1:])
		if size > maxPayload {
			return errors.New("shell packet too large")
		}
		data := make([]byte, size)
		if _, err := io.ReadFull(r, data); err != nil {
			return err
		}
		switch h[0] {
		case packetStdin:
			if _, err := stdin.Write(data); err != nil {
				return err
			}
		case packetCloseStdin:
			return io.EOF
		}
	}
}

type packetWriter struct {
	w    io.Writer
	kind byte
}

func (w packetWriter) Write(p []byte) (int, error) {
	sent := 0
	for len(p) > 0 {
		n := min(len(p), maxPayload-5)
		b := make([]byte, 5, 5+n)
		b[0] = w.kind
		binary.LittleEndian.PutUint32(b[1:], uint32(n))
		if _, err := w.w.Write(append(b, p[:n]...)); err != nil {
			return sent, err
		}
		sent += n
		p = p[n:]
	}
	return sent, nil
}

func (s *stream) context() (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancel(context.Background())
	go func() {
		select {
		case <-s.done:
		case <-s.link.done:
		case <-ctx.Done():
		}
		cancel()
	}()
	return ctx, cancel
}

// faulty wraps the output of a command in what the scenario lets go wrong.
func (p *Phone) faulty(command string, s *stream, w io.Writer) io.Writer {
	return &faultyWriter{phone: p, stream: s, w: w, left: -1, command: command}
}

type faultyWriter struct {
	phone   *Phone
	stream  *stream
	w       io.Writer
	command string
	fault   Fault
	left    int  // bytes until the fault happens; -1 without one
	over    bool // it has happened, and nothing more is said
}

// begin arms the fault of one command, if it has one.
func (f *faultyWriter) begin(command string) {
	if fault, ok := f.phone.fault(command); ok {
		f.fault, f.left = fault, fault.AfterBytes
	}
}

func (f *faultyWriter) Write(p []byte) (int, error) {
	if f.over { // the cable may be back by now, for others
		return 0, io.ErrClosedPipe
	}
	if f.left < 0 || len(p) <= f.left {
		if f.left >= 0 {
			f.left -= len(p)
		}
		return f.w.Write(p)
	}
	n, _ := f.w.Write(p[:f.left])
	f.over = true
	if held, ok := f.w.(*pipe); ok {
		held.flush()
	}
	switch f.fault.Do {
	case "hang":
		select {
		case <-f.stream.done:
		case <-f.stream.link.done:
		}
	case "end":
		packetWriter{f.stream, packetExit}.Write([]byte{128 + 9})
		f.stream.Close()
	default:
		f.phone.Unplug()
	}
	return n, io.ErrClosedPipe
}
