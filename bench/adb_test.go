package bench_test

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"roster/bench"
	"roster/bench/adb"
	"roster/bench/adb/adbtest"
	"roster/bench/services"
	"roster/core/android"
	"roster/demo"
	"roster/phone"
)

func scenario(t testing.TB) *phone.Scenario {
	t.Helper()
	s, err := phone.Load(demo.World, "phones/lyra-5-desk.yaml")
	if err != nil {
		t.Fatal(err)
	}
	s.Prompt, s.RestartTakes = "none", 300*time.Millisecond
	return s
}

// attach runs a stand-in and connects the server to it.
func attach(t testing.TB, c *adb.Client, s *phone.Scenario) (*phone.Phone, string) {
	t.Helper()
	p := phone.New(s, slog.New(slog.DiscardHandler))
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	address, err := p.Listen(ctx, "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := c.Connect(ctx, address); err != nil {
		t.Fatal(err)
	}
	return p, address
}

// state is what the server says of the phone now.
func state(t testing.TB, c *adb.Client, serial string) string {
	t.Helper()
	list, err := c.Devices(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range list {
		if d.Serial == serial {
			return d.State
		}
	}
	return "not listed"
}

// eventually waits until something is so. It may take as long as a machine may
// that has other things to do.
func eventually(t testing.TB, what string, so func() bool) {
	t.Helper()
	for end := time.Now().Add(3 * time.Minute); !so(); time.Sleep(25 * time.Millisecond) {
		if time.Now().After(end) {
			t.Fatalf("never: %s", what)
		}
	}
}

// until waits for the phone to reach a state.
func until(t testing.TB, c *adb.Client, serial, want string) {
	t.Helper()
	eventually(t, serial+" is "+want, func() bool { return state(t, c, serial) == want })
}

// reconnect connects until the phone is there, as a Station does: the server
// takes some lost connections up by itself, and gives up or holds on to others.
func reconnect(t testing.TB, c *adb.Client, serial string) {
	t.Helper()
	eventually(t, serial+" is there again", func() bool {
		now := state(t, c, serial)
		if now == "offline" { // the server may hold on to what broke
			if err := c.Disconnect(t.Context(), serial); err != nil {
				t.Log(err)
			}
		}
		if now == "not listed" {
			if _, err := c.Connect(t.Context(), serial); err != nil {
				t.Log(err)
			}
		}
		return now == "device"
	})
}

// run is the real adb program on the phone.
func run(t testing.TB, c *adb.Client, serial string, args ...string) (string, int) {
	t.Helper()
	flags, err := c.Flags()
	if err != nil {
		t.Fatal(err)
	}
	cmd := exec.Command("adb", slices.Concat(flags, []string{"-s", serial}, args)...)
	out, err := cmd.CombinedOutput()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		t.Fatal(err)
	}
	return strings.TrimSpace(string(out)), cmd.ProcessState.ExitCode()
}

// TestStandInUnderRealADB lets Debian's adb program judge the stand-in.
func TestStandInUnderRealADB(t *testing.T) {
	t.Parallel()
	c := adbtest.StartTCP(t) // as adb servers listen by themselves
	p, serial := attach(t, c, scenario(t))
	until(t, c, serial, "device")
	long := strings.Repeat("x", 300)
	for _, step := range []struct {
		args []string
		want string
		code int
	}{
		{[]string{"shell", "echo out; echo err >&2; exit 7"}, "out\nerr", 7},
		{[]string{"shell", "getprop", "ro.product.device"}, "lyra5", 0},
		{[]string{"shell", "no-such-program"}, "/system/bin/sh: no-such-program: inaccessible or not found", 127},
		{[]string{"shell", "cat /etc/passwd || echo no"}, "cat: /etc/passwd: Permission denied\nno", 0},
		{[]string{"shell", "echo x > /data/local/tmp/x"}, "", 1},
		{[]string{"shell", "pm uninstall --user 0 com.brannock.tips"}, "Success", 0},
		{[]string{"shell", "pm uninstall --user 0 com.brannock.tips"}, "Failure [not installed for 0]", 1},
		{[]string{"shell", "pm uninstall --user 0 com.brannock.devicecare"}, "Failure [DELETE_FAILED_INTERNAL_ERROR]", 1},
		{[]string{"shell", "pm uninstall --user 0 com.brannock.retaildemo"}, "Failure [DELETE_FAILED_DEVICE_POLICY_MANAGER]", 1},
		{[]string{"shell", "pm uninstall com.brannock.clock"}, "Failure [DELETE_FAILED_INTERNAL_ERROR]", 1},
		{[]string{"shell", "pm disable-user --user 0 com.brannock.clock"}, "Package com.brannock.clock new state: disabled-user", 0},
		{[]string{"shell", "pm list packages -d com.brannock.clock"}, "package:com.brannock.clock", 0},
		{[]string{"shell", "pm disable-user --user 0 com.brannock.devicecare"}, "Error: java.lang.SecurityException: Cannot disable a protected package: com.brannock.devicecare", 255},
		{[]string{"shell", "pm enable --user 0 com.brannock.clock"}, "Package com.brannock.clock new state: enabled", 0},
		{[]string{"shell", "cmd package install-existing --user 0 com.brannock.tips"}, "Package com.brannock.tips installed for user: 0", 0},
		{[]string{"shell", "cmd package install-existing --user 0 no.such.thing"}, "android.content.pm.PackageManager$NameNotFoundException: Package no.such.thing doesn't exist", 1},
		{[]string{"shell", "settings get global window_animation_scale"}, "1.0", 0},
		{[]string{"shell", "settings put global window_animation_scale 0.5; settings get global window_animation_scale"}, "0.5", 0},
		{[]string{"shell", "settings get global nothing_here"}, "null", 0},
		{[]string{"shell", "dumpsys nothing"}, "Can't find service: nothing", 0},
		{[]string{"shell", "echo " + long}, long, 0},
	} {
		out, code := run(t, c, serial, step.args...)
		if step.want != "" && out != step.want || code != step.code {
			t.Errorf("adb %v: %q with code %d, want %q with %d", step.args, out, code, step.want, step.code)
		}
	}
	if out, _ := run(t, c, serial, "logcat", "-d"); !strings.Contains(out, "removed for user 0: com.brannock.tips") {
		t.Errorf("the log does not tell of the removal: %q", out)
	}
	if out, _ := run(t, c, serial, "shell", "dumpsys package"); len(out) < 100_000 || !strings.HasSuffix(out, "User 0:") {
		t.Errorf("dumpsys package is %d bytes, ending in %.60q", len(out), out[max(0, len(out)-60):])
	}
	transfers(t, c, serial, p)
	// What was removed stays removed over a restart, but for what comes back.
	run(t, c, serial, "shell", "pm uninstall --user 0 com.brannock.tips; pm uninstall --user 0 com.fieldnote.services")
	run(t, c, serial, "reboot")
	eventually(t, "it starts again", func() bool {
		back, _ := p.Installed("com.fieldnote.services")
		return back
	})
	until(t, c, serial, "device")
	for name, want := range map[string]bool{"com.brannock.tips": false, "com.fieldnote.services": true} {
		if got, known := p.Installed(name); got != want || !known {
			t.Errorf("after a restart %s is installed: %v", name, got)
		}
	}
}

// transfers pulls, pushes and installs with the real adb.
func transfers(t *testing.T, c *adb.Client, serial string, p *phone.Phone) {
	t.Helper()
	dir := t.TempDir()
	path, _ := run(t, c, serial, "shell", "pm path com.brannock.wallet.core")
	path = strings.TrimPrefix(path, "package:")
	apk := filepath.Join(dir, "wallet.apk")
	if out, code := run(t, c, serial, "pull", path, apk); code != 0 {
		t.Fatalf("pull %s: %s", path, out)
	}
	raw, err := os.ReadFile(apk)
	if err != nil {
		t.Fatal(err)
	}
	if f, err := android.ReadPackageFile(bytes.NewReader(raw), int64(len(raw))); err != nil || f.Labels["de"] != "Tasche" {
		t.Errorf("%+v, %v", f, err)
	}
	back := filepath.Join(dir, "back")
	for _, step := range []struct {
		args []string
		code int
		want string
	}{
		{[]string{"push", apk, "/sdcard/Download/wallet.apk"}, 0, "1 file pushed"},
		{[]string{"pull", "/sdcard/Download/wallet.apk", back}, 0, "1 file pulled"},
		{[]string{"push", apk, "/system/app/x.apk"}, 1, "Permission denied"},
		{[]string{"pull", "/sdcard/nothing", back}, 1, "No such file"},
		{[]string{"shell", "pm uninstall --user 0 com.brannock.wallet.core"}, 0, "Success"},
		{[]string{"install", apk}, 0, "Success"},
		{[]string{"root"}, 0, "cannot run as root"},
	} {
		if out, code := run(t, c, serial, step.args...); code != step.code || !strings.Contains(out, step.want) {
			t.Errorf("adb %v: %q with code %d", step.args, out, code)
		}
	}
	if got, err := os.ReadFile(back); err != nil || !bytes.Equal(got, raw) {
		t.Errorf("what was pushed comes back as %d bytes, not %d (%v)", len(got), len(raw), err)
	}
	if there, _ := p.Installed("com.brannock.wallet.core"); !there {
		t.Error("what was installed is not there")
	}
}

func TestPrompt(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	s := scenario(t)
	s.Prompt = "ask"
	p, serial := attach(t, c, s)
	until(t, c, serial, "unauthorized")
	list, err := c.Devices(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	seen := bench.See(list[0])
	if seen.Ready || !strings.Contains(seen.Wrong, "accept") || seen.Next == "" {
		t.Errorf("%+v", seen)
	}
	if _, err := bench.Capture(t.Context(), c, serial, func(bench.Progress) {}); err == nil {
		t.Error("a phone that was not accepted let itself be captured")
	}
	eventually(t, "it asks its owner", func() bool { return p.Accept() > 0 })
	until(t, c, serial, "device")
	// The key is known now: the next connection needs no prompt.
	p.Unplug()
	eventually(t, "an unplugged phone is listed as there no more", func() bool { return state(t, c, serial) != "device" })
	p.Plug()
	reconnect(t, c, serial)
}

func TestCapture(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	s := scenario(t)
	p, serial := attach(t, c, s)
	until(t, c, serial, "device")
	run(t, c, serial, "shell", "pm uninstall --user 0 com.brannock.tips; pm disable-user --user 0 com.brannock.clock")
	var steps []string
	got, err := bench.Capture(t.Context(), c, serial, func(p bench.Progress) { steps = append(steps, p.Asking) })
	if err != nil || !got.Complete || len(steps) != 4 {
		t.Fatalf("%v, %v, %s", err, steps, got.Missing)
	}
	if len(got.Packages) != len(s.Packages) || got.Identity.MarketName != "Lyra 5" || got.Identity.Serial != "BRNLY5A0417" || got.Identity.SDK != 35 {
		t.Errorf("%d packages of %d; %+v", len(got.Packages), len(s.Packages), got.Identity)
	}
	if notes, _ := got.Notes(); len(notes) != 0 {
		t.Errorf("not understood: %+v", notes)
	}
	by := map[android.PackageName]android.Package{}
	for _, x := range got.Packages {
		by[x.Name] = x
		if there, _ := p.Installed(string(x.Name)); there != x.Installed {
			t.Errorf("%s is installed: %v, the capture says %v", x.Name, there, x.Installed)
		}
	}
	wallet, browser, owner := by["com.brannock.wallet.core"], by["com.brannock.browser"], by["org.tidewater.checkin"]
	if wallet.SharedUser != "com.brannock.id" || !wallet.Privileged || !wallet.StartsAtBoot || fmt.Sprint(wallet.Provides, wallet.Uses) != "[com.brannock.wallet.api] [{com.android.se.api required}]" {
		t.Errorf("%+v", wallet)
	}
	if browser.SystemPath != "/product/app/BrannockBrowser" || browser.Partition != "product" || !browser.Preinstalled() || owner.Preinstalled() {
		t.Errorf("%+v\n%+v", browser, owner)
	}
	if by["com.brannock.clock"].Enabled != android.EnabledOffByUser || by["com.brannock.retaildemo"].Enabled != android.EnabledOff {
		t.Error("what is switched off is not told")
	}
}

func TestSession(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	_, serial := attach(t, c, scenario(t))
	until(t, c, serial, "device")
	s, err := services.Shell(t.Context(), c, serial)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for _, x := range []struct {
		command, out, errs string
		code               int
	}{
		{"echo one", "one\n", "", 0},
		{"printf no-line-ending", "no-line-ending", "", 0},
		{"printf ''", "", "", 0},
		{"echo bad >&2; false", "", "bad\n", 1},
		{"nonsense", "", "/system/bin/sh: nonsense: inaccessible or not found\n", 127},
		{"echo 'two\nlines'", "two\nlines\n", "", 0},
		{"getprop ro.product.device", "lyra5\n", "", 0},
	} {
		got, err := s.Run(x.command, 60*time.Second, 1<<20)
		if err != nil {
			t.Fatalf("%q: %v", x.command, err)
		}
		if string(got.Out) != x.out || string(got.Errs) != x.errs || got.Code != x.code {
			t.Errorf("%q: %q, %q, %d", x.command, got.Out, got.Errs, got.Code)
		}
	}
	if _, err := s.Run("dumpsys package", 60*time.Second, 1000); !errors.Is(err, services.ErrTooMuch) {
		t.Errorf("an answer over its limit: %v", err)
	}
}

func TestTrack(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	seen := make(chan string, 100)
	ctx, cancel := context.WithCancel(t.Context())
	done := make(chan error, 1)
	go func() {
		done <- c.Track(ctx, func(list []services.Device) error {
			var b bytes.Buffer
			for _, d := range list {
				fmt.Fprint(&b, d.State, " ")
			}
			seen <- b.String()
			return nil
		})
	}()
	attach(t, c, scenario(t))
	limit := time.After(3 * time.Minute)
	for {
		select {
		case s := <-seen:
			if strings.Contains(s, "device") {
				cancel()
				if err := <-done; !errors.Is(err, context.Canceled) {
					t.Errorf("%v", err)
				}
				return
			}
		case <-limit:
			t.Fatal("the phone never appeared")
		}
	}
}

func TestTrouble(t *testing.T) {
	t.Parallel()
	nobody := &adb.Client{Address: "127.0.0.1:1"}
	_, err := nobody.Devices(t.Context())
	if wrong, next := bench.Trouble(err); !errors.Is(err, services.ErrNoHost) || wrong == "" || !strings.Contains(next, "start-server") {
		t.Errorf("%v: %q, %q", err, wrong, next)
	}
	ln, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer ln.Close()
	go func() {
		for {
			conn, err := ln.Accept()
			if err != nil {
				return
			}
			conn.Write([]byte("HTTP/1.1 400 Bad Request\r\n"))
			conn.Close()
		}
	}()
	stranger := &adb.Client{Address: ln.Addr().String()}
	if _, err := stranger.Version(t.Context()); err == nil {
		t.Error("something that is no adb server was taken for one")
	}
	if _, err := stranger.Connect(t.Context(), "no address\nhost:kill"); err == nil || !strings.Contains(err.Error(), "not an address") {
		t.Errorf("a hostile address: %v", err)
	}
	if got := bench.Explain(&services.RefusedError{By: "the phone", Request: "sync:", Words: "closed"}); got != "The phone refused: closed." {
		t.Errorf("%q", got)
	}
	for _, state := range []string{
		"unauthorized", "offline", "no permissions", "recovery", "bootloader", "sideload", "claimed", "no driver", "refused", "something new",
	} {
		if s := bench.See(services.Device{Serial: "x", State: state}); s.Ready || s.Wrong == "" || s.Next == "" {
			t.Errorf("%s: %+v", state, s)
		}
	}
}
