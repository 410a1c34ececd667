package phone

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"maps"
	"net"
	"slices"
	"sync"
	"time"
)

// The commands of adb's wire protocol.
const (
	cmdConnect = 0x4e584e43 // CNXN
	cmdAuth    = 0x48545541 // AUTH
	cmdOpen    = 0x4e45504f // OPEN
	cmdReady   = 0x59414b4f // OKAY
	cmdWrite   = 0x45545257 // WRTE
	cmdClose   = 0x45534c43 // CLSE
)

const (
	wireVersion   = 0x01000001
	noSumsVersion = 0x01000001 // from here on data sums are not checked
	maxPayload    = 1 << 20
	oldPayload    = 256 << 10 // before Android 9
	headerSize    = 24
)

type message struct {
	command, arg0, arg1 uint32
	data                []byte
}

// readMessage reads one message; data over our announced payload, or a header
// whose magic is wrong, ends the connection.
func readMessage(r io.Reader) (message, error) {
	var h [headerSize]byte
	if _, err := io.ReadFull(r, h[:]); err != nil {
		return message{}, err
	}
	field := func(i int) uint32 { return binary.LittleEndian.Uint32(h[4*i:]) }
	m := message{command: field(0), arg0: field(1), arg1: field(2)}
	if field(5) != m.command^0xffffffff {
		return m, errors.New("wrong magic in an adb header")
	}
	if field(3) > maxPayload {
		return m, fmt.Errorf("adb message of %d bytes, at most %d", field(3), maxPayload)
	}
	m.data = make([]byte, field(3))
	_, err := io.ReadFull(r, m.data)
	return m, err
}

func encode(m message, sums bool) []byte {
	b := make([]byte, headerSize+len(m.data))
	put := func(i int, v uint32) { binary.LittleEndian.PutUint32(b[4*i:], v) }
	put(0, m.command)
	put(1, m.arg0)
	put(2, m.arg1)
	put(3, uint32(len(m.data)))
	if sums {
		var sum uint32
		for _, c := range m.data {
			sum += uint32(c)
		}
		put(4, sum)
	}
	put(5, m.command^0xffffffff)
	copy(b[headerSize:], m.data)
	return b
}

// link is one computer's connection to the phone.
type link struct {
	phone   *Phone
	conn    net.Conn
	in      *bufio.Reader
	payload int
	sums    bool

	write   sync.Mutex
	late    chan lateMessage // what is on its way over a slow cable
	mu      sync.Mutex
	streams map[uint32]*stream
	last    uint32
	done    chan struct{}
	once    sync.Once
}

func (l *link) close() {
	l.once.Do(func() {
		// First the cable: what ends because of it must not be heard any more.
		l.conn.Close()
		close(l.done)
	})
}

// send says something to the computer, at once or, over a slow cable, to
// arrive later: what is said first arrives first.
func (l *link) send(m message) error {
	raw := encode(m, l.sums)
	if latency := l.phone.scenario.Latency; latency > 0 {
		select {
		case l.late <- lateMessage{time.Now().Add(latency), raw}:
			return nil
		case <-l.done:
			return net.ErrClosed
		}
	}
	l.write.Lock()
	defer l.write.Unlock()
	_, err := l.conn.Write(raw)
	if err != nil {
		l.close()
	}
	return err
}

// lateMessage is on its way until due.
type lateMessage struct {
	due time.Time
	raw []byte
}

// deliver hands on what is on its way, when it is due.
func (l *link) deliver() {
	for {
		select {
		case m := <-l.late:
			time.Sleep(time.Until(m.due))
			if _, err := l.conn.Write(m.raw); err != nil {
				l.close()
				return
			}
		case <-l.done:
			return
		}
	}
}

// serve runs the connection until it ends.
func (l *link) serve() error {
	defer l.close()
	if l.phone.scenario.Latency > 0 {
		go l.deliver()
	}
	first, err := readMessage(l.in)
	if err != nil {
		return err
	}
	if first.command != cmdConnect {
		return errors.New("the computer did not begin with CNXN")
	}
	if err := l.begin(first); err != nil {
		return err
	}
	for {
		m, err := readMessage(l.in)
		if err == nil && m.command == cmdConnect { // it has lost its way, and begins anew
			err = l.begin(m)
		} else if err == nil {
			l.handle(m)
		}
		if err != nil {
			return err
		}
	}
}

// begin is a computer's first message, and all that was open before is over.
func (l *link) begin(first message) error {
	l.mu.Lock()
	open := slices.Collect(maps.Values(l.streams))
	l.mu.Unlock()
	for _, s := range open {
		s.end()
	}
	most := uint32(maxPayload)
	if l.phone.scenario.sdk < 28 {
		most = oldPayload
	}
	l.sums = first.arg0 < noSumsVersion
	l.payload = int(min(first.arg1, most))
	if err := l.phone.authorise(l); err != nil {
		return err
	}
	return l.send(message{cmdConnect, wireVersion, most, []byte(l.phone.banner())})
}

func (l *link) handle(m message) {
	switch m.command {
	case cmdOpen:
		l.open(m.arg0, string(trimNUL(m.data)))
	case cmdReady, cmdWrite, cmdClose:
		l.mu.Lock()
		s := l.streams[m.arg1]
		l.mu.Unlock()
		switch {
		case s == nil:
			if m.command == cmdWrite {
				l.send(message{cmdClose, 0, m.arg0, nil})
			}
		case m.command == cmdReady:
			select {
			case s.ready <- struct{}{}:
			default: // an answer that nobody waits for
			}
		case m.command == cmdWrite:
			select {
			case s.input <- m.data:
			default: // the computer wrote without waiting for OKAY
				s.end()
			}
		case m.command == cmdClose:
			s.end()
		}
	}
}

func trimNUL(b []byte) []byte {
	for len(b) > 0 && b[len(b)-1] == 0 {
		b = b[:len(b)-1]
	}
	return b
}

// open starts a service on a new stream, or refuses it.
func (l *link) open(remote uint32, service string) {
	run := l.phone.service(service)
	if run == nil {
		l.send(message{cmdClose, 0, remote, nil})
		return
	}
	l.mu.Lock()
	l.last++
	s := &stream{link: l, local: l.last, remote: remote, input: make(chan []byte, 1), ready: make(chan struct{}, 1), done: make(chan struct{})}
	l.streams[s.local] = s
	l.mu.Unlock()
	if l.send(message{cmdReady, s.local, remote, nil}) != nil {
		return
	}
	go func() {
		run(s)
		s.Close()
	}()
}

// stream is one service's conversation; several run on one link.
type stream struct {
	link          *link
	local, remote uint32
	input         chan []byte
	rest          []byte // of the last input
	ready         chan struct{}
	done          chan struct{}
	once          sync.Once
	write         sync.Mutex
}

// end closes the stream from the other side.
func (s *stream) end() {
	s.once.Do(func() {
		close(s.done)
		s.link.mu.Lock()
		delete(s.link.streams, s.local)
		s.link.mu.Unlock()
	})
}

// Close tells the computer that the stream is over.
func (s *stream) Close() error {
	select {
	case <-s.done:
		return nil
	default:
	}
	s.end()
	return s.link.send(message{cmdClose, s.local, s.remote, nil})
}

// Write sends p in pieces, each acknowledged before the next.
func (s *stream) Write(p []byte) (int, error) {
	s.write.Lock()
	defer s.write.Unlock()
	sent := 0
	for len(p) > 0 {
		n := min(len(p), s.link.payload)
		if err := s.link.send(message{cmdWrite, s.local, s.remote, p[:n]}); err != nil {
			return sent, err
		}
		select {
		case <-s.ready:
		case <-s.done:
			return sent, io.ErrClosedPipe
		case <-s.link.done:
			return sent, io.ErrClosedPipe
		}
		sent += n
		p = p[n:]
	}
	return sent, nil
}

// Read hands out what the computer wrote, acknowledging each piece when it is
// taken.
func (s *stream) Read(p []byte) (int, error) {
	if len(s.rest) == 0 {
		select {
		case s.rest = <-s.input:
			s.link.send(message{cmdReady, s.local, s.remote, nil})
		case <-s.done:
			return 0, io.EOF
		case <-s.link.done:
			return 0, io.EOF
		}
	}
	n := copy(p, s.rest)
	s.rest = s.rest[n:]
	return n, nil
}
