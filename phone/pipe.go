package phone

import (
	"io"
	"sync"
)

// pipeHolds is how much a program can say before it has to wait for what takes
// it: as much as a pipe of Linux.
const pipeHolds = 64 << 10

// pipe stands between a program and the cable: the program goes on while what
// it said is on its way.
type pipe struct {
	w       io.Writer
	mu      sync.Mutex
	changed *sync.Cond
	held    []byte
	writing bool
	closed  bool
	err     error
}

func newPipe(w io.Writer) *pipe {
	p := &pipe{w: w}
	p.changed = sync.NewCond(&p.mu)
	go p.carry()
	return p
}

func (p *pipe) Write(b []byte) (int, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for len(p.held) >= pipeHolds && p.err == nil {
		p.changed.Wait()
	}
	if p.err != nil {
		return 0, p.err
	}
	p.held = append(p.held, b...)
	p.changed.Broadcast()
	return len(b), nil
}

// carry hands on what is held, until the pipe is closed.
func (p *pipe) carry() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for {
		for len(p.held) == 0 && !p.closed {
			p.changed.Wait()
		}
		if len(p.held) == 0 {
			return
		}
		part := p.held
		p.held, p.writing = nil, true
		p.changed.Broadcast()
		p.mu.Unlock()
		_, err := p.w.Write(part)
		p.mu.Lock()
		p.writing = false
		if err != nil {
			p.err, p.held = err, nil
		}
		p.changed.Broadcast()
	}
}

// flush waits until all that was said has been taken.
func (p *pipe) flush() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for (len(p.held) > 0 || p.writing) && p.err == nil {
		p.changed.Wait()
	}
}

// after writes what comes after all that a pipe holds: errors keep their place
// among what is said.
type after struct {
	pipe *pipe
	w    io.Writer
}

func (a after) Write(b []byte) (int, error) {
	a.pipe.flush()
	return a.w.Write(b)
}

// Close hands on what is held and ends the pipe.
func (p *pipe) Close() error {
	p.flush()
	p.mu.Lock()
	p.closed = true
	p.changed.Broadcast()
	p.mu.Unlock()
	return nil
}
