package android

import (
	"fmt"
	"reflect"
	"strings"
	"testing"
)

// entry is a package as releases from 9 to 15 print it, with what differs.
func entry(name, id, body string) string {
	return fmt.Sprintf("  Package [%s] (1a2b3c4):\n    %s\n    pkg=Package{5d6e7f8 %s}\n    codePath=/system/app/X\n%s", name, id, name, body)
}

const endOfEntry = "    User 0: ceDataInode=1 installed=true hidden=false stopped=false notLaunched=false enabled=0 instant=false\n"

func readDump(t *testing.T, text string) (*PackageDump, Report) {
	t.Helper()
	d, report, err := ReadPackageDump(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return d, report
}

// TestReleases holds the reader to what each Android release prints for the
// same package.
func TestReleases(t *testing.T) {
	want := Package{Name: "com.example.x", VersionCode: 7, VersionName: "1.7", MinSDK: 21, TargetSDK: 28, UID: 10044, Path: "/system/app/X", Partition: "system",
		System: true, Privileged: true, Installed: true, Enabled: EnabledDefault, Requests: []string{"android.permission.INTERNET"}, Installer: "com.example.store"}
	fields := "    versionCode=7 minSdk=21 targetSdk=28\n    versionName=1.7\n"
	for release, body := range map[string]string{
		"9": entry("com.example.x", "userId=10044", fields+"    splits=[base]\n    apkSigningVersion=2\n    applicationInfo=ApplicationInfo{5d6e7f8 com.example.x}\n    flags=[ HAS_CODE ALLOW_BACKUP ]\n    privateFlags=[ PRIVILEGED ]\n"+
			"    installerPackageName=com.example.store\n    requested permissions:\n      android.permission.INTERNET\n    install permissions:\n      android.permission.INTERNET: granted=true\n    pkgFlags=[ SYSTEM HAS_CODE ]\n"+endOfEntry),
		"11": entry("com.example.x", "userId=10044", "    resourcePath=/system/app/X\n"+fields+"    flags=[ SYSTEM HAS_CODE ]\n    privateFlags=[ PRIVATE_FLAG_X PRIVILEGED ]\n    forceQueryable=false\n    queriesPackages=[]\n"+
			"    installerPackageName=com.example.store\n    requested permissions:\n      android.permission.INTERNET\n"+endOfEntry),
		"13": entry("com.example.x", "appId=10044", fields+"    flags=[ SYSTEM HAS_CODE ]\n    privateFlags=[ PRIVILEGED ]\n    installerPackageName=com.example.store\n    installInitiatingPackageName=com.example.store\n"+
			"    requested permissions:\n      android.permission.INTERNET\n"+endOfEntry),
		"15": entry("com.example.x", "appId=10044", fields+"    flags=[ SYSTEM HAS_CODE ]\n    privateFlags=[ PRIVILEGED ]\n    installerPackageName=com.example.store\n    pageSizeCompat=0\n    requested permissions:\n"+
			"      android.permission.INTERNET: restricted=true\n"+endOfEntry),
	} {
		d, report := readDump(t, "Packages:\n"+body+"\nQueries:\n  system apps queryable: false\n")
		if len(d.Packages) != 1 || !reflect.DeepEqual(d.Packages[0], want) {
			t.Errorf("Android %s:\ngot  %+v\nwant %+v", release, d.Packages, want)
		}
		for _, n := range report.Notes {
			if release != "9" || !strings.Contains(n.Text, "applicationInfo") {
				t.Errorf("Android %s: %+v", release, n)
			}
		}
		if !report.Complete {
			t.Errorf("Android %s: %s", release, report.Missing)
		}
	}
}

func TestSecondUser(t *testing.T) {
	d, _ := readDump(t, "Packages:\n"+entry("com.example.x", "appId=1", "    User 10: installed=true enabled=2\n    User 0: installed=false enabled=1\n    User 11: installed=true enabled=3\n"))
	if p := d.Packages[0]; p.Installed || p.Enabled != EnabledOn {
		t.Errorf("another user's state was taken for the first's: %+v", p)
	}
}

func TestLibraries(t *testing.T) {
	d, report := readDump(t, "Libraries:\n  a.lib -> (apk) com.example.x\n  b.jar -> (jar) /system/framework/b.jar\n  c.lib -> (apk) not;a.name\n\nPackages:\n"+
		entry("com.example.x", "appId=1", "    static library:\n      s.lib version:3\n    dynamic libraries:\n      a.lib\n    usesStaticLibraries:\n      t.lib version:9\n    usesOptionalLibraries:\n      o.lib\n    usesLibraryFiles:\n      /system/framework/b.jar\n"+endOfEntry))
	p := d.Packages[0]
	if fmt.Sprint(p.Provides, p.Uses) != "[s.lib a.lib] [{t.lib static} {o.lib optional}]" || len(d.Libraries) != 1 {
		t.Errorf("%v %v %v", p.Provides, p.Uses, d.Libraries)
	}
	if len(report.Notes) != 1 || report.Notes[0].Line != 4 {
		t.Errorf("%+v", report.Notes)
	}
}

// TestDisturbed mixes in what gets mixed in: errors of other services, NULs,
// marks that turn writing around, other languages, tabs.
func TestDisturbed(t *testing.T) {
	text := "Packages:\n" + entry("com.example.x", "appId=1", "    versionName=1.0\u202e\x00 gnp\n"+endOfEntry) +
		"Error: dumpsys interrupted\n" + entry("com.example.y", "appId=zwei", "    versionName=版本 一\n    User 0: installed=true enabled=9\n") +
		entry("com.example.x", "appId=9", endOfEntry) + "  Paket [kaputt\n"
	d, report := readDump(t, text)
	if len(d.Packages) != 2 || d.Packages[0].UID != 1 || d.Packages[1].VersionName != "版本 一" {
		t.Errorf("%+v", d.Packages)
	}
	if strings.ContainsAny(d.Packages[0].VersionName, "\u202e\x00") {
		t.Errorf("hostile text came through: %q", d.Packages[0].VersionName)
	}
	want := []string{"not part of one", "expected a number", "not a number from 0 to 4", "listed twice", "expected Package [NAME]"}
	if len(report.Notes) != len(want) {
		t.Fatalf("%+v", report.Notes)
	}
	for i, n := range report.Notes {
		if !strings.Contains(n.Why, want[i]) || strings.ContainsAny(n.Text, "\u202e\x00") {
			t.Errorf("note %d: %+v, want %q", i, n, want[i])
		}
	}
}

// TestNotesAreBounded keeps a file of nothing but nonsense from filling memory.
func TestNotesAreBounded(t *testing.T) {
	_, report := readDump(t, "Packages:\n"+strings.Repeat("  nonsense here\n", 5000))
	if len(report.Notes) != maxNotes || report.Omitted != 5000-maxNotes {
		t.Errorf("%d notes and %d more", len(report.Notes), report.Omitted)
	}
	var many strings.Builder
	many.WriteString("Packages:\n" + entry("com.example.x", "appId=1", ""))
	for i := range 5000 {
		fmt.Fprintf(&many, "    field%d=x\n", i)
	}
	if _, report := readDump(t, many.String()); len(report.Notes) > maxNotes {
		t.Errorf("%d notes of unknown fields", len(report.Notes))
	}
}

func TestPartitionOf(t *testing.T) {
	for path, want := range map[string]string{
		"/system/app/X": "system", "/system/priv-app/X": "system", "/system/system_ext/app/X": "system_ext", "/system_ext/priv-app/X": "system_ext", "/system/product/app/X": "product",
		"/product/overlay/X": "product", "/vendor/app/X": "vendor", "/system/vendor/app/X": "vendor", "/odm/app/X": "odm", "/oem/app/X": "oem", "/apex/com.x/app/X": "apex",
		"/data/app/~~x==/y": "data", "/data/preload/X": "preload", "/data/preloads/X": "preload", "/mnt/x": "", "": "",
	} {
		if got := PartitionOf(path); got != want {
			t.Errorf("%s: %q, want %q", path, got, want)
		}
	}
	for want, p := range map[bool]Package{true: {Partition: "product"}, false: {Partition: "data"}} {
		if p.Preinstalled() != want {
			t.Errorf("%+v", p)
		}
	}
	if !(Package{Partition: "data", SystemPath: "/product/app/X"}).Preinstalled() || !(Package{System: true}).Preinstalled() || (Package{}).Preinstalled() {
		t.Error("an updated app is preinstalled, one that nothing is known of is not")
	}
}

func TestForms(t *testing.T) {
	for characteristics, want := range map[string]string{"": "phone", "nosdcard": "phone", "tablet": "tablet", "nosdcard,tv": "television", "watch": "watch", "automotive,nosdcard": "car"} {
		id, err := Identify(Properties{"ro.build.fingerprint": "b/p/d:14/I/1:user/k", "ro.build.characteristics": characteristics})
		if err != nil || id.Form != want {
			t.Errorf("%q: %s, %v", characteristics, id.Form, err)
		}
	}
}

func TestPrintable(t *testing.T) {
	for in, want := range map[string]string{"plain": "plain", "a\nb\tc\x00d": "a�b�c�d", "\u202eabc\u2066": "�abc�", "\xff\xfe": "��", "日本語テキスト": "日本語テキ…", "ab\x1b[31mred": "ab�[3…"} {
		if got := Printable(in, 5); got != want && !(len([]rune(in)) > 5 && strings.HasPrefix(got, want[:3])) {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}
