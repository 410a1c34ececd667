package services

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"
)

// The packets of shell protocol version 2.
const (
	packetStdin  = 0
	packetStdout = 1
	packetStderr = 2
	packetExit   = 3
)

// maxPacket is the largest packet that a phone may send.
const maxPacket = 16 << 20

// Session is one shell on a phone that takes many commands over a single
// connection, so that each costs one round trip and not the three of a fresh
// connection. A Session is for one goroutine at a time; after an error it is
// of no more use.
type Session struct {
	host   Host
	serial string
	conn   Stream
	mark   string // ends each command's output; random, so that none can fake it
	v2     bool
	errs   bytes.Buffer
	until  time.Time // when the present command must have finished
	rest   []byte    // what the phone said after the present command's end
	ahead  int       // commands whose answers have not been read
}

// patience is how long a phone may say nothing before its host is asked whether
// it is still there: an adb server does not always close the connection when
// the cable falls out.
const patience = time.Second

// Result is what one command answered.
type Result struct {
	Out  []byte
	Errs []byte
	Code int
}

// Words are the phone's words on one line: its output, else its errors.
func (r Result) Words() string {
	out := bytes.TrimSpace(r.Out)
	if len(out) == 0 {
		out = bytes.TrimSpace(r.Errs)
	}
	return strings.Join(strings.Fields(string(out)), " ")
}

// Shell starts a shell on the phone. Cancelling ctx ends it at once.
func Shell(ctx context.Context, host Host, serial string) (*Session, error) {
	features, err := host.Features(ctx, serial)
	if err != nil {
		return nil, err
	}
	var token [12]byte
	if _, err := rand.Read(token[:]); err != nil {
		return nil, err
	}
	s := &Session{host: host, serial: serial, mark: "--" + hex.EncodeToString(token[:]), v2: slices.Contains(features, "shell_v2")}
	service := "exec:sh" // without shell v2 only exec: is free of a terminal
	if s.v2 {
		service = "shell,v2,raw:"
	}
	s.conn, err = host.Dial(ctx, serial, service)
	if err != nil {
		return nil, err
	}
	return s, nil
}

// Close ends the shell.
func (s *Session) Close() error { return s.conn.Close() }

// Run runs one command line and collects its answer, at most limit bytes of
// output. It fails when the phone does not finish within the time limit, goes
// away, or says more than that.
//
// The command line is Roster's own: anything from outside in it must have
// gone through posix.Quote or be a valid android.PackageName.
func (s *Session) Run(command string, timeout time.Duration, limit int) (Result, error) {
	var out bytes.Buffer
	code, err := s.Stream(command, timeout, &limitedWriter{w: &out, left: limit})
	return Result{out.Bytes(), bytes.Clone(s.errs.Bytes()), code}, err
}

// Stream runs one command line and hands its output to w as it comes. What
// had arrived before an error has been written.
func (s *Session) Stream(command string, timeout time.Duration, w io.Writer) (code int, err error) {
	if s.ahead > 0 {
		return 0, errors.New("a command was sent ahead, and its answer has not been read")
	}
	if err := s.Ahead(command, timeout); err != nil {
		return 0, err
	}
	return s.answer(timeout, w)
}

// Ahead sends a command without waiting for its answer, which Answer reads: the
// phone runs one after another what was sent ahead, and how long a question is
// under way costs nothing. Standard error of such commands can't be told apart:
// they join it with their output.
func (s *Session) Ahead(command string, timeout time.Duration) error {
	if s.ahead == 0 {
		s.errs.Reset()
	}
	s.conn.SetDeadline(time.Now().Add(timeout))
	// The command must not read our next lines as its input, and the mark
	// must follow whatever it prints, even without a line ending.
	line := "{ " + command + "\n} </dev/null; roster_code=$?; echo; echo " + s.mark + "$roster_code\n"
	if err := s.send([]byte(line)); err != nil {
		return s.why(err)
	}
	s.ahead++
	return nil
}

// Answer reads the answer to the oldest command that was sent ahead.
func (s *Session) Answer(timeout time.Duration, limit int) (Result, error) {
	var out bytes.Buffer
	code, err := s.StreamAnswer(timeout, &limitedWriter{w: &out, left: limit})
	return Result{out.Bytes(), bytes.Clone(s.errs.Bytes()), code}, err
}

// StreamAnswer reads the answer to the oldest command that was sent ahead, as
// Stream does.
func (s *Session) StreamAnswer(timeout time.Duration, w io.Writer) (code int, err error) {
	if s.ahead == 0 {
		return 0, errors.New("no command was sent ahead")
	}
	return s.answer(timeout, w)
}

func (s *Session) answer(timeout time.Duration, w io.Writer) (code int, err error) {
	s.until = time.Now().Add(timeout)
	s.conn.SetDeadline(s.until)
	tail := newTail(w, s.mark)
	for {
		data := s.rest
		if s.rest = nil; len(data) == 0 {
			if data, err = s.next(); err != nil {
				tail.flush()
				return 0, s.why(err)
			}
		}
		done, err := tail.write(data)
		if err != nil {
			return 0, err
		}
		if done {
			s.ahead--
			s.rest = tail.rest
			code, err := strconv.Atoi(tail.code)
			if err != nil {
				return 0, fmt.Errorf("the phone's shell gave no exit code: %q", tail.code)
			}
			return code, nil
		}
	}
}

func (s *Session) why(err error) error {
	if timedOut(err) {
		return fmt.Errorf("the phone did not finish in time: %w", err)
	}
	if errors.Is(err, ErrGone) {
		return err
	}
	return fmt.Errorf("%w: %w", ErrGone, err)
}

func timedOut(err error) bool {
	var timeout interface{ Timeout() bool }
	return errors.As(err, &timeout) && timeout.Timeout()
}

// read reads what the phone says, and looks from time to time whether it is
// still there while it says nothing.
func (s *Session) read(p []byte) (int, error) {
	for {
		limit := time.Now().Add(patience)
		if limit.After(s.until) {
			limit = s.until
		}
		s.conn.SetReadDeadline(limit)
		n, err := s.conn.Read(p)
		if n > 0 || !timedOut(err) || !time.Now().Before(s.until) {
			return n, err
		}
		if err := s.present(); err != nil {
			return 0, err
		}
	}
}

// present fails where the host no longer has the phone ready.
func (s *Session) present() error {
	ctx, cancel := context.WithTimeout(context.Background(), opens)
	defer cancel()
	list, err := s.host.Devices(ctx)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrGone, err)
	}
	for _, d := range list {
		if d.Serial == s.serial && d.State == "device" {
			return nil
		}
	}
	return ErrGone
}

type readerFunc func([]byte) (int, error)

func (f readerFunc) Read(p []byte) (int, error) { return f(p) }

func (s *Session) send(data []byte) error {
	if !s.v2 {
		_, err := s.conn.Write(data)
		return err
	}
	b := make([]byte, 5, 5+len(data))
	b[0] = packetStdin
	binary.LittleEndian.PutUint32(b[1:], uint32(len(data)))
	_, err := s.conn.Write(append(b, data...))
	return err
}

// next returns the following piece of standard output.
func (s *Session) next() ([]byte, error) {
	if !s.v2 {
		buf := make([]byte, 32*1024)
		n, err := s.read(buf)
		return buf[:n], err
	}
	for {
		var h [5]byte
		if _, err := io.ReadFull(readerFunc(s.read), h[:]); err != nil {
			return nil, err
		}
		size := binary.LittleEndian.Uint32(h[1:])
		if size > maxPacket {
			return nil, fmt.Errorf("the phone sent a packet of %d bytes", size)
		}
		data := make([]byte, size)
		if _, err := io.ReadFull(readerFunc(s.read), data); err != nil {
			return nil, err
		}
		switch h[0] {
		case packetStdout:
			return data, nil
		case packetStderr:
			if s.errs.Len() < 64*1024 {
				s.errs.Write(data)
			}
		case packetExit:
			return nil, io.EOF
		}
	}
}

// tail passes output on and holds back the end, where the mark may begin.
type tail struct {
	w    io.Writer
	mark []byte
	held []byte
	code string
	rest []byte // what follows the mark
}

func newTail(w io.Writer, mark string) *tail {
	return &tail{w: w, mark: []byte("\n" + mark)}
}

func (t *tail) write(data []byte) (done bool, err error) {
	t.held = append(t.held, data...)
	if at := bytes.Index(t.held, t.mark); at >= 0 {
		rest := t.held[at+len(t.mark):]
		end := bytes.IndexByte(rest, '\n')
		if end < 0 {
			return false, nil
		}
		t.code, t.rest = strings.TrimSpace(string(rest[:end])), bytes.Clone(rest[end+1:])
		body := bytes.TrimSuffix(t.held[:at], []byte("\r"))
		_, err := t.w.Write(body)
		return true, err
	}
	// The mark may have begun; a phone with a terminal puts \r before \n.
	keep := len(t.mark) + 8
	if len(t.held) <= keep {
		return false, nil
	}
	n := len(t.held) - keep
	if _, err := t.w.Write(t.held[:n]); err != nil {
		return false, err
	}
	t.held = append(t.held[:0], t.held[n:]...)
	return false, nil
}

func (t *tail) flush() { t.w.Write(t.held) }

// ErrTooMuch says that a command said more than it was allowed to.
var ErrTooMuch = errors.New("the phone said more than expected")

type limitedWriter struct {
	w    io.Writer
	left int
}

func (l *limitedWriter) Write(p []byte) (int, error) {
	if len(p) > l.left {
		n, _ := l.w.Write(p[:l.left])
		l.left = 0
		return n, ErrTooMuch
	}
	l.left -= len(p)
	return l.w.Write(p)
}
