package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"aead.dev/minisign"

	"roster/core/android"
	"roster/core/profile"
)

// call runs the command line as a person would.
func call(t *testing.T, in string, args ...string) (out, errs string, err error) {
	t.Helper()
	var o, e bytes.Buffer
	c := root()
	c.SetArgs(args)
	c.SetIn(strings.NewReader(in))
	c.SetOut(&o)
	c.SetErr(&e)
	err = c.ExecuteContext(t.Context())
	return o.String(), e.String(), err
}

func file(t *testing.T, name, content string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, []byte(content), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

func isUsage(err error) bool {
	var u usageError
	return errors.As(err, &u)
}

func TestEveryCommandHasAnExample(t *testing.T) {
	for _, c := range root().Commands() {
		if c.Name() == "help" || c.Name() == "completion" {
			continue
		}
		list := c.Commands()
		if len(list) == 0 {
			list = append(list, c)
		}
		for _, c := range list {
			if c.Example == "" || c.Short == "" {
				t.Errorf("%s has no example", c.CommandPath())
			}
		}
	}
}

func TestUsedWrongly(t *testing.T) {
	release := file(t, "r.json", `{}`)
	for _, args := range [][]string{
		{"serve", "--nonsense"}, {"serve", "surplus"}, {"read"}, {"read", "/no/such/file"}, {"render"}, {"render", "/no/such/file"},
		{"verify", release, "--key", "nonsense"}, {"person", "add"}, {"person", "add", "x", "--role", "king"}, {"version", "surplus"}, {"phone", "surplus"},
	} {
		if _, _, err := call(t, "", args...); !isUsage(err) {
			t.Errorf("%v: %v is not told as used wrongly", args, err)
		}
	}
	t.Setenv("ROSTER_DATABASE_URL", "")
	if _, _, err := call(t, "", "serve"); !isUsage(err) || !strings.Contains(err.Error(), "ROSTER_DATABASE_URL") {
		t.Errorf("serve without a database: %v", err)
	}
	if _, _, err := call(t, "short\n", "person", "add", "x"); !isUsage(err) || !strings.Contains(err.Error(), "at least 12 characters") {
		t.Errorf("a short password: %v", err)
	}
}

const props = "[ro.build.fingerprint]: [b/p/d:14/I/1:user/k]\n[ro.product.manufacturer]: [B]\n[ro.serialno]: [SECRET-SERIAL]\n"

func TestRead(t *testing.T) {
	out, errs, err := call(t, "", "read", file(t, "props", props), file(t, "list", "package:com.example.a\npackage:a;b\n"))
	if err != nil {
		t.Fatal(err)
	}
	var c android.Capture
	if err := json.Unmarshal([]byte(out), &c); err != nil || len(c.Packages) != 1 || c.Identity.Device != "d" || c.Format != android.CaptureFormat {
		t.Errorf("%v: %s", err, out)
	}
	if !strings.Contains(errs, "pm list packages, line 2: not a package name") {
		t.Errorf("what was not understood is not told: %q", errs)
	}
	if strings.Contains(out+errs, "SECRET") {
		t.Error("the serial number is written out")
	}
	if _, _, err := call(t, "", "read", file(t, "props", props)); err == nil || isUsage(err) {
		t.Errorf("an incomplete capture is found wrong, not used wrongly: %v", err)
	}
	if _, _, err := call(t, "", "read", file(t, "x.jpg", "\xff\xd8")); err == nil || !strings.Contains(err.Error(), "x.jpg") {
		t.Errorf("%v", err)
	}
}

func release(t *testing.T) []byte {
	t.Helper()
	doc := profile.Document{
		Format: profile.DocumentFormat, Maker: profile.Maker{Slug: "b", Name: "B", Manufacturer: "B"}, Model: profile.Model{Slug: "d", Name: "D", Device: "d", Form: "phone"},
		Edition: profile.Edition{Slug: "e", Name: "Edition"}, Number: 3, Published: "2026-11-23T08:00:00Z", Publisher: "P",
		Steps: []profile.Step{{Number: 1, Kind: "remove", Method: "remove-for-user", Package: "com.example.a", Load: "loose", Costs: []string{}}},
	}
	raw, err := doc.Canonical()
	if err != nil {
		t.Fatal(err)
	}
	return raw
}

func TestRender(t *testing.T) {
	path := file(t, "r.json", string(release(t)))
	want := map[string]string{
		"sh": "\nremove com.example.a\n", "undo.sh": "\nrestore com.example.a\n", "phone.sh": "\nremove com.example.a\n", "phone.undo.sh": "\nrestore com.example.a\n",
		"ps1": "Name = 'com.example.a'", "undo.ps1": "install-existing", "bat": "call :remove com.example.a", "undo.bat": "call :restore com.example.a",
		"txt": "com.example.a\n", "undo.txt": "com.example.a\n", "csv": "pm uninstall --user 0 com.example.a", "md": "| `com.example.a` |",
	}
	if len(want) != len(forms) {
		t.Errorf("%d forms, and %d are expected", len(forms), len(want))
	}
	for form, want := range want {
		out, _, err := call(t, "", "render", path, "--form", form, "--where", "https://roster.example/r/b/d/e/3")
		if err != nil || !strings.Contains("\n"+out, want) {
			t.Errorf("%s: %v\n%s", form, err, out)
		}
		if says := strings.Contains(out, "https://roster.example/r/b/d/e/3"); says == (form == "txt" || form == "undo.txt" || form == "csv") {
			t.Errorf("%s states where to look: %t", form, says)
		}
	}
	if _, _, err := call(t, "", "render", path, "--form", "exe"); !isUsage(err) {
		t.Errorf("%v", err)
	}
	hostile := strings.Replace(string(release(t)), "com.example.a", "com.example.a;reboot", 1)
	if out, _, err := call(t, "", "render", file(t, "h.json", hostile)); err == nil || isUsage(err) || out != "" {
		t.Errorf("a hostile release was rendered: %v %q", err, out)
	}
}

func TestVerify(t *testing.T) {
	public, private, err := minisign.GenerateKey(nil)
	if err != nil {
		t.Fatal(err)
	}
	raw := release(t)
	path := file(t, "r.json", string(raw))
	signature := file(t, "sig", string(minisign.Sign(private, raw)))
	out, _, err := call(t, "", "verify", path, "--key", public.String(), "--signature", signature)
	if err != nil || !strings.Contains(out, "good signature: B D, Edition, no. 3, 1 package") {
		t.Errorf("%v: %s", err, out)
	}
	changed := file(t, "c.json", strings.Replace(string(raw), "example.a", "example.b", 1))
	if _, _, err := call(t, "", "verify", changed, "--key", public.String(), "--signature", signature); err == nil || isUsage(err) || !strings.Contains(err.Error(), "NOT") {
		t.Errorf("a changed release: %v", err)
	}
	if _, _, err := call(t, "", "verify", path, "--key", public.String()); !isUsage(err) {
		t.Errorf("no signature file: %v", err)
	}
}

func TestCaptureWithoutADB(t *testing.T) {
	if _, _, err := call(t, "", "capture", "--adb", "127.0.0.1:1"); err == nil || !strings.Contains(err.Error(), "adb start-server") {
		t.Errorf("%v", err)
	}
}

func TestOpenAPI(t *testing.T) {
	out, _, err := call(t, "", "openapi")
	var described struct{ Paths map[string]any }
	if err != nil || json.Unmarshal([]byte(out), &described) != nil || len(described.Paths) < 20 {
		t.Errorf("%v, %d paths", err, len(described.Paths))
	}
}

// TestReadMixtures reads what the command line is most often given.
func TestReadMixtures(t *testing.T) {
	const props = "[ro.build.fingerprint]: [b/p/d:14/I/1:user/release-keys]\n[ro.product.manufacturer]: [B]\n[ro.serialno]: [SERIAL77]\n"
	report := file(t, "bugreport.txt", "== dumpstate: 2026\nPRIVATE\n------ SYSTEM PROPERTIES (getprop) ------\n"+props+"------ 1s ------\nDUMP OF SERVICE package:\nPackages:\n  Package [com.example.a] (1):\n    codePath=/system/app/A\n    User 0: installed=true enabled=0\n\n--------- 1s was the duration of dumpsys package\n")
	out, errs, err := call(t, "", "read", report)
	var c android.Capture
	if err != nil || json.Unmarshal([]byte(out), &c) != nil || len(c.Packages) != 1 || !c.Complete {
		t.Fatalf("%v %s %s", err, out, errs)
	}
	if strings.Contains(out+errs, "PRIVATE") || strings.Contains(out, "SERIAL77") {
		t.Errorf("private things are printed: %s%s", out, errs)
	}
	// What it printed is a capture file that it reads again.
	again, _, err := call(t, "", "read", file(t, "c.json", out))
	if err != nil || again != out {
		t.Errorf("%v: %s", err, again)
	}
	pasted := file(t, "pasted.txt", "$ getprop\n"+props+"$ pm list packages -f\npackage:/system/app/A/A.apk=com.example.a\nan error in between\n")
	out, errs, err = call(t, "", "read", pasted)
	if err != nil || !strings.Contains(errs, "line 7") || !strings.Contains(out, "com.example.a") {
		t.Errorf("%v %s", err, errs)
	}
	if _, _, err := call(t, "", "read", report, pasted, file(t, "letter.txt", "Dear Sir\n")); err != nil {
		t.Errorf("a letter beside them: %v", err)
	}
	if _, _, err := call(t, "", "read", file(t, "letter.txt", "Dear Sir\n")); err == nil || isUsage(err) {
		t.Errorf("a letter alone: %v", err)
	}
}

// TestBenchUsage says what a bench needs, and what to do where nothing is
// attached.
func TestBenchUsage(t *testing.T) {
	t.Setenv("ROSTER_SERVER", "")
	t.Setenv("ROSTER_BENCH_TOKEN", "")
	for _, args := range [][]string{{"bench"}, {"bench", "--server", "http://127.0.0.1:1"}, {"bench", "surplus"}, {"bench", "--server", "http://x", "--token", "t", "--stand-in", "nonsense"},
		{"phone", "do"}, {"phone", "do", "explode"}, {"bench", "phones", "surplus"}} {
		if _, _, err := call(t, "", args...); !isUsage(err) {
			t.Errorf("%v: %v is not told as used wrongly", args, err)
		}
	}
	if _, _, err := call(t, "", "phone", "do", "accept", "--hand", "127.0.0.1:1"); err == nil || isUsage(err) || !strings.Contains(err.Error(), "does not answer") {
		t.Errorf("%v", err)
	}
	if _, _, err := call(t, "", "bench", "phones", "--adb", "127.0.0.1:1", "--adb-program", "/no/such/adb"); err == nil || !strings.Contains(err.Error(), "adb start-server") {
		t.Errorf("%v", err)
	}
}
