package main

import (
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
)

// portsTried is how many ports listenFrom looks at.
const portsTried = 50

// listenOn listens on an address. Where another program has it, the error says
// which.
func listenOn(address string) (net.Listener, error) {
	ln, err := net.Listen("tcp", address)
	if !errors.Is(err, syscall.EADDRINUSE) {
		return ln, err
	}
	return nil, fmt.Errorf("%s is taken: %s listens there: %w", address, holder(address), err)
}

// listenFrom listens on an address or, where other programs have its port and
// those after it, on the first that is free. Taken says which port could not
// be had and who has it, "" where the address itself was free.
func listenFrom(address string) (ln net.Listener, taken string, err error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, "", err
	}
	first, err := strconv.Atoi(port)
	if err != nil {
		return nil, "", fmt.Errorf("port %q: %w", port, err)
	}
	for next := first; next < first+portsTried && next <= 65535; next++ {
		ln, err = net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(next)))
		if !errors.Is(err, syscall.EADDRINUSE) {
			break
		}
		if next == first {
			taken = fmt.Sprintf("%s listens on %s", holder(address), address)
		}
	}
	return ln, taken, err
}

// holder names the program that listens on an address, as far as this system
// tells: Linux does, of programs that this user may look at.
func holder(address string) string {
	const unknown = "another program"
	_, text, err := net.SplitHostPort(address)
	port, portErr := strconv.ParseUint(text, 10, 16)
	if err != nil || portErr != nil {
		return unknown
	}
	sockets := map[string]bool{}
	for _, table := range []string{"/proc/net/tcp", "/proc/net/tcp6"} {
		raw, err := os.ReadFile(table)
		if err != nil {
			continue
		}
		for line := range strings.Lines(string(raw)) {
			// slot, local address, remote address, state (0A listens), …, inode
			if f := strings.Fields(line); len(f) > 9 && f[3] == "0A" && portOf(f[1]) == uint16(port) {
				sockets["socket:["+f[9]+"]"] = true
			}
		}
	}
	files, _ := filepath.Glob("/proc/[0-9]*/fd/*")
	for _, file := range files {
		if target, err := os.Readlink(file); err == nil && sockets[target] {
			process := filepath.Dir(filepath.Dir(file))
			name, err := os.ReadFile(filepath.Join(process, "comm"))
			if err == nil {
				return fmt.Sprintf("%s (process %s)", strings.TrimSpace(string(name)), filepath.Base(process))
			}
		}
	}
	return unknown
}

// portOf is the port of an address as /proc/net/tcp writes it: hex, after the
// colon. It is 0 where there is none.
func portOf(address string) uint16 {
	_, text, _ := strings.Cut(address, ":")
	raw, err := hex.DecodeString(text)
	if err != nil || len(raw) != 2 {
		return 0
	}
	return uint16(raw[0])<<8 | uint16(raw[1])
}
