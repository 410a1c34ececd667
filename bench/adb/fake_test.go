package adb

import (
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"net"
	"strconv"
	"strings"
	"testing"
	"time"

	"roster/bench/services"
)

// fake is an adb server that answers each request as a table says: what a
// real one can't be made to do on demand.
type fake struct {
	t       *testing.T
	ln      net.Listener
	answers map[string]func(net.Conn)
}

func newFake(t *testing.T, answers map[string]func(net.Conn)) *Client {
	t.Helper()
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { ln.Close() })
	f := &fake{t, ln, answers}
	go f.serve()
	return &Client{Address: ln.Addr().String()}
}

func (f *fake) serve() {
	for {
		conn, err := f.ln.Accept()
		if err != nil {
			return
		}
		go func() {
			defer conn.Close()
			for {
				request, err := readRequest(conn)
				if err != nil {
					return
				}
				answer, ok := f.answers[request]
				if !ok {
					fmt.Fprintf(conn, "FAIL%04x%s", len("unknown host service"), "unknown host service")
					return
				}
				answer(conn)
				if !strings.HasPrefix(request, "host:transport:") {
					return
				}
			}
		}()
	}
}

func readRequest(r io.Reader) (string, error) {
	var hex [4]byte
	if _, err := io.ReadFull(r, hex[:]); err != nil {
		return "", err
	}
	n, err := strconv.ParseUint(string(hex[:]), 16, 16)
	if err != nil {
		return "", err
	}
	text := make([]byte, n)
	_, err = io.ReadFull(r, text)
	return string(text), err
}

func say(text string) func(net.Conn) {
	return func(c net.Conn) { io.WriteString(c, text) }
}

func okay(text string) func(net.Conn) { return say(fmt.Sprintf("OKAY%04x%s", len(text), text)) }

func TestAnswers(t *testing.T) {
	for what, c := range map[string]struct {
		answer func(net.Conn)
		want   func(int, error) bool
	}{
		"a version": {okay("0029"), func(v int, err error) bool { return v == 41 && err == nil }},
		"no number": {okay("zzzz"), func(_ int, err error) bool { return err != nil }},
		"a refusal": {say("FAIL0005words"), func(_ int, err error) bool {
			var s *services.RefusedError
			return errors.As(err, &s) && s.Words == "words"
		}},
		"a cut-off refusal": {say("FAIL00ffshort"), func(_ int, err error) bool { return errors.Is(err, services.ErrGone) }},
		"nothing":           {say(""), func(_ int, err error) bool { return errors.Is(err, services.ErrGone) }},
		"half a status":     {say("OK"), func(_ int, err error) bool { return errors.Is(err, services.ErrGone) }},
		"a bad length":      {say("OKAYxxxx"), func(_ int, err error) bool { return err != nil && strings.Contains(err.Error(), "length") }},
		"another protocol":  {say("HTTP/1.1 200 OK"), func(_ int, err error) bool { return err != nil && strings.Contains(err.Error(), "not an adb server") }},
		"a cut-off answer":  {say("OKAY0010short"), func(_ int, err error) bool { return errors.Is(err, services.ErrGone) }},
		"an older server":   {okay("001f"), func(v int, err error) bool { return v == 31 && err == nil }},
	} {
		client := newFake(t, map[string]func(net.Conn){"host:version": c.answer})
		if v, err := client.Version(t.Context()); !c.want(v, err) {
			t.Errorf("%s: %d, %v", what, v, err)
		}
	}
}

func TestParseDevices(t *testing.T) {
	text := "0123456789ABCDEF       device usb:1-4 product:lyra5 model:Lyra_5 device:lyra5 transport_id:1\n" +
		"192.0.2.7:5555         unauthorized transport_id:2\n" +
		"????????????           no permissions (user in plugdev group; are your udev rules wrong?); see [http://x] usb:1-5\n" +
		"\n" +
		"nonsense\n" +
		"emulator-5554          offline\n"
	client := newFake(t, map[string]func(net.Conn){"host:devices-l": okay(text)})
	got, err := client.Devices(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	want := []services.Device{
		{Serial: "0123456789ABCDEF", State: "device", Product: "lyra5", Model: "Lyra_5", Device: "lyra5"},
		{Serial: "192.0.2.7:5555", State: "unauthorized"},
		{Serial: "????????????", State: "no permissions"},
		{Serial: "emulator-5554", State: "offline"},
	}
	if fmt.Sprint(got) != fmt.Sprint(want) {
		t.Errorf("got  %+v\nwant %+v", got, want)
	}
}

func TestHostileSerials(t *testing.T) {
	client := newFake(t, map[string]func(net.Conn){"host:transport:x": say("OKAY")})
	for _, serial := range []string{"", "a b", "a\nb", "a\x00b", "\t"} {
		if conn, err := client.Dial(t.Context(), serial, "sync:"); err == nil {
			conn.Close()
			t.Errorf("%q was taken", serial)
		}
	}
	if _, err := client.Connect(t.Context(), "host only"); err == nil {
		t.Error("an address without a port was taken")
	}
	if err := client.Disconnect(t.Context(), "a b:1"); err == nil {
		t.Error("a hostile address was taken")
	}
}

// shellOn answers the commands of a session as a phone's shell would, in
// either protocol, in pieces of the given size.
func shellOn(v2 bool, piece int, run func(line string) (out, errs string, code int)) func(net.Conn) {
	return func(c net.Conn) {
		io.WriteString(c, "OKAY")
		packet := func(kind byte, data string) {
			for len(data) > 0 {
				n := min(piece, len(data))
				if v2 {
					var h [5]byte
					h[0] = kind
					binary.LittleEndian.PutUint32(h[1:], uint32(n))
					c.Write(h[:])
				}
				io.WriteString(c, data[:n])
				data = data[n:]
			}
		}
		for {
			line := ""
			for !strings.HasSuffix(line, "$roster_code\n") {
				if v2 {
					var h [5]byte
					if _, err := io.ReadFull(c, h[:]); err != nil {
						return
					}
					data := make([]byte, binary.LittleEndian.Uint32(h[1:]))
					io.ReadFull(c, data)
					line += string(data)
				} else {
					var b [1]byte
					if _, err := c.Read(b[:]); err != nil {
						return
					}
					line += string(b[:])
				}
			}
			_, rest, _ := strings.Cut(line, "{ ")
			command, rest, _ := strings.Cut(rest, "\n} </dev/null")
			_, mark, _ := strings.Cut(rest, "echo --")
			mark, _, _ = strings.Cut(mark, "$")
			out, errs, code := run(command)
			if v2 {
				packet(2, errs) // standard error
			}
			packet(1, fmt.Sprintf("%s\n--%s%d\n", out, mark, code))
		}
	}
}

func TestSessionOnEitherProtocol(t *testing.T) {
	for _, v2 := range []bool{true, false} {
		for _, piece := range []int{1, 7, 30, 1 << 20} {
			features, service := "cmd", "exec:sh"
			if v2 {
				features, service = "cmd,shell_v2", "shell,v2,raw:"
			}
			client := newFake(t, map[string]func(net.Conn){
				"host-serial:x:features": okay(features),
				"host:transport:x":       say("OKAY"),
				"host:devices-l":         okay("x device\n"),
				service: shellOn(v2, piece, func(line string) (string, string, int) {
					return strings.Repeat(line, 50), "oops", 42
				}),
			})
			s, err := services.Shell(t.Context(), client, "x")
			if err != nil {
				t.Fatal(err)
			}
			for _, line := range []string{"a", "two words", "--", "\nx"} {
				got, err := s.Run(line, 30*time.Second, 1<<20)
				if err != nil || string(got.Out) != strings.Repeat(line, 50) || got.Code != 42 || v2 && string(got.Errs) != "oops" {
					t.Errorf("v2 %v, pieces of %d, %q: %.60q %q %d %v", v2, piece, line, got.Out, got.Errs, got.Code, err)
				}
			}
			s.Close()
		}
	}
}

// TestSilentPhone has a phone that says nothing more, while the server either
// still lists it or does not.
func TestSilentPhone(t *testing.T) {
	for listed, want := range map[string]error{"x device\n": nil, "x offline\n": services.ErrGone, "": services.ErrGone} {
		client := newFake(t, map[string]func(net.Conn){
			"host-serial:x:features": okay("shell_v2"), "host:transport:x": say("OKAY"), "host:devices-l": okay(listed),
			"shell,v2,raw:": func(c net.Conn) { io.WriteString(c, "OKAY"); io.Copy(io.Discard, c) },
		})
		s, err := services.Shell(t.Context(), client, "x")
		if err != nil {
			t.Fatal(err)
		}
		_, err = s.Run("anything", 2500*time.Millisecond, 100)
		if err == nil || (want != nil) != errors.Is(err, services.ErrGone) {
			t.Errorf("listed as %q: %v", listed, err)
		}
		s.Close()
	}
}

func TestCancelled(t *testing.T) {
	client := newFake(t, map[string]func(net.Conn){"host:version": func(c net.Conn) { io.Copy(io.Discard, c) }})
	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(50*time.Millisecond, cancel)
	start := time.Now()
	if _, err := client.Version(ctx); err == nil || time.Since(start) > 9*time.Second {
		t.Errorf("%v after %v", err, time.Since(start))
	}
}
