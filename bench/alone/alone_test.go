package alone_test

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"aead.dev/minisign"
	"github.com/google/uuid"

	"roster/bench"
	"roster/bench/adb"
	"roster/bench/adb/adbtest"
	"roster/bench/alone"
	"roster/bench/services"
	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/run"
	"roster/demo"
	"roster/phone"
)

// room is a stand-in under a real adb server, and a bench with no server that has
// a signed release for it.
type room struct {
	t     *testing.T
	adb   *adb.Client
	phone *phone.Phone
	at    string
	files bench.Files
	told  chan struct{} // something has changed
	*alone.Bench
}

func enter(t *testing.T, release *profile.Document) *room {
	t.Helper()
	s, err := phone.Load(demo.World, "phones/lyra-5-desk.yaml")
	if err != nil {
		t.Fatal(err)
	}
	s.Prompt, s.RestartTakes = "none", 300*time.Millisecond
	r := &room{t: t, adb: adbtest.Start(t), phone: phone.New(s, slog.New(slog.DiscardHandler)), files: bench.Folder(t.TempDir()), told: make(chan struct{}, 1)}
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	if r.at, err = r.phone.Listen(ctx, "127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	if _, err := r.adb.Connect(ctx, r.at); err != nil {
		t.Fatal(err)
	}
	r.open()
	opened, err := sign(t, release)
	if err != nil {
		t.Fatal(err)
	}
	r.Release(opened, "/r/brannock/lyra-5/quiet/1")
	return r
}

// connect has the adb server reach the phone again. It may take the cable that fell
// out for a connection that still stands, and then says so, and reaches nothing.
func (r *room) connect() {
	r.t.Helper()
	late := time.After(3 * time.Minute)
	for {
		words, err := r.adb.Connect(r.t.Context(), r.at)
		list, listed := r.adb.Devices(r.t.Context())
		if listed == nil && slices.ContainsFunc(list, func(d services.Device) bool { return d.Serial == r.at && d.State == "device" }) {
			// It still stands if the phone answers.
			if session, err := services.Shell(r.t.Context(), r.adb, r.at); err == nil {
				_, err = session.Run("true", time.Minute, 100)
				session.Close()
				if err == nil {
					return
				}
			}
		}
		if slices.ContainsFunc(list, func(d services.Device) bool { return d.Serial == r.at && d.State == "offline" }) {
			r.adb.Disconnect(r.t.Context(), r.at)
		}
		select {
		case <-late:
			r.t.Fatalf("the phone is not reached again: %s, %v, %v, %v", words, err, list, listed)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// open is the page loaded anew.
func (r *room) open() {
	ctx, cancel := context.WithCancel(context.Background())
	watched := make(chan bool)
	station := bench.NewStation(bench.Setup{Host: r.adb, Key: []byte("key"), Log: slog.New(slog.DiscardHandler)})
	go func() { station.Watch(ctx); close(watched) }()
	r.t.Cleanup(func() { cancel(); <-watched })
	r.Bench = &alone.Bench{Station: station, Files: r.files, Key: []byte("key"), Salt: []byte("salt"), Changed: func() {
		select {
		case r.told <- struct{}{}:
		default:
		}
	}}
	if err := r.Open(); err != nil {
		r.t.Fatal(err)
	}
}

// until waits until something is so.
func (r *room) until(what string, so func(alone.View) bool) alone.View {
	r.t.Helper()
	late := time.After(3 * time.Minute)
	for {
		_, changed := r.Station.View()
		v := r.View()
		if so(v) {
			return v
		}
		select {
		case <-changed:
		case <-r.told:
		case <-late:
			r.t.Fatalf("never: %s: %+v", what, v.Runs)
		}
	}
}

// handle is that of the phone, once it is known.
func (r *room) handle() string {
	v := r.until("the phone is known", func(v alone.View) bool { return len(v.Phones) == 1 && v.Phones[0].Mark != "" })
	if v.Phones[0].Hardware != "" {
		r.t.Error("the serial number reaches the page")
	}
	return v.Phones[0].Handle
}

func (r *room) ended() alone.RunView {
	v := r.until("it ends", func(v alone.View) bool {
		return v.Doing == "" && len(v.Runs) > 0 && v.Runs[len(v.Runs)-1].State != run.Going
	})
	return v.Runs[len(v.Runs)-1]
}

// has reports whether the phone has a package, over a session of its own.
func (r *room) has(name string) bool {
	session, err := services.Shell(r.t.Context(), r.adb, r.at)
	if err != nil {
		r.t.Fatal(err)
	}
	defer session.Close()
	answer, err := session.Run("pm list packages --user 0", time.Minute, 1<<20)
	if err != nil {
		r.t.Fatal(err)
	}
	return slices.Contains(strings.Fields(string(answer.Out)), "package:"+name)
}

func removal(n int, name, function string) profile.Step {
	s := profile.Step{Number: n, Kind: profile.Remove, Method: evidence.RemoveForUser, Package: android.PackageName(name)}
	if function != "" {
		s.Costs = []string{function}
	}
	return s
}

const fingerprint = "brannock/lyra5/lyra5:15/1/1:user/release-keys"

func release(steps ...profile.Step) *profile.Document {
	return &profile.Document{
		Format: profile.DocumentFormat, Maker: profile.Maker{Slug: "brannock", Name: "Brannock", Manufacturer: "Brannock"},
		Model:   profile.Model{Slug: "lyra-5", Name: "Lyra 5", Device: "lyra5", Form: "phone"},
		Edition: profile.Edition{Slug: "quiet", Name: "Quiet"}, Number: 1, Builds: []profile.Build{{Fingerprint: fingerprint}}, Steps: steps,
	}
}

// sign signs a release with a key of its own, and opens it; spoil changes what was
// signed.
func sign(t *testing.T, d *profile.Document, spoil ...func(document, signature []byte, key string) ([]byte, []byte, string)) (*alone.Release, error) {
	t.Helper()
	raw, err := d.Canonical()
	if err != nil {
		t.Fatal(err)
	}
	public, private, err := minisign.GenerateKey(rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	signature, key := minisign.Sign(private, raw), public.String()
	status := fmt.Sprintf(`{"state": "current", "sha256": %q}`, profile.Digest(raw))
	for _, change := range spoil {
		raw, signature, key = change(raw, signature, key)
	}
	return alone.OpenRelease(raw, signature, key, []byte(status))
}

var anyway = run.Choices{Anyway: true, NoRestart: true}

func TestRelease(t *testing.T) {
	t.Parallel()
	d := release(removal(1, "com.brannock.tips", ""))
	type change = func(document, signature []byte, key string) ([]byte, []byte, string)
	for what, spoil := range map[string]change{
		"a changed release": func(d, s []byte, k string) ([]byte, []byte, string) {
			return []byte(strings.Replace(string(d), "tips", "keys", 1)), s, k
		},
		"another signature": func(d, s []byte, k string) ([]byte, []byte, string) { return d, []byte("x"), k },
		"no key":            func(d, s []byte, k string) ([]byte, []byte, string) { return d, s, "RWQx" },
	} {
		if _, err := sign(t, d, spoil); !errors.Is(err, alone.ErrSignature) {
			t.Errorf("%s: %v", what, err)
		}
	}
	r, err := sign(t, d)
	if err != nil {
		t.Fatal(err)
	}
	told := func(more string) run.Rehearsal {
		if err := r.Tell([]byte(fmt.Sprintf(`{"sha256": %q, %s}`, r.Digest, more))); err != nil {
			t.Error(err)
		}
		sub := run.Subject{Identity: android.Identity{Fingerprint: fingerprint}}
		sub.Net = alone.NetOf(&android.Capture{})
		return r.Rehearse(sub, run.Choices{})
	}
	for more, want := range map[string]string{
		`"state": "withdrawn", "reason": "it breaks calls"`:                                                  "it breaks calls",
		`"state": "current", "notFor": [{"fingerprint": "` + fingerprint + `", "version": "1", "why": "y"}]`: "not for 1: y",
	} {
		if stops := run.StopWords(told(more).Stops); !strings.Contains(stops, want) {
			t.Errorf("%s: %s", more, stops)
		}
	}
	if err := r.Tell([]byte(`{"sha256": "of another", "state": "current"}`)); err == nil {
		t.Error("what is said of another release is taken")
	}
}

// TestAlone does a release on a phone, puts a function back, then the rest, with
// the page closed in between.
func TestAlone(t *testing.T) {
	t.Parallel()
	r := enter(t, release(removal(1, "com.brannock.tips", ""), removal(2, "app.basketree.deals", "calendar"), removal(3, "com.brannock.devicecare", "")))
	handle := r.handle()
	if _, err := r.Start(t.Context(), anyway); err == nil {
		t.Error("it is begun with no phone read")
	}
	first, err := r.Read(t.Context(), handle)
	if err != nil {
		t.Fatal(err)
	}
	if len(first.Questions) != 0 || first.Count.Goes != 3 || len(first.Stops) != 1 || first.Stops[0].Code != run.OtherFirmware {
		t.Fatalf("%+v", first)
	}
	if kept, err := r.Rehearse(run.Choices{Anyway: true, Keep: []string{"calendar"}}); err != nil || kept.Count.LeftOut != 1 || kept.Count.Goes != 2 {
		t.Errorf("%+v, %v", kept.Count, err)
	}
	if c, err := r.Captured(); err != nil || c.Packages == 0 || c.Told == "" || !strings.Contains(c.Text, `"roster-capture/1"`) || strings.Contains(c.Text, "BRNLY5") {
		t.Errorf("%.300s, %v", c.Text, err)
	}
	id, err := r.Start(t.Context(), anyway)
	if err != nil {
		t.Fatal(err)
	}
	one := r.ended()
	if one.State != run.Finished || fmt.Sprint(one.Off) != "[com.brannock.tips app.basketree.deals]" || fmt.Sprint(one.Functions) != "[calendar]" {
		t.Fatalf("%s (%s): %v, %v", one.State, one.Why, one.Off, one.Functions)
	}
	if r.has("app.basketree.deals") || !r.has("com.brannock.devicecare") {
		t.Error("the phone has something else than the journal says")
	}
	r.open() // the page is closed, and opened again another day
	r.handle()
	if err := r.PutBack(t.Context(), id, alone.Back{Functions: []string{"calendar"}}); err != nil {
		t.Fatal(err)
	}
	if one = r.ended(); !r.has("app.basketree.deals") || r.has("com.brannock.tips") || fmt.Sprint(one.Off) != "[com.brannock.tips]" {
		t.Errorf("%s: %v", one.State, one.Off)
	}
	if err := r.PutBack(t.Context(), id, alone.Back{Functions: []string{"payments"}}); !errors.Is(err, run.ErrNothingLeft) {
		t.Errorf("a function that it does not cost: %v", err)
	}
	if err := r.PutBack(t.Context(), id, alone.Back{}); err != nil {
		t.Fatal(err)
	}
	if one = r.ended(); one.State != run.BackAsItWas || !r.has("com.brannock.tips") {
		t.Errorf("%s: %v", one.State, one.Off)
	}
	if err := r.Continue(t.Context(), uuid.New()); err == nil {
		t.Error("a run that there is not goes on")
	}
}

// TestCutOff pulls the cable in the middle, and loses the page as well; the log
// of what was done undoes it on another computer.
func TestCutOff(t *testing.T) {
	t.Parallel()
	r := enter(t, release(removal(1, "com.brannock.tips", ""), removal(2, "app.basketree.deals", ""), removal(3, "app.basketree.shop", "")))
	if _, err := r.Read(t.Context(), r.handle()); err != nil {
		t.Fatal(err)
	}
	if err := r.phone.Do("loosen", "6"); err != nil {
		t.Fatal(err)
	}
	id, err := r.Start(t.Context(), anyway)
	if err != nil {
		t.Fatal(err)
	}
	one := r.ended()
	if one.State != run.Interrupted || one.Why == "" {
		t.Fatalf("%s: %s", one.State, one.Why)
	}
	if err := r.PutBack(t.Context(), id, alone.Back{}); err == nil {
		t.Error("it is put back with no phone")
	}
	if err := r.phone.Do("plug", ""); err != nil {
		t.Fatal(err)
	}
	r.open()
	r.connect()
	handle := r.handle()
	if err := r.Continue(t.Context(), id); err != nil {
		t.Fatal(err)
	}
	if one = r.ended(); one.State != run.Finished || len(one.Off) != 3 || one.Open {
		t.Fatalf("%s (%s): %v", one.State, one.Why, one.Off)
	}
	log, err := r.Log(id)
	if err != nil || strings.Count(log, "done\tremove-for-user\t") != 3 {
		t.Fatalf("%s, %v", log, err)
	}
	r.files = bench.Folder(t.TempDir()) // another computer
	r.open()
	r.handle()
	forged := log + "done\tremove-for-user\tcom.x;reboot\t\n" + "setting\tglobal\t$(reboot)\t1\n"
	taken, read, err := r.FromLog(forged, handle)
	if err != nil || len(read.LeftOut) < 2 {
		t.Fatalf("%v, %v", read.LeftOut, err)
	}
	if err := r.PutBack(t.Context(), taken, alone.Back{}); err != nil {
		t.Fatal(err)
	}
	if one = r.ended(); one.State != run.BackAsItWas || !r.has("app.basketree.shop") || !r.has("com.brannock.tips") {
		t.Errorf("%s (%s): %v", one.State, one.Why, one.Steps)
	}
	for what, text := range map[string]string{
		"something else": "hello",
		"nothing done":   run.LogFormat + "\n",
		"too long":       run.LogFormat + strings.Repeat("\n", 2<<20),
	} {
		if _, _, err := r.FromLog(text, handle); err == nil {
			t.Errorf("%s is taken for a log", what)
		}
	}
}

// TestNotWritten: what can't be written down is not done.
func TestNotWritten(t *testing.T) {
	t.Parallel()
	r := enter(t, release(removal(1, "com.brannock.tips", "")))
	if _, err := r.Read(t.Context(), r.handle()); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(t.TempDir(), "file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	r.Files = bench.Folder(file) // no folder
	if _, err := r.Start(t.Context(), anyway); err == nil || len(r.View().Runs) != 0 || !r.has("com.brannock.tips") {
		t.Errorf("%v", err)
	}
	raw, err := json.Marshal(r.View())
	if err != nil || strings.Contains(string(raw), "null") && strings.Contains(string(raw), `"runs":null`) {
		t.Errorf("%s, %v", raw, err)
	}
}
