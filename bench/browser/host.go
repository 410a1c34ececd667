//go:build js && wasm

package browser

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
	"syscall/js"
	"time"

	"roster/bench/services"
)

// Host is the browser's USB as bench/services has it. Phones are an object of
// web/src/usb/phones.ts.
type Host struct{ Phones js.Value }

// Devices lists the phones that the person has picked and that are plugged in.
func (h Host) Devices(context.Context) ([]services.Device, error) {
	list, err := call(h.Phones, "list")
	if err != nil {
		return nil, err
	}
	devices := make([]services.Device, list.Length())
	for i := range devices {
		d := list.Index(i)
		devices[i] = services.Device{
			Serial: text(d.Get("serial")), State: text(d.Get("state")),
			Product: text(d.Get("product")), Model: text(d.Get("model")), Device: text(d.Get("device")),
		}
	}
	return devices, nil
}

// Track calls each with the list at each change.
func (h Host) Track(ctx context.Context, each func([]services.Device) error) error {
	changed := make(chan struct{}, 1)
	tell := js.FuncOf(func(js.Value, []js.Value) any {
		select {
		case changed <- struct{}{}:
		default: // it is about to look anyway
		}
		return nil
	})
	defer tell.Release()
	h.Phones.Set("changed", tell)
	defer h.Phones.Set("changed", js.Null())
	for {
		list, err := h.Devices(ctx)
		if err == nil {
			err = each(list)
		}
		if err != nil {
			return err
		}
		select {
		case <-changed:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// Features lists what the phone's adb daemon can do.
func (h Host) Features(_ context.Context, serial string) ([]string, error) {
	list, err := call(h.Phones, "features", serial)
	if err != nil {
		return nil, err
	}
	if list.IsNull() {
		return nil, services.ErrGone
	}
	features := make([]string, list.Length())
	for i := range features {
		features[i] = list.Index(i).String()
	}
	return features, nil
}

// opens bounds how long a phone may take to open a service.
const opens = 10 * time.Second

// Dial opens a service of a phone.
func (h Host) Dial(ctx context.Context, serial, service string) (services.Stream, error) {
	promise, err := call(h.Phones, "open", serial, service)
	if err != nil {
		return nil, err
	}
	opening, cancel := context.WithTimeout(ctx, opens)
	defer cancel()
	socket, err := wait(opening, promise)
	switch {
	case err == nil && socket.IsNull(), errors.Is(err, context.DeadlineExceeded):
		return nil, services.ErrGone
	case err == nil && socket.Type() == js.TypeString:
		return nil, &services.RefusedError{By: "the phone", Request: service, Words: socket.String()}
	case err != nil:
		return nil, fmt.Errorf("%w: %w", services.ErrGone, err)
	}
	s := &stream{socket: socket}
	s.stop = context.AfterFunc(ctx, func() { s.Close() })
	return s, nil
}

// stream is a service that is open. One goroutine reads and one writes.
type stream struct {
	socket js.Value
	stop   func() bool
	coming <-chan outcome // a read that has begun, and that nobody has taken
	held   []byte         // what was read and not taken

	mu          sync.Mutex
	read, write time.Time // deadlines
}

func (s *stream) Read(p []byte) (int, error) {
	if len(s.held) == 0 {
		if s.coming == nil {
			promise, err := call(s.socket, "read")
			if err != nil {
				return 0, err
			}
			s.coming = begin(promise)
		}
		o, err := until(s.coming, s.deadline(&s.read))
		if err != nil {
			return 0, err // what comes later is not lost
		}
		s.coming = nil
		switch {
		case o.err != nil:
			return 0, o.err
		case o.value.IsNull():
			return 0, io.EOF
		}
		s.held = bytesOf(o.value)
	}
	n := copy(p, s.held)
	s.held = s.held[n:]
	return n, nil
}

func (s *stream) Write(p []byte) (int, error) {
	promise, err := call(s.socket, "write", array(p))
	if err != nil {
		return 0, err
	}
	o, err := until(begin(promise), s.deadline(&s.write))
	if err = errors.Join(err, o.err); err != nil {
		return 0, err
	}
	return len(p), nil
}

// until waits for what is coming until a time, for ever where that is zero.
func until(coming <-chan outcome, end time.Time) (outcome, error) {
	if end.IsZero() {
		return <-coming, nil
	}
	late := time.NewTimer(time.Until(end))
	defer late.Stop()
	select {
	case o := <-coming:
		return o, nil
	case <-late.C:
		return outcome{}, os.ErrDeadlineExceeded
	}
}

func (s *stream) deadline(which *time.Time) time.Time {
	s.mu.Lock()
	defer s.mu.Unlock()
	return *which
}

func (s *stream) Close() error {
	s.stop()
	_, err := call(s.socket, "close")
	return err
}

func (s *stream) SetDeadline(t time.Time) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.read, s.write = t, t
	return nil
}

func (s *stream) SetReadDeadline(t time.Time) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.read = t
	return nil
}
