package phone

import (
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"testing/fstest"
)

const handled = `
name: held
serial: S1
prompt: none
lockCode: true
properties: {ro.build.version.release: "14", ro.build.version.sdk: "34", ro.product.device: small}
packages:
  - {name: com.example.home, dir: /system/app, version: "1", roles: [HOME], label: Home}
  - {name: com.example.other, dir: /system/app, version: "1", roles: [HOME], label: Other}
  - {name: com.example.keys, dir: /system/app, version: "1", keyboard: true}
  - {name: com.example.talk, dir: /system/app, version: "1", keyboard: true}
  - {name: com.example.view, dir: /system/app, version: "9", webView: true}
  - {name: com.example.boss, dir: /system/app, version: "1", guard: administrator}
  - {name: com.example.skin, dir: /product/overlay, version: "1", overlays: com.example.home}
  - {name: com.example.orphan, dir: /product/overlay, version: "1", overlays: com.example.nothing}
`

func held(t *testing.T) *Phone {
	t.Helper()
	s, err := load(t, handled)
	if err != nil {
		t.Fatal(err)
	}
	return New(s, slog.New(slog.DiscardHandler))
}

// TestServices asks what the phone says of itself, as its state changes.
func TestServices(t *testing.T) {
	p := held(t)
	ask := func(line, want string) {
		t.Helper()
		if got := string(p.Ask(t.Context(), line)); got != want {
			t.Errorf("%s: %q, want %q", line, got, want)
		}
	}
	ask("cmd role get-role-holders --user 0 android.app.role.HOME", "com.example.home\n")
	ask("cmd role add-role-holder --user 0 android.app.role.HOME com.example.other; cmd role get-role-holders android.app.role.HOME", "com.example.other\n")
	ask("pm uninstall --user 0 com.example.other; cmd role get-role-holders android.app.role.HOME", "Success\ncom.example.home\n")
	ask("cmd role add-role-holder android.app.role.HOME com.example.keys || echo no", "no\n")
	ask("cmd package query-activities --brief -a android.intent.action.MAIN -c android.intent.category.HOME | wc -l 2>/dev/null; cmd package resolve-activity --brief -c android.intent.category.HOME -a x",
		"priority=0 preferredOrder=0 match=0x108000 specificIndex=-1 isDefault=true\ncom.example.home/.Main\n")
	ask("cmd package query-activities --brief -a android.intent.action.DIAL", "No activities found\n")
	ask("ime list -s -a", "com.example.keys/.InputService\ncom.example.talk/.InputService\n")
	ask("settings get secure default_input_method", "com.example.keys/.InputService\n")
	ask("pm disable-user --user 0 com.example.keys >/dev/null; settings get secure default_input_method", "com.example.talk/.InputService\n")
	ask("cmd overlay list", "com.example.home\n[x] com.example.skin\n\n")
	ask("locksettings verify || echo set", "Old password '' didn't match\nset\n")
	ask("dumpsys webviewupdate", "Current WebView Update Service state\n  Multiprocess enabled: true\n  Current WebView package (name, version): (com.example.view, 9)\n")
	if got := string(p.Ask(t.Context(), "dumpsys device_policy")); !strings.Contains(got, "    com.example.boss/.Administrator:\n") {
		t.Errorf("%q", got)
	}
	ask("stat -c '%s %n' /sdcard/nothing || echo none", "none\n")
	if got := string(p.Ask(t.Context(), "dumpsys overlay")); !strings.Contains(got, "STATE_MISSING_TARGET") {
		t.Errorf("%q", got)
	}
}

func TestHand(t *testing.T) {
	p := held(t)
	server := httptest.NewServer(p.Hand())
	defer server.Close()
	do := func(action string) (int, string) {
		t.Helper()
		a, err := http.Post(server.URL+"/"+action, "", nil)
		if err != nil {
			t.Fatal(err)
		}
		defer a.Body.Close()
		body, _ := io.ReadAll(a.Body)
		return a.StatusCode, string(body)
	}
	for _, step := range []struct {
		action string
		code   int
		want   string
	}{
		{"unlock", 200, `"lockCode":false`}, {"lock", 200, `"lockCode":true`}, {"unplug", 200, `"plugged":false`}, {"plug", 200, `"plugged":true`},
		{"accept", 409, "no computer waits"}, {"refuse", 409, "no computer waits"}, {"update", 409, "no update waits"},
		{"open?with=com.example.home", 200, `"name":"held"`}, {"open?with=com.example.keys", 409, "no app"}, {"open?with=$(reboot)", 409, "no app"},
		{"loosen?with=2", 200, `"plugged":true`}, {"loosen?with=x", 409, "how many"},
		{"slow?with=5", 200, ""}, {"slow?with=-1", 409, "how many milliseconds"},
		{"reset", 200, `"lockCode":false`}, {"explode", 404, "no such action"},
	} {
		if code, body := do(step.action); code != step.code || !strings.Contains(body, step.want) {
			t.Errorf("%s: %d %s", step.action, code, body)
		}
	}
	if !strings.Contains(string(p.Ask(t.Context(), "logcat -d")), "beginning") {
		t.Error("no log")
	}
	// Every action that is written down is known, and nothing else.
	for _, a := range Actions {
		if err := p.Do(a.Word, "1"); errors.Is(err, ErrAction) || !Known(a.Word) {
			t.Errorf("%s: %v", a.Word, err)
		}
	}
	if Known("explode") || !errors.Is(p.Do("explode", ""), ErrAction) {
		t.Error("an action that there is not is known")
	}
}

// TestUpdate takes a phone from one build of a model to the next.
func TestUpdate(t *testing.T) {
	world := fstest.MapFS{
		"m.yaml":   {Data: []byte("manufacturer: M\nname: N\ndevice: d\nbrand: b\nform: phone\nbuilds:\n  - {version: \"1.9.0\", release: \"14\", sdk: 34, id: A, patch: \"2026-01-01\"}\n  - {version: \"1.10.0\", release: \"15\", sdk: 35, id: B, patch: \"2026-02-01\", region: Isle}\nsets: [set.yaml]\n")},
		"set.yaml": {Data: []byte("dir: /system/app\npackages:\n  - {name: a.stays}\n  - {name: a.back, back: update}\n  - {name: a.leaves, until: \"1.9.0\"}\n  - {name: a.comes, since: \"1.10.0\"}\n  - {name: a.fifteen, sinceSdk: 35}\n  - {name: a.isle, region: Isle}\nseries:\n  - {name: \"a.tone.{}\", label: \"Tone {}\", of: [low, high]}\n")},
		"p.yaml":   {Data: []byte("name: p\nserial: S\nmodel: m.yaml\nbuild: \"1.9.0\"\nupdate: Isle 1.10.0\nprompt: none\npackages:\n  - {name: a.mine, owner: true, version: \"1\"}\n")},
	}
	s, err := Load(world, "p.yaml")
	if err != nil {
		t.Fatal(err)
	}
	p := New(s, slog.New(slog.DiscardHandler))
	if got := strings.Join(p.InstalledNames(), " "); got != "a.mine a.stays a.back a.leaves a.tone.low a.tone.high" {
		t.Errorf("before: %s", got)
	}
	p.Ask(t.Context(), "pm uninstall --user 0 a.back; pm uninstall --user 0 a.stays; pm disable-user --user 0 a.tone.low")
	if err := p.Do("update", ""); err != nil {
		t.Fatal(err)
	}
	if got := strings.Join(p.InstalledNames(), " "); got != "a.mine a.back a.comes a.fifteen a.isle a.tone.low a.tone.high" {
		t.Errorf("after: %s", got)
	}
	if got := string(p.Ask(t.Context(), "pm list packages -d; getprop ro.build.version.release; getprop ro.boot.region")); got != "package:a.tone.low\n15\nIsle\n" {
		t.Errorf("%q", got)
	}
	if c := p.Condition(); c.Build != "Isle 1.10.0" || c.Update != "" {
		t.Errorf("%+v", c)
	}
}

// TestCableBack: a cable that fell out in the middle of an answer, and was put
// back, is not pulled again by the rest of that answer.
func TestCableBack(t *testing.T) {
	p := held(t)
	if err := p.Do("loosen", "0"); err != nil {
		t.Fatal(err)
	}
	w := p.faulty("getprop", nil, io.Discard).(*faultyWriter)
	w.begin("getprop")
	if _, err := io.WriteString(w, "the first line"); err == nil || p.Condition().Plugged {
		t.Error("the cable holds")
	}
	p.Plug()
	if _, err := io.WriteString(w, "the second"); err == nil || !p.Condition().Plugged {
		t.Error("the cable falls out twice")
	}
}
