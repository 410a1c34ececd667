package phone

import (
	"bytes"
	"errors"
	"io"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"
)

// TestSplits: a package of several files names them all, and hands each out.
func TestSplits(t *testing.T) {
	s, err := load(t, handled)
	if err != nil {
		t.Fatal(err)
	}
	s.Packages[0].Splits = []string{"config.en", "config.arm64_v8a"}
	p := New(s, slog.New(slog.DiscardHandler))
	out := string(p.Ask(t.Context(), "pm path com.example.home"))
	lines := strings.Fields(out)
	if len(lines) != 3 || !strings.HasSuffix(lines[1], "/split_config.en.apk") {
		t.Fatalf("%q", out)
	}
	sizes := map[int]bool{}
	for _, l := range lines {
		data, ok := p.file(strings.TrimPrefix(l, "package:"))
		if !ok || len(data) == 0 {
			t.Errorf("%s is not there", l)
		}
		sizes[len(data)] = true
	}
	if len(sizes) != 3 {
		t.Error("two parts are the same file")
	}
}

// TestInstallSession plays adb's installation of several files.
func TestInstallSession(t *testing.T) {
	p := held(t)
	p.Ask(t.Context(), "pm uninstall --user 0 com.example.other")
	ask := func(line, want string) {
		t.Helper()
		if got := strings.TrimSpace(string(p.Ask(t.Context(), line+" 2>&1"))); got != want {
			t.Errorf("%s: %q, want %q", line, got, want)
		}
	}
	write := func(session int, name string, data []byte) {
		p.mu.Lock()
		defer p.mu.Unlock()
		p.sessions[session][name] = data
	}
	ask("pm install-create -r -S 100", "Success: created install session [1000]")
	ask("pm install-commit 1000", "Failure [INSTALL_FAILED_INVALID_APK: full install must include a base package]")
	ask("pm install-commit 1000", "Error: java.lang.SecurityException: Caller has no access to session 1000")
	ask("pm install-create -r -S 100", "Success: created install session [1000]")
	write(1000, "base.apk", packageFile(p.byName["com.example.other"]))
	write(1000, "split_config.en.apk", []byte("x"))
	ask("pm install-commit 1000", "Success")
	if installed, _ := p.Installed("com.example.other"); !installed {
		t.Error("it is not there")
	}
	ask("pm install-create", "Success: created install session [1000]")
	ask("pm install-abandon 1000", "Success")
	for request, want := range map[string]struct {
		size    int64
		session int
		name    string
		ok      bool
	}{
		"cmd package 'install' -r '-S' 120":                           {120, 0, "", true},
		"cmd package install-write -S 120 1000 split_config.en.apk -": {120, 1000, "split_config.en.apk", true},
		"cmd package install-write -S x 1000 a -":                     {0, 1000, "a", false},
		"cmd package list":                                            {0, 0, "", false},
		"rm -rf / -S 12":                                              {0, 0, "", false},
	} {
		size, session, name, ok := streamedInstall(request)
		if ok != want.ok || ok && (size != want.size || session != want.session || name != want.name) {
			t.Errorf("%s: %d %d %q %t", request, size, session, name, ok)
		}
	}
}

// TestTakenOff counts what went, and nothing that did not.
func TestTakenOff(t *testing.T) {
	p := held(t)
	p.Ask(t.Context(), "pm uninstall --user 0 com.example.other; pm uninstall --user 0 com.example.other; pm uninstall --user 0 com.example.boss; pm disable-user --user 0 com.example.talk")
	if got := p.TakenOff(); len(got) != 2 || got["com.example.other"] != 1 || got["com.example.talk"] != 1 {
		t.Errorf("%v", got)
	}
	if off := p.OffNames(); len(off) != 1 || off[0] != "com.example.talk" {
		t.Errorf("%v", off)
	}
	before := string(p.Ask(t.Context(), "settings get global boot_count"))
	p.Restart()
	if now := string(p.Ask(t.Context(), "settings get global boot_count")); now == before {
		t.Errorf("a restart is not counted: %s", now)
	}
}

// slowWriter takes its time, and fails when it is told to.
type slowWriter struct {
	mu   sync.Mutex
	got  bytes.Buffer
	fail error
}

func (w *slowWriter) Write(b []byte) (int, error) {
	time.Sleep(time.Millisecond)
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.fail != nil {
		return 0, w.fail
	}
	return w.got.Write(b)
}

// TestPipe: nothing is lost or turned round, what is said goes on while it is
// on its way, and whoever says too much waits.
func TestPipe(t *testing.T) {
	w := &slowWriter{}
	p := newPipe(w)
	var want bytes.Buffer
	w.mu.Lock() // nothing arrives, and saying it goes on all the same
	for i := range 200 {
		line := strings.Repeat(string(rune('a'+i%26)), 10) + "\n"
		io.WriteString(p, line)
		want.WriteString(line)
	}
	w.mu.Unlock()
	errs := after{p, w}
	io.WriteString(errs, "an error\n")
	want.WriteString("an error\n")
	io.WriteString(p, "the end")
	want.WriteString("the end")
	p.Close()
	if w.got.String() != want.String() {
		t.Errorf("%d bytes arrived, want %d in their order", w.got.Len(), want.Len())
	}
	w.got.Reset()
	p = newPipe(w)
	big := bytes.Repeat([]byte("x"), 3*pipeHolds)
	for len(big) > 0 {
		n, err := p.Write(big[:1000])
		if err != nil || n != 1000 {
			t.Fatal(n, err)
		}
		big = big[1000:]
		if len(big) < 1000 {
			break
		}
	}
	p.Close()
	w.mu.Lock()
	w.fail = errors.New("the cable is out")
	w.mu.Unlock()
	p = newPipe(w)
	io.WriteString(p, "lost")
	p.flush()
	if _, err := io.WriteString(p, "more"); err == nil {
		t.Error("it talks into a cable that is out")
	}
	p.Close()
}
