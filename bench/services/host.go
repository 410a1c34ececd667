package services

import (
	"context"
	"errors"
	"fmt"
	"io"
	"time"
)

// Host is what phones hang on. Its methods may be called from any goroutine.
type Host interface {
	// Devices lists what the host sees, in its order.
	Devices(ctx context.Context) ([]Device, error)
	// Track calls each with that list now and after every change, until ctx
	// ends, the host goes or each fails.
	Track(ctx context.Context, each func([]Device) error) error
	// Features lists what the phone's adb daemon can do.
	Features(ctx context.Context, serial string) ([]string, error)
	// Dial opens a service of a phone by its name, such as "sync:". Cancelling
	// ctx ends every later read and write of the stream.
	Dial(ctx context.Context, serial, service string) (Stream, error)
}

// Stream is a connection to a service. What it reads has been put together
// already: reading little by little costs nothing.
type Stream interface {
	io.ReadWriteCloser
	// SetDeadline sets until when reads and writes may take, as net.Conn has it;
	// SetReadDeadline that of reads alone.
	SetDeadline(time.Time) error
	SetReadDeadline(time.Time) error
}

// Device is a phone as a host lists it.
type Device struct {
	// Serial is how the host calls it: a serial number or an address.
	Serial string
	// State is device, unauthorized, offline, … as adb's own states are called.
	State   string
	Product string
	Model   string
	Device  string
}

// RefusedError is a request that was turned down, in the words of who did.
type RefusedError struct {
	// By is "the adb server" or "the phone".
	By      string
	Request string
	Words   string
}

func (e *RefusedError) Error() string {
	return fmt.Sprintf("%s refused %q: %s", e.By, e.Request, e.Words)
}

// ErrGone says that the phone, or its host, went away in the middle.
var ErrGone = errors.New("the phone is no longer there")

// ErrNoHost says that nothing answers where an adb server should listen.
var ErrNoHost = errors.New("no adb server answers")

// ErrNotADB says that something answers where an adb server should listen, and
// is none.
var ErrNotADB = errors.New("what answers is not an adb server")

// opens bounds how long a service may take until it is there.
const opens = 10 * time.Second

// Reboot restarts a phone; it is gone for a while then.
func Reboot(ctx context.Context, host Host, serial string) error {
	stream, err := host.Dial(ctx, serial, "reboot:")
	if err != nil {
		return err
	}
	return stream.Close()
}
