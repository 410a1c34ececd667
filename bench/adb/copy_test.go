package adb

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"io"
	"net"
	"strings"
	"testing"

	"roster/bench/services"
)

// packet is one message of the sync protocol.
func packet(id string, data string) string {
	return string(binary.LittleEndian.AppendUint32([]byte(id), uint32(len(data)))) + data
}

// onPhone answers the requests that lead to a phone's service, then does what
// the test says.
func onPhone(t *testing.T, features, service string, then func(net.Conn)) *Client {
	return newFake(t, map[string]func(net.Conn){
		"host-serial:S1:features": okay(features),
		"host:transport:S1":       say("OKAY"),
		service: func(c net.Conn) {
			io.WriteString(c, "OKAY")
			then(c)
		},
	})
}

// TestPull lets a phone hand out a file in every way that it should not.
func TestPull(t *testing.T) {
	whole := packet("DATA", "hello ") + packet("DATA", "phone") + "DONE\x00\x00\x00\x00"
	for what, c := range map[string]struct {
		answer string
		want   string
		fails  error
	}{
		"two pieces":      {whole, "hello phone", nil},
		"an empty file":   {"DONE\x00\x00\x00\x00", "", nil},
		"a refusal":       {packet("FAIL", "No such file"), "", services.ErrRefused},
		"cut in a piece":  {packet("DATA", "hello ")[:10], "he", services.ErrGone},
		"cut between":     {packet("DATA", "hello "), "hello ", services.ErrGone},
		"nothing at all":  {"", "", services.ErrGone},
		"over the limit":  {packet("DATA", strings.Repeat("x", 200)), "", services.ErrTooMuch},
		"another message": {packet("DENT", "x"), "", errors.New("any")},
		"a huge piece":    {"DATA\xff\xff\xff\x7f", "", errors.New("any")},
	} {
		client := onPhone(t, "", "sync:", func(conn net.Conn) {
			request := make([]byte, 8+len("/a/b.apk"))
			io.ReadFull(conn, request)
			io.WriteString(conn, c.answer)
		})
		s, err := services.Files(t.Context(), client, "S1")
		if err != nil {
			t.Fatal(err)
		}
		var got bytes.Buffer
		n, err := s.Pull("/a/b.apk", &got, 100)
		s.Close()
		if (err == nil) != (c.fails == nil) || c.fails != nil && c.fails.Error() != "any" && !errors.Is(err, c.fails) {
			t.Errorf("%s: %v", what, err)
		}
		if got.String() != c.want || n != int64(len(c.want)) {
			t.Errorf("%s: %q, %d bytes", what, got.String(), n)
		}
		if c.fails == services.ErrRefused && !strings.Contains(err.Error(), "No such file") {
			t.Errorf("the phone's words are lost: %v", err)
		}
	}
	client := onPhone(t, "", "sync:", func(net.Conn) {})
	s, err := services.Files(t.Context(), client, "S1")
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, path := range []string{"/a\x00b", "/a\nb", "/" + strings.Repeat("x", 2000)} {
		if _, err := s.Pull(path, io.Discard, 1); err == nil {
			t.Errorf("%.20q was asked for", path)
		}
	}
	if _, err := services.Files(t.Context(), client, "S2"); err == nil {
		t.Error("a phone that is not there")
	}
}

func TestFollow(t *testing.T) {
	out := func(kind byte, text string) string {
		return string(binary.LittleEndian.AppendUint32([]byte{kind}, uint32(len(text)))) + text
	}
	for what, c := range map[string]struct {
		features, service, answer, want string
		fails                           bool
	}{
		"an old shell":      {"cmd", "shell:logcat", "line\n", "line\n", false},
		"a new shell":       {"shell_v2,cmd", "shell,v2,raw:logcat", out(1, "one\n") + out(2, "error\n") + out(1, "two\n") + out(3, "\x00"), "one\ntwo\n", false},
		"cut off":           {"shell_v2", "shell,v2,raw:logcat", out(1, "one\n"), "one\n", true},
		"cut in a packet":   {"shell_v2", "shell,v2,raw:logcat", out(1, "one\n")[:7], "", true},
		"an endless packet": {"shell_v2", "shell,v2,raw:logcat", "\x01\xff\xff\xff\x7f", "", true},
	} {
		client := onPhone(t, c.features, c.service, say(c.answer))
		var got bytes.Buffer
		err := services.Follow(t.Context(), client, "S1", "logcat", &got)
		if (err != nil) != c.fails || got.String() != c.want {
			t.Errorf("%s: %q, %v", what, got.String(), err)
		}
	}
	// Whoever has seen enough ends it, and that is no error.
	ctx, cancel := context.WithCancel(t.Context())
	client := onPhone(t, "shell_v2", "shell,v2,raw:logcat", func(c net.Conn) {
		io.WriteString(c, out(1, "one\n"))
		io.Copy(io.Discard, c)
	})
	enough := writerFunc(func(b []byte) (int, error) {
		cancel()
		return len(b), nil
	})
	if err := services.Follow(ctx, client, "S1", "logcat", enough); err != nil {
		t.Errorf("%v", err)
	}
	full := errors.New("full")
	client = onPhone(t, "shell_v2", "shell,v2,raw:logcat", say(out(1, "one\n")))
	if err := services.Follow(t.Context(), client, "S1", "logcat", writerFunc(func([]byte) (int, error) { return 0, full })); !errors.Is(err, full) {
		t.Errorf("%v", err)
	}
}

type writerFunc func([]byte) (int, error)

func (f writerFunc) Write(p []byte) (int, error) { return f(p) }

func TestPair(t *testing.T) {
	client := newFake(t, map[string]func(net.Conn){"host:pair:123456:192.0.2.7:37123": okay("Successfully paired to 192.0.2.7:37123")})
	if words, err := client.Pair(t.Context(), "192.0.2.7:37123", "123456"); err != nil || !strings.Contains(words, "paired") {
		t.Errorf("%q, %v", words, err)
	}
	var refused *services.RefusedError
	if _, err := client.Pair(t.Context(), "192.0.2.8:37123", "123456"); !errors.As(err, &refused) || refused.Words != "unknown host service" {
		t.Errorf("%v", err)
	}
	for _, bad := range [][2]string{{"nowhere", "123456"}, {"192.0.2.7:1", "12345"}, {"192.0.2.7:1", "12345a"}, {"192.0.2.7:1\nhost:kill", "123456"}, {"192.0.2.7:1", "123456:x"}} {
		if _, err := client.Pair(t.Context(), bad[0], bad[1]); err == nil || errors.As(err, &refused) {
			t.Errorf("%q reached the server: %v", bad, err)
		}
	}
}

// TestNotADB listens where an adb server should.
func TestNotADB(t *testing.T) {
	client := newFake(t, map[string]func(net.Conn){"host:version": say("HTTP/1.1 400 Bad Request\r\n\r\n")})
	if _, err := client.Version(t.Context()); !errors.Is(err, services.ErrNotADB) {
		t.Errorf("%v", err)
	}
	if _, err := client.Devices(t.Context()); err == nil || errors.Is(err, services.ErrNotADB) {
		t.Errorf("a refusal: %v", err)
	}
}
