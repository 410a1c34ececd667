package main

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"roster/bench/adb/adbtest"
	"roster/core/android"
)

// standIn runs "roster phone" as a person would in another terminal, until the
// test ends; it returns where the phone and its hand listen.
func standIn(t *testing.T, scenario string) (address, hand string) {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	says, out := io.Pipe()
	c := root()
	c.SetArgs([]string{"phone", "--listen", "127.0.0.1:0", "--hand", "127.0.0.1:0", "--scenario", scenario})
	c.SetOut(out)
	ended := make(chan error, 1)
	go func() {
		err := c.ExecuteContext(ctx)
		out.CloseWithError(io.EOF)
		ended <- err
	}()
	t.Cleanup(func() { cancel(); <-ended })
	line := make([]byte, 500)
	n, err := says.Read(line)
	if err != nil {
		t.Fatalf("the stand-in says nothing: %v", err)
	}
	at := regexp.MustCompile(`listens on (\S+), its hand on (\S+);`).FindSubmatch(line[:n])
	if at == nil {
		t.Fatalf("where does it listen? %q", line[:n])
	}
	return string(at[1]), string(at[2])
}

// eventually waits until something is so.
func eventually(t *testing.T, what string, so func() bool) {
	t.Helper()
	late := time.After(3 * time.Minute)
	for again := time.NewTicker(50 * time.Millisecond); !so(); {
		select {
		case <-again.C:
		case <-late:
			t.Fatalf("never: %s", what)
		}
	}
}

// TestPhonesOfThisComputer goes from no phone to two: what is attached, what to
// do about each, and a capture of the one that is meant.
func TestPhonesOfThisComputer(t *testing.T) {
	client := adbtest.Start(t)
	connect := func(address string) {
		t.Helper()
		if _, err := client.Connect(t.Context(), address); err != nil {
			t.Fatal(err)
		}
	}
	with := func(args ...string) (string, string, error) {
		t.Helper()
		return call(t, "", append(args, "--adb", client.Address)...)
	}
	if _, _, err := with("bench", "phones"); err == nil || !strings.Contains(err.Error(), "no phone is attached. What to try") {
		t.Errorf("none: %v", err)
	}
	if _, _, err := with("capture"); err == nil || !strings.Contains(err.Error(), "no usable phone is attached") {
		t.Errorf("none: %v", err)
	}

	// One that has not accepted the computer, then its owner does.
	shelf, hand := standIn(t, "phones/nib-2-shelf.yaml")
	connect(shelf)
	if out, _, err := with("bench", "phones"); err == nil || !strings.Contains(out, shelf) || !strings.Contains(out, "accept") {
		t.Errorf("not accepted: %q %v", out, err)
	}
	if _, _, err := with("capture"); err == nil || !strings.Contains(err.Error(), shelf) || isUsage(err) {
		t.Errorf("not accepted: %v", err)
	}
	eventually(t, "adb asks, and is accepted", func() bool {
		out, _, err := call(t, "", "phone", "do", "accept", "--hand", hand)
		return err == nil && json.Valid([]byte(out))
	})
	if _, _, err := call(t, "", "phone", "do", "explode", "--hand", hand); !isUsage(err) {
		t.Errorf("%v", err)
	}

	// Another beside it: which one is meant has to be said.
	desk, _ := standIn(t, "phones/lyra-5-desk.yaml")
	connect(desk)
	ready := func() (n int) {
		out, _, err := with("bench", "phones", "--json")
		var list []struct {
			Serial string
			Ready  bool
		}
		if json.Unmarshal([]byte(out), &list) != nil || len(list) != 2 {
			t.Fatalf("%s %v", out, err)
		}
		for _, p := range list {
			if p.Ready {
				n++
			}
		}
		return n
	}
	eventually(t, "both phones are ready", func() bool { return ready() == 2 }) // adb tells late that it was accepted
	if _, _, err := with("capture"); !isUsage(err) || !strings.Contains(err.Error(), "choose one with --phone") {
		t.Errorf("two: %v", err)
	}

	path := filepath.Join(t.TempDir(), "lyra.json")
	_, errs, err := with("capture", "--phone", desk, "--names", "-o", path)
	if err != nil || !strings.Contains(errs, "names: ") || !strings.Contains(errs, " of ") {
		t.Fatalf("%v\n%s", err, errs)
	}
	raw, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	capture, err := android.ReadSources([]android.Source{{Name: path, Size: int64(len(raw)), Data: bytes.NewReader(raw)}})
	if err != nil || !capture.Complete || capture.Identity.MarketName != "Lyra 5" || len(capture.Packages) < 100 || bytes.Contains(raw, []byte("BRNLY5A0417")) {
		t.Errorf("%+v %v", capture, err)
	}
	named := 0
	for _, p := range capture.Packages {
		if p.Name == "com.brannock.wallet.core" && p.Labels["de"] != "Tasche" {
			t.Errorf("its name in German is %q", p.Labels["de"])
		}
		if len(p.Labels) > 0 {
			named++
		}
	}
	if named < 50 {
		t.Errorf("%d packages have a name", named)
	}
	// It is read like anything else that a phone printed.
	if out, _, err := call(t, "", "read", path); err != nil || !strings.Contains(out, `"marketName": "Lyra 5"`) {
		t.Errorf("%.200s %v", out, err)
	}
	if _, _, err := with("capture", "--phone", "192.0.2.1:5555"); err == nil || !strings.Contains(err.Error(), `no phone "192.0.2.1:5555" is attached`) {
		t.Errorf("%v", err)
	}
}

func TestStandInsThatCantBe(t *testing.T) {
	for what, args := range map[string][]string{
		"no scenario": {"phone", "--scenario", "phones/none.yaml"}, "no address": {"phone", "--listen", "nowhere"}, "no hand": {"phone", "--listen", "127.0.0.1:0", "--hand", "nowhere"},
		"nobody's hand": {"phone", "do", "unplug", "--hand", "127.0.0.1:1"}, "no action": {"phone", "do"},
		"no adb": {"capture", "--adb", "127.0.0.1:1"}, "no adb for a look": {"bench", "phones", "--adb", "127.0.0.1:1", "--adb-program", "/no/adb"},
	} {
		if out, _, err := call(t, "", args...); err == nil || out != "" {
			t.Errorf("%s: %q, %v", what, out, err)
		}
	}
}
