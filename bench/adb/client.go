package adb

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"strconv"
	"strings"
	"time"

	"roster/bench/services"
)

// DefaultAddress is where adb servers listen.
const DefaultAddress = "127.0.0.1:5037"

// requestTimeout bounds what the server itself answers at once.
const requestTimeout = 10 * time.Second

// Client reaches one adb server. It holds no connection of its own and may be
// used from many goroutines.
type Client struct {
	// Address of the server: host:port, or localfilesystem:PATH for a socket in
	// the file system, as adb's own ADB_SERVER_SOCKET names it. DefaultAddress
	// when empty.
	Address string
	// Program starts a server where none answers: its path or name. Where it is
	// empty that is left to others.
	Program string
}

// inFileSystem begins the address of a server that listens on a file.
const inFileSystem = "localfilesystem:"

func (c *Client) address() string { return cmp.Or(c.Address, DefaultAddress) }

// Where is the server's address.
func (c *Client) Where() string { return c.address() }

// place is the address as a dialler takes it.
func (c *Client) place() (network, address string) {
	if path, ok := strings.CutPrefix(c.address(), inFileSystem); ok {
		return "unix", path
	}
	return "tcp", c.address()
}

// conn is one connection to the server; most requests use one up.
type conn struct {
	net.Conn
	r *bufio.Reader
}

// Read hands out first what has arrived along with something else.
func (c *conn) Read(p []byte) (int, error) {
	if c.r.Buffered() == 0 {
		quickAck(c.Conn) // it lasts for a few packets only
	}
	return c.r.Read(p)
}

// dial connects; cancelling ctx ends every later read and write.
func (c *Client) dial(ctx context.Context) (*conn, error) {
	network, address := c.place()
	d := net.Dialer{Timeout: 3 * time.Second}
	nc, err := d.DialContext(ctx, network, address)
	if err != nil {
		return nil, fmt.Errorf("%w at %s: %w", services.ErrNoHost, address, err)
	}
	stop := context.AfterFunc(ctx, func() { nc.Close() })
	return &conn{stopConn{nc, stop}, bufio.NewReaderSize(nc, 64*1024)}, nil
}

// stopConn forgets its context when closed.
type stopConn struct {
	net.Conn
	stop func() bool
}

func (c stopConn) Close() error {
	c.stop()
	return c.Conn.Close()
}

// request sends one request and reads OKAY or FAIL.
func (c *conn) request(text string) error {
	if len(text) > 0xffff {
		return fmt.Errorf("adb request of %d bytes, at most 65535", len(text))
	}
	if _, err := fmt.Fprintf(c, "%04x%s", len(text), text); err != nil {
		return fmt.Errorf("%w: %w", services.ErrGone, err)
	}
	var status [4]byte
	if _, err := io.ReadFull(c.r, status[:]); err != nil {
		return fmt.Errorf("%w: %w", services.ErrGone, err)
	}
	switch string(status[:]) {
	case "OKAY":
		return nil
	case "FAIL":
		words, err := c.lengthPrefixed()
		if err != nil {
			return err
		}
		return &services.RefusedError{By: "the adb server", Request: text, Words: words}
	}
	return fmt.Errorf("%w: it said %q", services.ErrNotADB, status)
}

func (c *conn) lengthPrefixed() (string, error) {
	var hex [4]byte
	if _, err := io.ReadFull(c.r, hex[:]); err != nil {
		return "", fmt.Errorf("%w: %w", services.ErrGone, err)
	}
	n, err := strconv.ParseUint(string(hex[:]), 16, 16)
	if err != nil {
		return "", fmt.Errorf("adb server: bad length %q", hex)
	}
	text := make([]byte, n)
	if _, err := io.ReadFull(c.r, text); err != nil {
		return "", fmt.Errorf("%w: %w", services.ErrGone, err)
	}
	return string(text), nil
}

// ask sends a request whose answer is one length-prefixed text.
func (c *Client) ask(ctx context.Context, request string) (string, error) {
	ctx, cancel := context.WithTimeout(ctx, requestTimeout)
	defer cancel()
	conn, err := c.dial(ctx)
	if err != nil {
		return "", err
	}
	defer conn.Close()
	conn.SetDeadline(time.Now().Add(requestTimeout))
	if err := conn.request(request); err != nil {
		return "", err
	}
	return conn.lengthPrefixed()
}

// Version is the server's version number, such as 41.
func (c *Client) Version(ctx context.Context) (int, error) {
	text, err := c.ask(ctx, "host:version")
	if err != nil {
		return 0, err
	}
	v, err := strconv.ParseInt(text, 16, 32)
	if err != nil {
		return 0, fmt.Errorf("adb server: version %q", text)
	}
	return int(v), nil
}

// CheckAddress refuses what is no network address with a port.
func (c *Client) CheckAddress(address string) error {
	if _, _, err := net.SplitHostPort(address); err != nil || strings.ContainsAny(address, " \n\x00") {
		return fmt.Errorf("%q is not an address like 192.0.2.7:5555", address)
	}
	return nil
}

// Connect asks the server to reach a phone by its network address. The words
// are the server's: it says OKAY even where it failed.
func (c *Client) Connect(ctx context.Context, address string) (words string, err error) {
	if err := c.CheckAddress(address); err != nil {
		return "", err
	}
	return c.ask(ctx, "host:connect:"+address)
}

// Pair pairs this computer with a phone by the code on its screen. Servers
// before version 30 do not know how, and refuse.
func (c *Client) Pair(ctx context.Context, address, code string) (words string, err error) {
	if err := c.CheckAddress(address); err != nil {
		return "", err
	}
	if len(code) != 6 || strings.Trim(code, "0123456789") != "" {
		return "", errors.New("the code on the phone's screen has six digits")
	}
	return c.ask(ctx, "host:pair:"+code+":"+address)
}

// Disconnect makes the server forget a phone at a network address.
func (c *Client) Disconnect(ctx context.Context, address string) error {
	if err := c.CheckAddress(address); err != nil {
		return err
	}
	_, err := c.ask(ctx, "host:disconnect:"+address)
	return err
}

// Devices lists what the server sees, in its order.
func (c *Client) Devices(ctx context.Context) ([]services.Device, error) {
	text, err := c.ask(ctx, "host:devices-l")
	if err != nil {
		return nil, err
	}
	return parseDevices(text), nil
}

// Track calls each with the list of devices now and after every change, until
// ctx ends, the server goes or each fails.
func (c *Client) Track(ctx context.Context, each func([]services.Device) error) error {
	conn, err := c.dial(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	if err := conn.request("host:track-devices-l"); err != nil {
		return err
	}
	for {
		text, err := conn.lengthPrefixed()
		if err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			return err
		}
		if err := each(parseDevices(text)); err != nil {
			return err
		}
	}
}

func parseDevices(text string) []services.Device {
	var list []services.Device
	for line := range strings.Lines(text) {
		serial, rest, ok := strings.Cut(strings.TrimSpace(line), " ")
		rest = strings.TrimSpace(rest)
		if !ok || rest == "" {
			continue
		}
		d := services.Device{Serial: serial}
		// "no permissions (…; see …)" is the one state of several words.
		if strings.HasPrefix(rest, "no permissions") {
			d.State, rest = "no permissions", ""
		} else {
			d.State, rest, _ = strings.Cut(rest, " ")
		}
		for _, word := range strings.Fields(rest) {
			k, v, _ := strings.Cut(word, ":")
			switch k {
			case "product":
				d.Product = v
			case "model":
				d.Model = v
			case "device":
				d.Device = v
			}
		}
		list = append(list, d)
	}
	return list
}

// Dial opens a service of a phone by its name; one that does not open within
// requestTimeout has failed.
func (c *Client) Dial(ctx context.Context, serial, service string) (services.Stream, error) {
	if serial == "" || strings.ContainsAny(serial, " \t\n\x00") {
		return nil, fmt.Errorf("%q is not a serial", serial)
	}
	conn, err := c.dial(ctx)
	if err != nil {
		return nil, err
	}
	conn.SetDeadline(time.Now().Add(requestTimeout))
	err = conn.request("host:transport:" + serial)
	if err == nil {
		err = conn.request(service)
	}
	if err != nil {
		conn.Close()
		return nil, err
	}
	return conn, nil
}

// Features lists what the phone's adb daemon can do.
func (c *Client) Features(ctx context.Context, serial string) ([]string, error) {
	text, err := c.ask(ctx, "host-serial:"+serial+":features")
	if err != nil {
		return nil, err
	}
	return strings.Split(text, ","), nil
}
