package phone

import (
	"bytes"
	"context"
	"encoding/binary"
	"io"
	"log/slog"
	"net"
	"strings"
	"testing"
	"testing/fstest"
	"time"
)

const small = `
name: small
serial: S1
prompt: none
properties: {ro.build.version.release: "14", ro.build.version.sdk: "34", ro.product.device: small}
packages:
  - {name: com.example.a, dir: /system/app, version: "1"}
  - {name: com.example.lib, dir: /system/app, version: "1", provides: ["static:com.example.static"]}
  - {name: com.example.user, dir: /system/app, version: "1", uses: ["static:com.example.static"]}
  - {name: com.example.mine, owner: true, version: "1"}
`

func load(t *testing.T, text string) (*Scenario, error) {
	t.Helper()
	return Load(fstest.MapFS{"s.yaml": {Data: []byte(text)}}, "s.yaml")
}

func start(t *testing.T) (*Phone, string) {
	t.Helper()
	s, err := load(t, small)
	if err != nil {
		t.Fatal(err)
	}
	p := New(s, slog.New(slog.DiscardHandler))
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	address, err := p.Listen(ctx, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	return p, address
}

// computer is the other side of the wire, one message at a time.
type computer struct {
	t    *testing.T
	conn net.Conn
}

func dial(t *testing.T, address string) computer {
	t.Helper()
	conn, err := net.Dial("tcp", address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close() })
	conn.SetDeadline(time.Now().Add(30 * time.Second))
	return computer{t, conn}
}

func (c computer) send(command, arg0, arg1 uint32, data string) {
	c.t.Helper()
	if _, err := c.conn.Write(encode(message{command, arg0, arg1, []byte(data)}, true)); err != nil {
		c.t.Fatal(err)
	}
}

func (c computer) want(command uint32) message {
	c.t.Helper()
	m, err := readMessage(c.conn)
	if err != nil {
		c.t.Fatal(err)
	}
	if m.command != command {
		c.t.Fatalf("got %#x %q, want %#x", m.command, m.data, command)
	}
	return m
}

func (c computer) connect(version uint32) message {
	c.send(cmdConnect, version, 4096, "host::\x00")
	return c.want(cmdConnect)
}

func TestWire(t *testing.T) {
	_, address := start(t)
	c := dial(t, address)
	if banner := string(c.connect(wireVersion).data); !strings.HasPrefix(banner, "device::") || !strings.Contains(banner, "features=shell_v2") {
		t.Errorf("banner %q", banner)
	}
	// Two streams at once; each WRTE waits for its OKAY.
	c.send(cmdOpen, 7, 0, "shell:echo one\x00")
	c.send(cmdOpen, 8, 0, "shell:echo two\x00")
	got := map[uint32]string{}
	closed := 0
	for closed < 2 {
		m, err := readMessage(c.conn)
		if err != nil {
			t.Fatal(err)
		}
		switch m.command {
		case cmdWrite:
			got[m.arg1] += string(m.data)
			c.send(cmdReady, m.arg1, m.arg0, "")
		case cmdClose:
			closed++
		}
	}
	if got[7] != "one\n" || got[8] != "two\n" {
		t.Errorf("%v", got)
	}
	c.send(cmdOpen, 9, 0, "no-such-service:\x00")
	if m := c.want(cmdClose); m.arg1 != 9 {
		t.Errorf("%+v", m)
	}
	c.send(cmdWrite, 5, 99, "to a stream that is not there")
	if m := c.want(cmdClose); m.arg1 != 5 {
		t.Errorf("%+v", m)
	}
}

// TestPayload splits a long answer into pieces of what the computer takes, and
// sums data for old computers alone.
func TestPayload(t *testing.T) {
	for _, version := range []uint32{0x01000000, wireVersion} {
		_, address := start(t)
		c := dial(t, address)
		c.connect(version)
		c.send(cmdOpen, 1, 0, "shell:dumpsys package\x00")
		c.want(cmdReady)
		for total := 0; total < 8000; {
			var h [headerSize]byte
			if _, err := io.ReadFull(c.conn, h[:]); err != nil {
				t.Fatal(err)
			}
			size, sum := binary.LittleEndian.Uint32(h[12:]), binary.LittleEndian.Uint32(h[16:])
			data := make([]byte, size)
			if _, err := io.ReadFull(c.conn, data); err != nil {
				t.Fatal(err)
			}
			if binary.LittleEndian.Uint32(h[:]) != cmdWrite {
				break
			}
			var want uint32
			for _, b := range data {
				want += uint32(b)
			}
			if size > 4096 || (sum == want) != (version == 0x01000000) {
				t.Fatalf("version %#x: a piece of %d bytes with sum %d, its data sum to %d", version, size, sum, want)
			}
			total += int(size)
			c.send(cmdReady, 1, binary.LittleEndian.Uint32(h[4:]), "")
		}
	}
}

func TestNonsenseEndsTheConnection(t *testing.T) {
	_, address := start(t)
	huge := encode(message{cmdConnect, wireVersion, 4096, nil}, false)
	binary.LittleEndian.PutUint32(huge[12:], 1<<30)
	for what, bytes := range map[string][]byte{
		"no adb at all": []byte("GET / HTTP/1.1\r\nHost: x\r\n\r\n"), "no CNXN": encode(message{cmdOpen, 1, 0, []byte("shell:id\x00")}, false), "a gigabyte": huge,
	} {
		c := dial(t, address)
		c.conn.Write(bytes)
		if n, err := io.Copy(io.Discard, c.conn); n != 0 || err != nil && !strings.Contains(err.Error(), "reset") {
			t.Errorf("%s: %d bytes answered, %v", what, n, err)
		}
	}
	// The phone is still there for others.
	dial(t, address).connect(wireVersion)
}

func TestUnplug(t *testing.T) {
	p, address := start(t)
	c := dial(t, address)
	c.connect(wireVersion)
	p.Unplug()
	if _, err := readMessage(c.conn); err == nil {
		t.Error("the connection outlived the cable")
	}
	out := dial(t, address)
	if _, err := readMessage(out.conn); err == nil {
		t.Error("a phone without a cable answers")
	}
	p.Plug()
	dial(t, address).connect(wireVersion)
}

func TestAsk(t *testing.T) {
	s, err := load(t, small)
	if err != nil {
		t.Fatal(err)
	}
	p := New(s, slog.New(slog.DiscardHandler))
	for line, want := range map[string]string{
		"pm list packages -3":                         "package:com.example.mine\n",
		"pm list packages -s com.example.a":           "package:com.example.a\n",
		"pm path com.example.a":                       "package:/system/app/ExampleA/ExampleA.apk\n",
		"pm uninstall --user 0 com.example.lib":       "Failure [DELETE_FAILED_USED_SHARED_LIBRARY]\n",
		"pm list packages --user 10":                  "",
		"settings list global | sort; echo $?":        "127\n",
		"for i in 1 2; do echo $i; done":              "1\n2\n",
		"settings delete global adb_enabled":          "Deleted 1 rows\n",
		"getprop ro.product.device; getprop ro.other": "small\n\n",
		"cmd nothing || echo no":                      "no\n",
	} {
		if got := string(p.Ask(t.Context(), line)); got != want {
			t.Errorf("%s: %q, want %q", line, got, want)
		}
	}
	// What its owner installed is gone for good, and then the library is free.
	p.Ask(t.Context(), "pm uninstall --user 0 com.example.mine; pm uninstall --user 0 com.example.user; pm uninstall --user 0 com.example.lib")
	if _, known := p.Installed("com.example.mine"); known {
		t.Error("an app of the owner leaves a copy")
	}
	if got := strings.Join(p.InstalledNames(), " "); got != "com.example.a" {
		t.Errorf("left: %s", got)
	}
	// An old release does not know newer options and exits with 0.
	s.sdk = 26
	old := New(s, slog.New(slog.DiscardHandler))
	var errs bytes.Buffer
	if code := old.shell(t.Context(), "pm list packages -U", nil, io.Discard, &errs); code != 1 || !strings.Contains(errs.String(), "Unknown option: -U") {
		t.Errorf("%d %q", code, errs.String())
	}
	if code := old.shell(t.Context(), "pm uninstall --user 0 com.example.none", nil, io.Discard, io.Discard); code != 0 {
		t.Errorf("an old release exits with %d", code)
	}
}

func TestScenarioErrors(t *testing.T) {
	for what, text := range map[string]string{
		"an unknown word": small + "colour: blue\n", "a hostile name": strings.Replace(small, "com.example.a,", "\"a;b\",", 1), "a name twice": strings.Replace(small, "com.example.lib", "com.example.a", 1),
		"a bad prompt": strings.Replace(small, "none", "maybe", 1), "no release": "name: x\n", "a model that is not there": "model: nowhere.yaml\n", "no YAML": "\t{",
	} {
		if _, err := load(t, text); err == nil {
			t.Errorf("%s was accepted", what)
		} else if !strings.Contains(err.Error(), "yaml") {
			t.Errorf("%s: the error does not name the file: %v", what, err)
		}
	}
}
