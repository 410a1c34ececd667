package android

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"reflect"
	"runtime"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/santhosh-tekuri/jsonschema/v6"
)

func read(t testing.TB, text string) (*Capture, error) {
	t.Helper()
	return ReadSources([]Source{TextSource("pasted", []byte(text))})
}

const props = "[ro.build.fingerprint]: [b/p/d:14/I/1:user/release-keys]\n[ro.product.manufacturer]: [B]\n[ro.serialno]: [S1]\n"

// transcript is what a terminal holds after asking a phone everything.
func transcript(t testing.TB) string {
	return `lyra5:/ $ getprop
` + props + `lyra5:/ $ dumpsys package
` + dump(t) + `lyra5:/ $ pm list packages -d
package:com.example.app
lyra5:/ $ dumpsys role
ROLE STATE (dumpsys role):
{
  user_states={
    user_id=0
    roles={
      name=android.app.role.HOME
      holders=com.example.app
    }
    roles={
      name=android.app.role.SMS
    }
  }
}
lyra5:/ $ cmd package query-activities --brief -a android.intent.action.MAIN -c android.intent.category.HOME
2 activities found:
  Activity #0:
    priority=0 preferredOrder=0 match=0x108000 specificIndex=-1 isDefault=true
    com.example.app/.Home
  Activity #1:
    priority=-1000 preferredOrder=0 match=0x108000 specificIndex=-1 isDefault=true
    com.example.provider/com.example.provider.Fallback
1|lyra5:/ $ cmd role get-role-holders --user 0 android.app.role.DIALER
com.example.provider;com.example.app
lyra5:/ $ ime list -s -a
com.example.app/.Keys
com.example.provider/.Talk
lyra5:/ $ settings get secure default_input_method
com.example.provider/.Talk
lyra5:/ $ cmd overlay list
com.example.app
[x] com.example.overlay
[ ] com.example.overlay.off:night

com.example.provider
--- com.example.overlay.broken
lyra5:/ $ dumpsys webviewupdate
Current WebView Update Service state
  Current WebView package (name, version): (com.example.app, 4.2)
lyra5:/ $ dumpsys device_policy
Current Device Policy Manager state:
  Enabled Device Admins (User 0, provisioningState: 0):
    com.example.provider/.Admin:
      uid=10112
      policies:
        wipe-data
  Enabled Device Admins (User 10, provisioningState: 0):
    com.example.other/.Admin:
lyra5:/ $ dumpsys diskstats
Latency: 1ms [512B Data Write]
Package Names: ["com.example.app","no.such.thing"]
App Sizes: [4096,1]
App Data Sizes: [8192,1]
Cache Sizes: [-1,1]
lyra5:/ $ locksettings verify
Lock credential verified successfully
lyra5:/ $ pm list features
feature:android.hardware.nfc
feature:reqGlEsVersion=0x30002
lyra5:/ $ pm list users
Users:
	UserInfo{0:Owner:c13} running
	UserInfo{10:Kids:30}
lyra5:/ $ id; command -v su
uid=2000(shell) gid=2000(shell) context=u:r:shell:s0
lyra5:/ $ cmd no-such-service
cmd: Can't find service: no-such-service
`
}

var wantPhone = PhoneFacts{
	Roles: []Role{
		{Name: "DIALER", Holders: []PackageName{"com.example.app", "com.example.provider"}},
		{Name: "HOME", Holders: []PackageName{"com.example.app"}, Able: []PackageName{"com.example.app", "com.example.provider"}},
	},
	Keyboards:      []Keyboard{{"com.example.app", "com.example.app.Keys", false}, {"com.example.provider", "com.example.provider.Talk", true}},
	WebView:        "com.example.app",
	Administrators: []PackageName{"com.example.provider"},
	LockCode:       LockCodeNotSet,
	Features:       []string{"android.hardware.nfc", "reqGlEsVersion=0x30002"},
	Overlays:       []Overlay{{"com.example.overlay", "com.example.app", true}, {"com.example.overlay.off", "com.example.app", false}, {"com.example.overlay.broken", "com.example.provider", false}},
	Root:           RootNo, Users: 2,
}

func TestTranscript(t *testing.T) {
	c, err := read(t, transcript(t))
	if err != nil || !c.Complete {
		t.Fatalf("%v; %s", err, c.Missing)
	}
	if !reflect.DeepEqual(c.Phone, wantPhone) {
		t.Errorf("got\n%+v\nwant\n%+v", c.Phone, wantPhone)
	}
	app := c.Packages[1]
	if len(c.Packages) != 4 || app.AppBytes != 4096 || app.DataBytes != 8192 || app.CacheBytes != 0 || app.Signer != "1a2b3c4d" {
		t.Errorf("%d packages, %+v", len(c.Packages), app)
	}
	// The lines that were not understood are named as the file numbers them.
	notes, _ := c.Notes()
	lines := strings.Split(transcript(t), "\n")
	for _, n := range notes {
		if got := strings.TrimSpace(lines[n.Line-1]); n.Text != "" && !strings.Contains(got, n.Text) {
			t.Errorf("line %d is %q, the note says %q", n.Line, got, n.Text)
		}
	}
	if len(notes) != 3 { // those of the dump
		t.Errorf("%+v", notes)
	}
}

// TestMixtures reads the same phone from each form in which it can come.
func TestMixtures(t *testing.T) {
	lists := "package:/system/app/K/K.apk=a.kept versionCode:3\npackage:/product/app/G/G.apk=a.gone\n" + "package:a.kept\n"
	loose := []Source{TextSource("p.txt", []byte(props)), TextSource("l.txt", []byte(lists))}
	utf16le := []byte("\xff\xfe")
	for _, u := range utf16.Encode([]rune(props + lists)) {
		utf16le = append(utf16le, byte(u), byte(u>>8))
	}
	report := "========================================================\n== dumpstate: 2026-11-01\n========================================================\nSECRET: my mother's number is 555\n" +
		"------ SYSTEM PROPERTIES (getprop) ------\n" + props + "------ 0.01s was the duration of 'SYSTEM PROPERTIES' ------\nSECRET [x]: [y]\n" +
		"-------------------------------------------------------------------------------\nDUMP OF SERVICE account:\nSECRET account\npackage:secret.account\n--------- 0.1s was the duration of dumpsys account, ending at: now\n" +
		"-------------------------------------------------------------------------------\nDUMP OF SERVICE CRITICAL package:\nPackages:\n  Package [a.kept] (1):\n    codePath=/system/app/K\n    User 0: installed=true enabled=0\n\n--------- 1s was the duration of dumpsys package, ending at: now\n" +
		"DUMP OF SERVICE overlay:\na.over:a.kept:0 {\n  mPackageName...........: a.over\n  mTargetPackageName.....: a.kept\n  mState.................: STATE_ENABLED\n}\nDUMP OF SERVICE wifi:\nSECRET network\n"
	for what, sources := range map[string][]Source{
		"loose":                  loose,
		"pasted together":        {TextSource("all", []byte(props+lists))},
		"the other way":          {TextSource("all", []byte(lists+props))},
		"CRLF":                   {TextSource("all", []byte(strings.ReplaceAll(props+lists, "\n", "\r\n")))},
		"UTF-16 of a redirect":   {TextSource("all", utf16le)},
		"UTF-8 with a mark":      {TextSource("all", []byte("\ufeff"+props+lists))},
		"zipped":                 {zipped(t, map[string]string{"x/getprop.txt": props, `..\..\lists.txt`: lists, "photo.jpg": "\xff\xd8\x00\x00\x00\x00"})},
		"bug report":             {TextSource("bugreport.txt", []byte(report))},
		"zipped bug report":      {zipped(t, map[string]string{"main_entry.txt": "bugreport-x.txt", "bugreport-x.txt": report, "FS/data/private.txt": "package:secret.one\n"})},
		"with a photo beside it": append(loose, TextSource("holiday\u202egnp.jpg", []byte("\xff\xd8\xff\xe0"))),
	} {
		c, err := ReadSources(sources)
		if err != nil || !c.Complete {
			t.Errorf("%s: %v, %+v", what, err, c)
			continue
		}
		if c.Packages[len(c.Packages)-1].Name != "a.kept" || c.Identity.Serial != "S1" {
			t.Errorf("%s: %+v", what, c.Packages)
		}
		raw, _ := json.Marshal(c)
		if bytes.Contains(raw, []byte("SECRET")) || bytes.Contains(raw, []byte("secret.")) || bytes.Contains(raw, []byte("\u202e")) {
			t.Errorf("%s: private or hostile text was kept: %s", what, raw)
		}
	}
}

func zipped(t testing.TB, entries map[string]string) Source {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range entries {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		io.WriteString(w, text)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return TextSource("all.zip", b.Bytes())
}

func TestRefusedSources(t *testing.T) {
	other := strings.Replace(props, "/1:user", "/2:user", 1)
	bomb := map[string]string{"bomb.txt": props + strings.Repeat(strings.Repeat("x", 99)+"\n", 100_000)}
	many := map[string]string{}
	for i := range maxEntryReads + 1 {
		many[fmt.Sprint(i)] = props
	}
	locked := zipped(t, map[string]string{"a": props})
	raw, _ := io.ReadAll(io.NewSectionReader(locked.Data, 0, locked.Size))
	at := bytes.Index(raw, []byte("PK\x01\x02"))
	raw[at+8] |= 1
	for want, sources := range map[string][]Source{
		"two phones":       {TextSource("a", []byte(props)), TextSource("b", []byte(other))},
		"not an output":    {TextSource("letter.txt", []byte("Dear Sir,\nthe phone is slow.\n"))},
		"not a text":       {TextSource("x.bin", make([]byte, 400))},
		"far more than it": {zipped(t, bomb)},
		"no bug report":    {zipped(t, many)},
		"inside a zip":     {zipped(t, map[string]string{"in.zip": "PK\x03\x04 and more of it"})},
		"damaged":          {TextSource("x.zip", []byte("PK\x03\x04 and more of it"))},
		"password":         {TextSource("x.zip", raw)},
		"getprop":          {TextSource("l", []byte("package:a.b\n"))},
		"over 200 MB":      {{Name: "big", Size: MaxSource + 1}},
	} {
		if c, err := ReadSources(sources); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, %+v", want, err, c)
		}
	}
}

// TestTwoPhonesInOnePaste keeps the first, and says where the second begins.
func TestTwoPhonesInOnePaste(t *testing.T) {
	c, err := read(t, "package:a.first\n"+props+strings.Replace(props, "S1", "S2", 1)+"package:b.second\n")
	if err != nil || len(c.Packages) != 1 || c.Packages[0].Name != "a.first" || c.Identity.Serial != "S1" {
		t.Fatalf("%v, %+v", err, c)
	}
	notes, _ := c.Notes()
	if len(notes) != 1 || !strings.Contains(notes[0].Why, "second phone") {
		t.Errorf("%+v", notes)
	}
}

func TestPortableCapture(t *testing.T) {
	c, err := read(t, transcript(t))
	if err != nil {
		t.Fatal(err)
	}
	c.Packages[1].Labels = map[string]string{"": "Pocket", "de": "Tasche"}
	raw, err := json.Marshal(c)
	if err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(raw, []byte("S1\"")) {
		t.Error("the serial number is in the file")
	}
	var schema, value any
	json.Unmarshal(CaptureSchema, &schema)
	json.Unmarshal(raw, &value)
	compiler := jsonschema.NewCompiler()
	if err := compiler.AddResource("urn:roster:schema:capture:1", schema); err != nil {
		t.Fatal(err)
	}
	if err := compiler.MustCompile("urn:roster:schema:capture:1").Validate(value); err != nil {
		t.Error(err)
	}
	back, err := ReadSources([]Source{TextSource("c.json", raw)})
	if err != nil {
		t.Fatal(err)
	}
	back.Identity.Serial = c.Identity.Serial
	if again, _ := json.Marshal(back); !bytes.Equal(again, raw) {
		t.Errorf("a capture changes on its way through a file:\n%s\n%s", raw, again)
	}
	for what, change := range map[string][2]string{
		"a hostile name":    {`"name":"com.example.app"`, `"name":"a.b;reboot"`},
		"a package twice":   {`"name":"com.example.app"`, `"name":"com.example.provider"`},
		"another format":    {CaptureFormat, "elsewhere/1"},
		"an unknown state":  {`"off-by-user"`, `"perhaps"`},
		"no fingerprint":    {`b/p/d:14/I/1:user/release-keys`, `$(reboot)`},
		"a hostile role":    {`"HOME"`, `"HOME;x"`},
		"a hostile holder":  {`"holders":["com.example.app"]`, `"holders":["x'y"]`},
		"cut off":           {`"packages"`, "\x00"},
		"a hostile webview": {`"webView":"com.example.app"`, `"webView":"-x"`},
		"a label nowhere":   {`"de":"Tasche"`, `"de\u0000":"x"`},
	} {
		bad := strings.Replace(string(raw), change[0], change[1], 1)
		if bad == string(raw) {
			t.Fatalf("%s: nothing was changed", what)
		}
		if _, err := ReadSources([]Source{TextSource("c.json", []byte(bad))}); err == nil {
			t.Errorf("%s was accepted", what)
		}
	}
}

func TestCommandLine(t *testing.T) {
	for line, want := range map[string]string{
		"lyra5:/ $ pm list packages -d":                       "pm list packages -d",
		"130|lyra5:/data # getprop":                           "getprop",
		"$ id; command -v su":                                 "id;",
		`C:\adb> adb -s X1 shell "pm list packages -u"`:       "pm list packages -u",
		"PS C:\\Users\\t> .\\adb.exe shell getprop > out.txt": "getprop",
		"user@host:~$ adb shell dumpsys package | head":       "dumpsys package",
		"package:a.b":             "",
		"$(reboot)":               "",
		"user@host:~$ adb pull x": "",
	} {
		words, _ := commandLine([]byte(line))
		if got := strings.Join(words, " "); strings.TrimSuffix(got, ";") != strings.TrimSuffix(want, ";") {
			t.Errorf("%s: %q", line, got)
		}
	}
}

// TestMillionLines reads a text of a million lines in bounded memory.
func TestMillionLines(t *testing.T) {
	line := strings.Repeat("nobody knows what this is ", 4) + "\n"
	src := io.MultiReader(strings.NewReader(props), &repeat{line, 1_000_000 * len(line)}, strings.NewReader("package:a.b\n"))
	var before, after runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var r Reading
	if err := r.Read("big", src); err != nil {
		t.Fatal(err)
	}
	runtime.GC()
	runtime.ReadMemStats(&after)
	c, err := r.Capture()
	if err != nil || len(c.Packages) != 1 {
		t.Fatalf("%v", err)
	}
	notes, omitted := c.Notes()
	if len(notes)+omitted != 1_000_000 || len(notes) > 2*maxNotes {
		t.Errorf("%d notes and %d more", len(notes), omitted)
	}
	if after.HeapAlloc > before.HeapAlloc+50<<20 {
		t.Errorf("%d MB are held", (after.HeapAlloc-before.HeapAlloc)>>20)
	}
}

type repeat struct {
	line string
	left int
}

func (r *repeat) Read(p []byte) (int, error) {
	if r.left == 0 {
		return 0, io.EOF
	}
	n := 0
	for n+len(r.line) <= len(p) && r.left > 0 {
		n += copy(p[n:], r.line)
		r.left -= len(r.line)
	}
	return n, nil
}

func FuzzReadSources(f *testing.F) {
	f.Add([]byte(transcript(f)))
	f.Add([]byte(props + "package:a.b\n"))
	z := zipped(f, map[string]string{"a": props})
	raw, _ := io.ReadAll(io.NewSectionReader(z.Data, 0, z.Size))
	f.Add(raw)
	f.Add([]byte(`{"format":"roster-capture/1"}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		c, err := ReadSources([]Source{TextSource("f", data)})
		if err != nil {
			if strings.ContainsAny(err.Error(), "\x00\x1b\u202e") {
				t.Fatalf("hostile text in %q", err)
			}
			return
		}
		for _, p := range c.Packages {
			if !p.Name.Valid() {
				t.Fatalf("%q came through", p.Name)
			}
		}
		for _, r := range c.Phone.Roles {
			for _, n := range append(r.Holders, r.Able...) {
				if !n.Valid() {
					t.Fatalf("%q came through", n)
				}
			}
		}
	})
}

// TestHostileSources sends what is small and would take much to read. What is
// held meanwhile is bounded, and so is the time: it is measured in lines that
// are looked at, not in seconds.
func TestHostileSources(t *testing.T) {
	lines := func(format string, n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, format, i)
		}
		return b.String()
	}
	const many = 400_000
	dump := "Packages:\n"
	for name, c := range map[string]struct {
		text string
		want string // part of what is said of it
	}{
		"packages in a list":    {props + lines("package:a.b%d\n", many), tooMuch},
		"packages in a dump":    {props + dump + lines("  Package [a.b%d] (1):\n", many), tooMuch},
		"permissions":           {props + dump + "  Package [a.b] (1):\n    requested permissions:\n" + lines("      p%d\n", 2*many), tooMuch},
		"properties":            {props + lines("[k.%d]: [v]\n", many), tooMuch},
		"long paths":            {props + lines("package:/"+strings.Repeat("x", 900)+"/%d.apk=a.b\n", 80_000), tooMuch},
		"roles":                 {props + "$ dumpsys role\n" + lines("name=android.app.role.A%d\nholders=a.b\n", 2*many), tooMuch},
		"holders":               {props + "$ cmd role get-role-holders android.app.role.HOME\n" + lines("a.b%d\n", 2*many), tooMuch},
		"outputs":               {props + lines("$ pm list users\nUserInfo{%d}\n", 10_000), "more outputs than one phone prints"},
		"a line of a megabyte":  {props + "package:" + strings.Repeat("a", 3<<20) + "\n", tooLong},
		"lines without meaning": {props + strings.Repeat("x\n", maxLines), "more than any phone prints"},
	} {
		var before, after runtime.MemStats
		runtime.GC()
		runtime.ReadMemStats(&before)
		c2, err := ReadSources([]Source{TextSource("f", []byte(c.text))})
		runtime.GC()
		runtime.ReadMemStats(&after)
		said := fmt.Sprint(err)
		if c2 != nil {
			notes, _ := c2.Notes()
			said += c2.Missing + fmt.Sprint(notes)
			if c2.Complete || len(c2.Packages) > maxPackages || len(c2.Reports) > maxReports+1 {
				t.Errorf("%s: complete %v, %d packages, %d reports", name, c2.Complete, len(c2.Packages), len(c2.Reports))
			}
		}
		if !strings.Contains(said, c.want) {
			t.Errorf("%s: %.300s, want %q", name, said, c.want)
		}
		if held := int64(after.HeapAlloc) - int64(before.HeapAlloc); held > 100<<20 {
			t.Errorf("%s: %d MB are held", name, held>>20)
		}
		runtime.KeepAlive(c2)
	}
}

// TestHostileCaptureFile does the same with capture files.
func TestHostileCaptureFile(t *testing.T) {
	const head = `{"format":"roster-capture/1","identity":{"fingerprint":"a/b/c:1/d/e:f/g","manufacturer":"m","device":"d"},`
	for name, c := range map[string]struct{ text, want string }{
		"packages":    {head + `"packages":[` + strings.Repeat(`{},`, maxPackages+1) + `{}]}`, "more than any phone has"},
		"permissions": {head + `"packages":[{"name":"a.b","requests":[` + strings.Repeat(`"",`, 600_000) + `""]}]}`, "values"},
		"declared":    {head + `"packages":[{"name":"a.b","declares":[` + strings.Repeat(`{},`, 600_000) + `{}]}]}`, "values"},
		"depth":       {head + `"more":` + strings.Repeat("[", 100_000), "inside one another"},
		"a text":      {head + `"missing":"` + strings.Repeat("x", 2<<20) + `"}`, "bytes long"},
		"reports":     {head + `"reports":[` + strings.Repeat(`{},`, maxReports) + `{}]}`, "reports"},
		"a key twice": {head + `"complete":true,"complete":false}`, "duplicate"},
		"no list":     {head + `"packages":{"a":1}}`, "want a list"},
		"no end":      {head + `"packages":[`, "can't be read"},
		"too long":    {head + strings.Repeat(" ", maxCapture) + `"missing":""}`, "over 32 MB"},
	} {
		if _, err := ReadSources([]Source{TextSource("f", []byte(c.text))}); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, want %q", name, err, c.want)
		}
	}
}
