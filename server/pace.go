package server

import (
	"errors"
	"io"
	"net"
	"net/http"
	"time"
)

// Pace is how slow a client may be. A request has no deadline as a whole: a
// large one over a slow line takes its time, and one that stands still takes
// none of ours.
type Pace struct {
	// Stall is how long nothing at all may arrive of a body, and how long a
	// client may take for the next writtenAtOnce bytes of an answer.
	Stall time.Duration
	// Grace is how long a body may take whatever its size, Rate how many bytes
	// a second have to arrive on average from then on.
	Grace time.Duration
	Rate  int
}

// DefaultPace suits a bench behind the slowest of mobile lines.
var DefaultPace = Pace{Stall: 30 * time.Second, Grace: time.Minute, Rate: 4 << 10}

// writtenAtOnce is how much of an answer is handed to the system at once, in
// bytes.
const writtenAtOnce = 16 << 10

// HTTP is an HTTP server for s, to be started on a listener of Listen.
func (s *Server) HTTP() *http.Server {
	return &http.Server{Handler: s, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}
}

// Listen makes connections of ln give up on clients that do not take their
// answers.
func (s *Server) Listen(ln net.Listener) net.Listener { return pacedListener{ln, s.pace} }

type pacedListener struct {
	net.Listener
	pace Pace
}

func (l pacedListener) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if err != nil {
		return nil, err
	}
	return &pacedConn{c, l.pace}, nil
}

type pacedConn struct {
	net.Conn
	pace Pace
}

// Write writes for as long as the other side takes something.
func (c *pacedConn) Write(p []byte) (n int, err error) {
	for len(p) > 0 {
		if err := c.SetWriteDeadline(time.Now().Add(c.pace.Stall)); err != nil {
			return n, err
		}
		m, err := c.Conn.Write(p[:min(len(p), writtenAtOnce)])
		n += m
		if err != nil {
			return n, err
		}
		p = p[m:]
	}
	return n, nil
}

// paceBody is a request like r whose body can't be read any more where it
// stands still. r itself keeps its body: net/http looks at that to see whether
// the rest of it is worth waiting for before the answer is sent.
func (s *Server) paceBody(w http.ResponseWriter, r *http.Request) *http.Request {
	if r.Body == nil || r.Body == http.NoBody {
		return r
	}
	b := &pacedBody{ReadCloser: r.Body, control: http.NewResponseController(w), pace: s.pace, begun: time.Now()}
	// What nobody reads is thrown away after the answer: that may not take for
	// ever, either.
	_ = b.control.SetReadDeadline(b.begun.Add(s.pace.Stall))
	paced := *r
	paced.Body = b
	return &paced
}

type pacedBody struct {
	io.ReadCloser
	control *http.ResponseController
	pace    Pace
	begun   time.Time
	got     int64
}

func (b *pacedBody) Read(p []byte) (int, error) {
	end := b.begun.Add(b.pace.Grace + time.Duration(b.got)*time.Second/time.Duration(b.pace.Rate))
	if stalled := time.Now().Add(b.pace.Stall); stalled.Before(end) {
		end = stalled
	}
	_ = b.control.SetReadDeadline(end) // what can't be set is a test's recorder
	n, err := b.ReadCloser.Read(p)
	b.got += int64(n)
	if errors.Is(err, io.EOF) {
		// From here on the connection is only watched for being closed.
		_ = b.control.SetReadDeadline(time.Time{})
	}
	return n, err
}
