package bench_test

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/google/uuid"

	"roster/bench"
	"roster/bench/adb"
	"roster/bench/adb/adbtest"
	"roster/bench/services"
	"roster/core/android"
	core "roster/core/run"
	"roster/demo"
	"roster/phone"
)

// recorder keeps what comes of requests.
type recorder struct {
	mu       sync.Mutex
	progress []any
	captures []*android.Capture
	serial   string
	names    []bench.Named
}

func (r *recorder) Tell(_ context.Context, progress any) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.progress = append(r.progress, progress)
	return nil
}

func (r *recorder) Captured(_ context.Context, serial string, c *android.Capture) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.captures, r.serial = append(r.captures, c), serial
	return nil
}

func (r *recorder) Named(_ context.Context, list []bench.Named) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.names = append(r.names, list...)
	return nil
}

func (r *recorder) Run(context.Context, uuid.UUID, core.Report) (core.Orders, error) {
	return core.Orders{}, core.ErrSuperseded
}

func (r *recorder) File(context.Context, uuid.UUID) (io.ReadCloser, error) {
	return nil, fs.ErrNotExist
}

func (r *recorder) last() any {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.progress) == 0 {
		return nil
	}
	return r.progress[len(r.progress)-1]
}

// setup is of a station with a key, and nothing that is kept.
func setup(host services.Host, hands ...bench.Hand) bench.Setup {
	return bench.Setup{Host: host, Key: []byte("key"), Hands: hands, Scratch: bench.Scratch, Log: slog.New(slog.DiscardHandler)}
}

// station is a station whose stand-ins can be held in the hand.
func station(t *testing.T, scenarios ...*phone.Scenario) (*bench.Station, []string) {
	t.Helper()
	c := adbtest.Start(t)
	var hands []bench.Hand
	var addresses []string
	ctx, cancel := context.WithCancel(context.Background())
	for _, s := range scenarios {
		p := phone.New(s, slog.New(slog.DiscardHandler))
		address, err := p.Listen(ctx, "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		h := httptest.NewServer(p.Hand())
		t.Cleanup(h.Close)
		hands = append(hands, bench.HandAt{Address: address, Control: h.Listener.Addr().String()})
		addresses = append(addresses, address)
	}
	s := bench.NewStation(setup(c, hands...))
	watched := make(chan bool)
	go func() {
		s.Watch(ctx)
		close(watched)
	}()
	t.Cleanup(func() { cancel(); <-watched })
	return s, addresses
}

// seen finds a phone in the station's view.
func seen(s *bench.Station, address string) bench.Phone {
	v, _ := s.View()
	for _, p := range v.Phones {
		if p.Address == address {
			return p
		}
	}
	return bench.Phone{}
}

func TestStation(t *testing.T) {
	t.Parallel()
	ask := scenario(t)
	ask.Prompt = "ask"
	s, at := station(t, scenario(t), ask)
	var r recorder
	do := func(request bench.Request) (any, error) {
		t.Helper()
		return s.Do(t.Context(), request, &r)
	}
	hand := func(action, with string) bench.StandIn {
		t.Helper()
		got, err := do(bench.Request{Kind: bench.KindHand, Address: at[0], Action: action, With: with})
		if err != nil {
			t.Fatalf("%s: %v", action, err)
		}
		return got.(bench.StandIn)
	}
	// Stand-ins are reached by themselves, each in its state.
	eventually(t, "the phone is known", func() bool { return seen(s, at[0]).Version == "15.0.0" })
	eventually(t, "the other asks its owner", func() bool { return seen(s, at[1]).State == "unauthorized" })
	first := seen(s, at[0])
	if first.Name != "Lyra 5" || !first.StandIn || first.Hardware != "BRNLY5A0417" || first.Handle == "" || strings.Contains(first.Handle, "127") {
		t.Errorf("%+v", first)
	}
	if _, err := do(bench.Request{Kind: bench.KindCapture, Phone: first.Handle}); err != nil || len(r.captures) != 1 || !r.captures[0].Complete || r.serial != "BRNLY5A0417" {
		t.Errorf("%v, %d captures", err, len(r.captures))
	}
	for _, bad := range []bench.Request{{Kind: "shell", Phone: first.Handle}, {Kind: bench.KindCapture, Phone: at[0]}, {Kind: bench.KindHand, Address: "127.0.0.1:1", Action: "accept"}, {Kind: bench.KindHand, Address: at[0], Action: "explode"}} {
		if got, err := do(bad); err == nil {
			t.Errorf("%+v was done: %v", bad, got)
		}
	}

	// What is this app?
	ctx, stop := context.WithCancel(t.Context())
	watched := make(chan any, 1)
	go func() {
		got, _ := s.Do(ctx, bench.Request{Kind: bench.KindWatch, Phone: first.Handle}, &r)
		watched <- got
	}()
	eventually(t, "it watches", func() bool { _, ok := r.last().(bench.WatchProgress); return ok })
	hand("open", "com.fieldnote.chirrup")
	eventually(t, "the app is told", func() bool {
		p, _ := r.last().(bench.WatchProgress)
		return len(p.Opened) == 1 && p.Opened[0].Package == "com.fieldnote.chirrup" && len(p.Opened[0].Started) == 2
	})
	stop()
	if got := (<-watched).(bench.WatchProgress); len(got.Opened) != 1 {
		t.Errorf("%+v", got)
	}

	// Names, with what can't be read named.
	wanted := []bench.Wanted{{Name: "com.brannock.wallet.core", VersionCode: 7}, {Name: "com.nobody.has.it"}}
	if _, err := do(bench.Request{Kind: bench.KindNames, Phone: first.Handle, Wanted: wanted}); err != nil {
		t.Fatal(err)
	}
	if len(r.names) != 2 || r.names[0].Labels["de"] != "Tasche" || r.names[0].VersionCode != 7 || android.PictureType(r.names[0].Icon) != "image/png" || r.names[1].Problem == "" {
		t.Errorf("%+v", r.names)
	}

	lost := make(chan error, 1)
	// The hand: lock code, update, cable.
	if got := hand("lock", ""); !got.LockCode {
		t.Errorf("%+v", got)
	}
	hand("update", "")
	eventually(t, "the update is in", func() bool { return seen(s, at[0]).Version == "15.0.1" })
	var watch recorder
	go func() {
		_, err := s.Do(t.Context(), bench.Request{Kind: bench.KindWatch, Phone: first.Handle}, &watch)
		lost <- err
	}()
	eventually(t, "it watches again", func() bool { return watch.last() != nil })
	hand("unplug", "")
	if err := <-lost; !errors.Is(err, services.ErrGone) {
		t.Errorf("a watch whose phone went away: %v", err)
	}
	eventually(t, "it is gone", func() bool { p := seen(s, at[0]); return !p.Ready })
	hand("plug", "")
	eventually(t, "it is back", func() bool { return seen(s, at[0]).Version == "15.0.1" })
	eventually(t, "it asks, and is accepted", func() bool {
		_, err := do(bench.Request{Kind: bench.KindHand, Address: at[1], Action: "accept"})
		return err == nil
	})
	eventually(t, "the other is accepted", func() bool { return seen(s, at[1]).Ready })
}

// TestEndedLog kills the log of a phone that stays: nobody may go on opening
// apps that nothing sees.
func TestEndedLog(t *testing.T) {
	t.Parallel()
	sc := scenario(t)
	sc.Faults = []phone.Fault{{Command: "logcat", AfterBytes: 20, Do: "end"}}
	s, at := station(t, sc)
	eventually(t, "it is there", func() bool { return seen(s, at[0]).Ready })
	var r recorder
	_, err := s.Do(t.Context(), bench.Request{Kind: bench.KindWatch, Phone: seen(s, at[0]).Handle}, &r)
	if err == nil || errors.Is(err, services.ErrGone) || !strings.Contains(err.Error(), "log") {
		t.Errorf("%v", err)
	}
}

// TestUpdateOfAPhone takes the firmware update of the sample world: six come
// back, four are new, one is renamed.
func TestUpdateOfAPhone(t *testing.T) {
	t.Parallel()
	p := phone.New(scenario(t), slog.New(slog.DiscardHandler))
	before := p.InstalledNames()
	back := []string{"com.brannock.tips", "com.brannock.feed.daily", "com.brannock.games.hub", "com.brannock.kids", "com.brannock.cloudroll"}
	for _, name := range back {
		p.Ask(t.Context(), "pm uninstall --user 0 "+name)
	}
	p.Ask(t.Context(), "pm uninstall --user 0 com.brannock.notes")
	if err := p.TakeUpdate(); err != nil {
		t.Fatal(err)
	}
	after := p.InstalledNames()
	for _, name := range back {
		if !slices.Contains(after, name) {
			t.Errorf("%s did not come back", name)
		}
	}
	if slices.Contains(after, "com.brannock.notes") {
		t.Error("what stays away came back")
	}
	var fresh []string
	for _, name := range after {
		if !slices.Contains(before, name) && !slices.Contains(back, name) {
			fresh = append(fresh, name)
		}
	}
	if len(fresh) != 5 || slices.Contains(after, "com.brannock.music") || !slices.Contains(fresh, "com.brannock.tunes") {
		t.Errorf("new are %v", fresh)
	}
	if err := p.TakeUpdate(); err == nil {
		t.Error("an update out of nothing")
	}
}

// TestNoStart sets a lock code on a phone whose vault is gone.
func TestNoStart(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	s := scenario(t)
	p, serial := attach(t, c, s)
	until(t, c, serial, "device")
	run(t, c, serial, "shell", "pm uninstall --user 0 com.brannock.vaultkeeper")
	p.Restart()
	if got := p.Condition().Stuck; got != "" {
		t.Errorf("without a lock code: %s", got)
	}
	if err := p.Do("lock", ""); err != nil {
		t.Fatal(err)
	}
	p.Restart()
	if got := p.Condition().Stuck; !strings.Contains(got, "vaultkeeper") {
		t.Errorf("with a lock code: %q", got)
	}
	eventually(t, "adb sees nothing ready", func() bool { return state(t, c, serial) != "device" })
	if err := p.Do("reset", ""); err != nil {
		t.Fatal(err)
	}
	reconnect(t, c, serial)
	if there, _ := p.Installed("com.brannock.vaultkeeper"); !there {
		t.Error("a reset did not bring it back")
	}
}

// TestOtherUsers keeps what is another user's apart.
func TestOtherUsers(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	s := scenario(t)
	s.Users = []int{10}
	_, serial := attach(t, c, s)
	until(t, c, serial, "device")
	run(t, c, serial, "shell", "pm uninstall --user 10 com.brannock.tips; pm disable-user --user 10 com.brannock.clock")
	for command, want := range map[string]string{
		"pm list packages com.brannock.tips":           "package:com.brannock.tips",
		"pm list packages --user 10 com.brannock.tips": "",
		"pm list packages -d --user 0":                 "package:com.brannock.retaildemo",
		"pm list packages --user 11 2>&1":              "Error: java.lang.SecurityException: Shell does not have permission to access user 11",
	} {
		if out, _ := run(t, c, serial, "shell", command); out != want {
			t.Errorf("%s: %q", command, out)
		}
	}
	if out, _ := run(t, c, serial, "shell", "pm list packages -d --user 10"); !strings.Contains(out, "com.brannock.clock") {
		t.Errorf("%q", out)
	}
	if out, _ := run(t, c, serial, "shell", "pm list packages -U --user 10 com.brannock.notes"); !strings.Contains(out, " uid:10") {
		t.Errorf("%q", out)
	}
	got, err := bench.Capture(t.Context(), c, serial, func(bench.Progress) {})
	if err != nil || got.Phone.Users != 2 {
		t.Fatalf("%v", err)
	}
	for _, x := range got.Packages {
		if x.Name == "com.brannock.tips" && !x.Installed {
			t.Error("what another user removed is gone for the first")
		}
	}
}

// ofVersion is an adb server of some version that ends every other connection at
// once.
func ofVersion(t *testing.T, version string) *adb.Client {
	return adbtest.Fake(t, func(request string) (string, bool) { return version, request == "host:version" })
}

// TestServerTroubles explains what may be wrong with the adb server.
func TestServerTroubles(t *testing.T) {
	t.Parallel()
	for err, want := range map[error]string{services.ErrNoHost: "No adb server", services.ErrNotADB: "port is taken", services.ErrGone: "hangs up"} {
		if wrong, next := bench.Trouble(err); !strings.Contains(wrong, want) || next == "" {
			t.Errorf("%v: %s %s", err, wrong, next)
		}
	}
	for _, answer := range []struct{ version, want string }{{"0012", "too old"}, {"zzzz", "can't be used"}} {
		s := bench.NewStation(setup(ofVersion(t, answer.version)))
		ctx, cancel := context.WithCancel(t.Context())
		go s.Watch(ctx)
		eventually(t, answer.want, func() bool { v, _ := s.View(); return strings.Contains(v.Wrong, answer.want) && v.Next != "" })
		cancel()
	}
	// A server that is ended again and again.
	s := bench.NewStation(setup(ofVersion(t, "0029")))
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	go s.Watch(ctx)
	eventually(t, "two tools fight", func() bool { v, _ := s.View(); return strings.Contains(v.Wrong, "two tools fight") })
}

// TestOldPhones captures phones of before Android 10, which refuse some of
// the questions: nothing of it is an error.
func TestOldPhones(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	for sdk, release := range map[string]string{"26": "8.0.0", "28": "9"} {
		s := &phone.Scenario{Name: release, Serial: "OLD" + sdk, Prompt: "none", Model: "models/nib-2.yaml", Build: "Lakeline 11.2.0",
			Properties: map[string]string{"ro.build.version.sdk": sdk, "ro.build.version.release": release}}
		s, err := phone.Composed(demo.World, s)
		if err != nil {
			t.Fatal(err)
		}
		_, serial := attach(t, c, s)
		until(t, c, serial, "device")
		got, err := bench.Capture(t.Context(), c, serial, func(bench.Progress) {})
		if err != nil || !got.Complete {
			t.Fatalf("Android %s: %v, %s", release, err, got.Missing)
		}
		if notes, _ := got.Notes(); len(notes) > 0 {
			t.Errorf("Android %s: not understood: %+v", release, notes[0])
		}
		refused := 0
		for _, r := range got.Reports {
			if r.Refused != "" {
				refused++
			}
		}
		if len(got.Packages) != len(s.Packages) || refused == 0 || len(got.Phone.Keyboards) == 0 || got.Packages[0].Path == "" {
			t.Errorf("Android %s: %d packages of %d, %d refused, %+v", release, len(got.Packages), len(s.Packages), refused, got.Phone)
		}
	}
}

// TestDiskFull pushes and installs on a phone that has no room.
func TestDiskFull(t *testing.T) {
	t.Parallel()
	c := adbtest.Start(t)
	s := scenario(t)
	s.DiskFull = true
	_, serial := attach(t, c, s)
	until(t, c, serial, "device")
	apk := filepath.Join(t.TempDir(), "x.apk")
	path, _ := run(t, c, serial, "shell", "pm path com.brannock.clock")
	if out, code := run(t, c, serial, "pull", strings.TrimPrefix(path, "package:"), apk); code != 0 {
		t.Fatal(out)
	}
	for _, args := range [][]string{{"push", apk, "/sdcard/x.apk"}, {"install", apk}} {
		if out, code := run(t, c, serial, args...); code == 0 || !strings.Contains(out, "No space left") && !strings.Contains(out, "INSUFFICIENT_STORAGE") {
			t.Errorf("adb %v: %q with code %d", args, out, code)
		}
	}
}

// TestAlikePhones: two phones that tell adb one serial number are said to be
// alike, and neither is asked for anything.
func TestAlikePhones(t *testing.T) {
	t.Parallel()
	const list = "0123456789ABCDEF device usb:1-1 model:Fen transport_id:1\n0123456789ABCDEF device usb:1-2 model:Fen transport_id:2\nONE device usb:1-3 model:Nib_2 transport_id:3\n"
	c := adbtest.Fake(t, func(request string) (string, bool) {
		return map[string]string{"host:version": "0029", "host:devices-l": list, "host:track-devices-l": list}[request], request == "host:version" || strings.HasSuffix(request, "devices-l")
	})
	s := bench.NewStation(setup(c))
	ctx, cancel := context.WithCancel(t.Context())
	defer cancel()
	go s.Watch(ctx)
	eventually(t, "three phones", func() bool { v, _ := s.View(); return len(v.Phones) == 3 })
	v, _ := s.View()
	for i, p := range v.Phones {
		if p.Ready != (i == 2) || i < 2 && (!strings.Contains(p.Wrong, "same serial number") || p.Next == "") {
			t.Errorf("%+v", p)
		}
	}
}
