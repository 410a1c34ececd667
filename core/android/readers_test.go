package android

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"
	"testing/iotest"
)

// hostile names that must never pass as package names.
var hostile = []string{
	"", "one", ".a.b", "a..b", "a.b.", "1a.b", "a.1b", "a.b c", "a.b;reboot", "a.b$(reboot)", "a.b`id`", "a.b'", `a.b"`, "a.b\nc.d", "a.b\x00",
	"a.b|sh", "a.b&", "a.b>x", "a.b\\", "../a.b", "a/b.c", "a.b\u202ec", "a.b\u200f", "ä.b", "a.b-c", "com.example.*", "-a.b", "a.b" + strings.Repeat("c", 10_000),
}

func TestParsePackageName(t *testing.T) {
	for _, good := range []string{"android", "a.b", "com.example.App_2", "A.B.c9", "com." + strings.Repeat("x", MaxPackageName-4)} {
		if n, err := ParsePackageName(good); err != nil || string(n) != good || !n.Valid() {
			t.Errorf("%q: %v", good, err)
		}
	}
	for _, bad := range hostile {
		if n, err := ParsePackageName(bad); !errors.Is(err, ErrPackageName) || n != "" {
			t.Errorf("%.40q was accepted as %q (%v)", bad, n, err)
		} else if strings.ContainsAny(err.Error(), "\n\x00") || len(err.Error()) > 200 {
			t.Errorf("%.40q: the error repeats hostile text: %q", bad, err)
		}
	}
	if got := PackageName("com.brannock.voice.wake").Namespace(); got != "com.brannock" {
		t.Errorf("namespace %q", got)
	}
}

func TestParseFingerprint(t *testing.T) {
	const good = "brannock/lyra5/lyra5:14/BQ1A.250905.004/14.1.0:user/release-keys"
	f, err := ParseFingerprint(good)
	if err != nil || f.String() != good || f.Release != "14" || f.Device != "lyra5" || f.Incremental != "14.1.0" {
		t.Errorf("%+v, %v", f, err)
	}
	for _, bad := range []string{"", "a/b/c", "a/b/c:d/e/f:g", "a/b/c:d/e/f:/h", "a b/b/c:d/e/f:g/h", good + ":x", strings.Repeat("a", 600)} {
		if _, err := ParseFingerprint(bad); !errors.Is(err, ErrFingerprint) {
			t.Errorf("%.40q: %v", bad, err)
		}
	}
}

func TestReadProperties(t *testing.T) {
	text := "[ro.product.manufacturer]: [Brannock]\r\n[two.lines]: [first\nsecond]\nnoise\n[empty]: []\n[odd]: [a]: [b]\n"
	p, report, err := ReadProperties(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	want := Properties{"ro.product.manufacturer": "Brannock", "two.lines": "first\nsecond", "empty": "", "odd": "a]: [b"}
	if !reflect.DeepEqual(p, want) {
		t.Errorf("got %q", p)
	}
	if !report.Complete || len(report.Notes) != 1 || report.Notes[0].Line != 4 {
		t.Errorf("%+v", report)
	}
	p, report, _ = ReadProperties(strings.NewReader("[a.b]: [c]\n[cut.off]: [in the mid"))
	if report.Complete || len(p) != 1 || report.Missing == "" || report.Notes[0].Line != 2 {
		t.Errorf("a truncated output passed as whole: %+v", report)
	}
}

// TestSerialNumbers: a number that a factory gave to many tells nobody apart.
func TestSerialNumbers(t *testing.T) {
	for in, want := range map[[2]string]string{
		{"BRNLY5A0417", "other"}: "BRNLY5A0417", {"", "S2"}: "S2", {"0123456789ABCDEF", "S2"}: "S2", {"0123456789abcdef", ""}: "", {"unknown", "unknown"}: "", {"0000000000", ""}: "", {"x", ""}: "", {" S1 ", ""}: "S1",
	} {
		id, err := Identify(Properties{"ro.build.fingerprint": "b/p/d:14/I/1:user/k", "ro.serialno": in[0], "ro.boot.serialno": in[1]})
		if err != nil || id.Serial != want {
			t.Errorf("%q: %q, %v", in, id.Serial, err)
		}
	}
}

func TestIdentify(t *testing.T) {
	const fp = "brannock/lyra5_nw/lyra5:15/BR1A/15.0.0:user/release-keys"
	id, err := Identify(Properties{"ro.system.build.fingerprint": fp, "ro.product.system.manufacturer": "Brannock", "ro.boot.carrier": "Norrwave", "ro.build.characteristics": "nosdcard,tablet", "ro.serialno": "S1"})
	if err != nil {
		t.Fatal(err)
	}
	if id.Device != "lyra5" || id.Release != "15" || id.Incremental != "15.0.0" || id.Carrier != "Norrwave" || id.Form != "tablet" || id.Serial != "S1" {
		t.Errorf("%+v", id)
	}
	if _, err := Identify(Properties{"ro.product.manufacturer": "x"}); err == nil {
		t.Error("a phone without a fingerprint was identified")
	}
	if _, err := Identify(Properties{"ro.build.fingerprint": "nonsense"}); !errors.Is(err, ErrFingerprint) {
		t.Errorf("%v", err)
	}
}

func TestReadPackageList(t *testing.T) {
	text := `package:/system/app/Tips/Tips.apk=com.example.tips versionCode:12  installer=null uid:10012,1010012
package:/data/app/~~x==/com.example.odd-y==/base.apk=com.example.odd uid:10013
package:com.example.plain
package:com.example.store  installer=com.example.shop
package:/p/a b=c/x.apk=com.example.spaces
Error: Unknown option: -U
package:a;b
package:com.example.extra what:1
`
	list, report, err := ReadPackageList(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	want := []Listed{
		{Name: "com.example.tips", Path: "/system/app/Tips/Tips.apk", VersionCode: 12, UID: 10012},
		{Name: "com.example.odd", Path: "/data/app/~~x==/com.example.odd-y==/base.apk", UID: 10013},
		{Name: "com.example.plain"},
		{Name: "com.example.store", Installer: "com.example.shop"},
		{Name: "com.example.spaces", Path: "/p/a b=c/x.apk"},
	}
	if !reflect.DeepEqual(list, want) {
		t.Errorf("got  %+v\nwant %+v", list, want)
	}
	var lines []int
	for _, n := range report.Notes {
		lines = append(lines, n.Line)
	}
	if !reflect.DeepEqual(lines, []int{6, 7, 8}) {
		t.Errorf("notes at %v: %+v", lines, report.Notes)
	}
}

func dump(t testing.TB) string {
	t.Helper()
	raw, err := os.ReadFile("testdata/dumpsys-14.txt")
	if err != nil {
		t.Fatal(err)
	}
	return string(raw)
}

func TestReadPackageDump(t *testing.T) {
	for name, text := range map[string]string{"as printed": dump(t), "CRLF": strings.ReplaceAll(dump(t), "\n", "\r\n")} {
		d, report, err := ReadPackageDump(iotest.OneByteReader(strings.NewReader(text)))
		if err != nil {
			t.Fatal(err)
		}
		want := []Package{
			{Name: "android", VersionCode: 34, VersionName: "14", MinSDK: 34, TargetSDK: 34, UID: 1000, SharedUser: "android.uid.system", Path: "/system/framework", Partition: "system",
				System: true, Privileged: true, Persistent: true, Installed: true, Enabled: EnabledDefault,
				Declares: []Declared{{"android.permission.CAMERA", "dangerous"}, {"android.permission.STATUS_BAR_SERVICE", "signature|privileged"}}},
			{Name: "com.example.app", VersionCode: 42, VersionName: "4.2 (beta)", MinSDK: 28, TargetSDK: 34, UID: 10111, Path: "/data/app/~~Ab1==/com.example.app-Cd2==",
				SystemPath: "/product/priv-app/ExampleApp", Partition: "product", System: true, Privileged: true, Installed: false, Enabled: EnabledOffByUser, Installer: "com.example.store",
				Requests: []string{"android.permission.CAMERA", "android.permission.INTERNET"}, Uses: []LibraryUse{{"com.example.shared", "required"}, {"androidx.window.sidecar", "optional"}}, Signer: "1a2b3c4d", StartsAtBoot: true},
			{Name: "com.example.provider", VersionCode: 7, MinSDK: 29, TargetSDK: 33, UID: 10112, Path: "/vendor/app/Provider", Partition: "vendor", System: true, Installed: true, Enabled: EnabledOff,
				Provides: []string{"com.example.shared"}},
			{Name: "com.example.overlay", Path: "/product/overlay/Example", Partition: "product", System: true, Installed: true, Enabled: EnabledDefault, OverlayTarget: "com.example.app"},
		}
		if !reflect.DeepEqual(d.Packages, want) {
			t.Errorf("%s: got\n%+v\nwant\n%+v", name, d.Packages, want)
		}
		if !reflect.DeepEqual(d.Libraries, map[string]PackageName{"com.example.shared": "com.example.provider"}) {
			t.Errorf("%s: libraries %v", name, d.Libraries)
		}
		why := map[int]string{}
		for _, n := range report.Notes {
			why[n.Line] = n.Why
		}
		for line, part := range map[int]string{37: "not known", 65: "package name", 69: "number"} {
			if !strings.Contains(why[line], part) {
				t.Errorf("%s: line %d: %q, notes %v", name, line, why[line], why)
			}
		}
		if len(why) != 3 || !report.Complete {
			t.Errorf("%s: %+v", name, report)
		}
	}
}

// TestTruncated cuts the dump at every byte: nothing panics, and only a cut
// between lines after the packages passes as whole.
func TestTruncated(t *testing.T) {
	text := dump(t)
	end := strings.Index(text, "Hidden system packages:")
	for cut := range len(text) {
		d, report, err := ReadPackageDump(strings.NewReader(text[:cut]))
		if err != nil {
			t.Fatal(err)
		}
		middle := cut > 0 && text[cut-1] != '\n'
		if report.Complete && (middle || len(d.Packages) == 0) {
			t.Fatalf("cut at byte %d passes as whole", cut)
		}
		if cut > end && !middle && !report.Complete {
			t.Fatalf("cut at byte %d: %s", cut, report.Missing)
		}
	}
}

func TestCaptureFromListsAlone(t *testing.T) {
	c, err := read(t, `$ getprop
[ro.build.fingerprint]: [b/p/d:14/I/1:user/release-keys]
[ro.product.manufacturer]: [B]
$ pm list packages --user 0
package:a.kept
package:a.owner
$ pm list packages -u -f
package:/system/app/K/K.apk=a.kept
package:/product/app/G/G.apk=a.gone
package:/data/app/x/base.apk=a.owner
$ pm list packages -d
package:a.kept
`)
	if err != nil || !c.Complete {
		t.Fatalf("%v, %+v", err, c)
	}
	got := map[PackageName]string{}
	for _, p := range c.Packages {
		got[p.Name] = fmt.Sprintf("%t %s %t %s", p.Installed, p.Enabled, p.Preinstalled(), p.Partition)
	}
	want := map[PackageName]string{"a.kept": "true off-by-user true system", "a.gone": "false default true product", "a.owner": "true default false data"}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got %v", got)
	}
}

func TestLongLine(t *testing.T) {
	text := "[a.b]: [" + strings.Repeat("x", 3*maxLine) + "]\n[c.d]: [e]\n"
	p, report, err := ReadProperties(strings.NewReader(text))
	if err != nil || p["c.d"] != "e" || len(p) != 1 || len(report.Notes) == 0 {
		t.Errorf("%v, %d properties, %+v", err, len(p), report.Notes)
	}
}

func FuzzReadPackageDump(f *testing.F) {
	f.Add([]byte(dump(f)))
	f.Add([]byte("Packages:\n  Package ["))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, report, err := ReadPackageDump(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range d.Packages {
			if !p.Name.Valid() {
				t.Fatalf("%q came through", p.Name)
			}
		}
		if len(report.Notes) > maxNotes {
			t.Fatalf("%d notes", len(report.Notes))
		}
	})
}

func FuzzReadPackageList(f *testing.F) {
	f.Add([]byte("package:/a/b.apk=com.example.x versionCode:1 uid:2\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		list, _, err := ReadPackageList(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		for _, l := range list {
			if !l.Name.Valid() {
				t.Fatalf("%q came through", l.Name)
			}
		}
	})
}

func FuzzReadProperties(f *testing.F) {
	f.Add([]byte("[a]: [b]\n[c]: [d\ne]\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		p, _, err := ReadProperties(bytes.NewReader(data))
		if err != nil {
			t.Fatal(err)
		}
		if id, err := Identify(p); err == nil {
			if _, err := ParseFingerprint(id.Fingerprint); err != nil {
				t.Fatalf("%q came through", id.Fingerprint)
			}
		}
	})
}

// bigDump is shaped like that of a phone with 420 packages: about 6 MB, most
// of it tables that nobody asked for.
func bigDump() []byte {
	var b bytes.Buffer
	b.WriteString("Activity Resolver Table:\n  Non-Data Actions:\n      android.intent.action.MAIN:\n")
	for i := range 34_000 {
		fmt.Fprintf(&b, "        %07x com.example.package%d/.Activity%d filter %07x\n          Action: \"android.intent.action.VIEW\"\n", i, i%420, i, i*7)
	}
	b.WriteString("\nPackages:\n")
	for i := range 420 {
		fmt.Fprintf(&b, "  Package [com.example.package%d] (%07x):\n    appId=%d\n    pkg=Package{%07x com.example.package%d}\n    codePath=/product/app/Package%d\n    versionCode=%d minSdk=28 targetSdk=34\n    versionName=1.%d\n    flags=[ SYSTEM HAS_CODE ]\n    requested permissions:\n", i, i, 10000+i, i, i, i, i, i)
		for p := range 60 {
			fmt.Fprintf(&b, "      android.permission.PERMISSION_%d\n", p)
		}
		b.WriteString("    install permissions:\n")
		for p := range 60 {
			fmt.Fprintf(&b, "      android.permission.PERMISSION_%d: granted=true\n", p)
		}
		b.WriteString("    User 0: ceDataInode=1 installed=true hidden=false suspended=false stopped=false notLaunched=false enabled=0 instant=false\n")
	}
	return b.Bytes()
}

func BenchmarkReadPackageDump(b *testing.B) {
	data := bigDump()
	b.SetBytes(int64(len(data)))
	b.ReportAllocs()
	for b.Loop() {
		d, _, err := ReadPackageDump(bytes.NewReader(data))
		if err != nil || len(d.Packages) != 420 {
			b.Fatal(err, len(d.Packages))
		}
	}
}

// TestReadingADumpAllocatesLittle holds reading what a phone says of 420
// packages to twenty allocations a package.
func TestReadingADumpAllocatesLittle(t *testing.T) {
	data := bigDump()
	n := testing.AllocsPerRun(3, func() {
		if _, _, err := ReadPackageDump(bytes.NewReader(data)); err != nil {
			t.Fatal(err)
		}
	})
	if n > 7700 {
		t.Errorf("reading a dump of 420 packages allocates %v times", n)
	}
}

// captureFileOf is a capture file of the phone whose dump is big.
func captureFileOf(t testing.TB) []byte {
	d, _, err := ReadPackageDump(bytes.NewReader(bigDump()))
	if err != nil {
		t.Fatal(err)
	}
	who := Identity{Fingerprint: "brannock/lyra5/lyra5:15/1/1:user/release-keys", Manufacturer: "brannock", Device: "lyra5"}
	c := Capture{Format: CaptureFormat, Identity: who, Packages: d.Packages, Complete: true}
	raw, err := json.Marshal(c)
	if err != nil {
		t.Fatal(err)
	}
	return raw
}

func BenchmarkReadCaptureFile(b *testing.B) {
	data := captureFileOf(b)
	b.SetBytes(int64(len(data)))
	b.ReportAllocs()
	for b.Loop() {
		c, err := ReadSources([]Source{TextSource("capture", data)})
		if err != nil || len(c.Packages) != 420 {
			b.Fatal(err)
		}
	}
}
