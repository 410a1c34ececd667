package phone

import (
	"bufio"
	"fmt"
	"maps"
	"slices"
	"strings"
)

func (p *Phone) dumpsys(c *command) byte {
	args := slices.DeleteFunc(slices.Clone(c.args), func(a string) bool { return strings.HasPrefix(a, "-") })
	service := strings.Join(args[:min(len(args), 1)], "")
	print, known := services[service]
	if !known || service == "role" && p.scenario.sdk < 29 {
		return c.fail(0, "Can't find service: %s", strings.Join(args, " "))
	}
	p.mu.Lock()
	// State can't change while the dump is made, as on a phone.
	var text strings.Builder
	w := bufio.NewWriter(&text)
	print(p, w, args[1:])
	w.Flush()
	p.mu.Unlock()
	c.print("%s", text.String())
	return 0
}

// services are what dumpsys can print. The lock is held.
var services = map[string]func(p *Phone, w *bufio.Writer, args []string){
	"package": func(p *Phone, w *bufio.Writer, args []string) {
		dumper{p.packages, p.scenario.sdk, p.scenario.release}.all(w, args)
	},
	"role":          (*Phone).dumpRoles,
	"overlay":       (*Phone).dumpOverlays,
	"webviewupdate": (*Phone).dumpWebView,
	"device_policy": (*Phone).dumpPolicy,
	"diskstats":     (*Phone).dumpSizes,
	"battery":       (*Phone).dumpBattery,
	"power":         (*Phone).dumpPower,
	"meminfo":       (*Phone).dumpMemory,
	"activity":      (*Phone).dumpActivity,
	"alarm":         (*Phone).dumpAlarms,
	"jobscheduler":  (*Phone).dumpJobs,
	"batterystats":  (*Phone).dumpBatteryStats,
	"gfxinfo":       (*Phone).dumpDrawn,
}

// dumper prints dumpsys package for one Android release.
type dumper struct {
	packages []*app
	sdk      int
	release  string
}

func (d dumper) all(w *bufio.Writer, only []string) {
	if len(only) == 0 {
		fmt.Fprintf(w, "Database versions:\n  Internal:\n    sdkVersion=%d databaseVersion=3\n    fingerprint=%s\n  External:\n    sdkVersion=%d databaseVersion=3\n\n", d.sdk, d.release, d.sdk)
		d.libraries(w)
		d.activities(w)
		d.receivers(w)
		d.permissions(w)
	}
	w.WriteString("Packages:\n")
	for _, a := range d.packages {
		if len(only) == 0 || slices.Contains(only, a.Name) {
			d.pkg(w, a, a.codeDir())
		}
	}
	w.WriteByte('\n')
	hidden := false
	for _, a := range d.packages {
		if !a.Updated || len(only) > 0 && !slices.Contains(only, a.Name) {
			continue
		}
		if !hidden {
			w.WriteString("Hidden system packages:\n")
			hidden = true
		}
		d.pkg(w, a, a.dir)
	}
	if hidden {
		w.WriteByte('\n')
	}
	if len(only) == 0 {
		d.sharedUsers(w)
		w.WriteString("Package Changes:\n  Sequence number=42\n  User 0:\n")
	}
}

func (d dumper) libraries(w *bufio.Writer) {
	w.WriteString("Libraries:\n  org.apache.http.legacy -> (jar) /system/framework/org.apache.http.legacy.jar\n  android.test.base -> (jar) /system/framework/android.test.base.jar\n")
	for _, a := range d.packages {
		for _, lib := range a.Provides {
			fmt.Fprintf(w, "  %s -> (apk) %s\n", strings.TrimPrefix(lib, "static:"), a.Name)
		}
	}
	w.WriteByte('\n')
}

func (d dumper) activities(w *bufio.Writer) {
	w.WriteString("Activity Resolver Table:\n  Non-Data Actions:\n      android.intent.action.MAIN:\n")
	for _, a := range d.packages {
		if a.icon() {
			fmt.Fprintf(w, "        %07x %s/.Main filter %07x\n          Action: \"android.intent.action.MAIN\"\n          Category: \"android.intent.category.LAUNCHER\"\n", hashOf(a.Name)&0xfffffff, a.Name, hashOf(a.Name+"f")&0xfffffff)
		}
	}
	w.WriteByte('\n')
}

func (d dumper) receivers(w *bufio.Writer) {
	w.WriteString("Receiver Resolver Table:\n  Non-Data Actions:\n      android.intent.action.BOOT_COMPLETED:\n")
	for _, a := range d.packages {
		if a.Boot {
			fmt.Fprintf(w, "        %07x %s/.BootReceiver filter %07x\n          Action: \"android.intent.action.BOOT_COMPLETED\"\n", hashOf(a.Name+"b")&0xfffffff, a.Name, hashOf(a.Name+"bf")&0xfffffff)
		}
	}
	w.WriteByte('\n')
}

func (d dumper) permissions(w *bufio.Writer) {
	w.WriteString("Permissions:\n")
	for _, a := range d.packages {
		for _, perm := range a.Declares {
			name, prot := permission(perm)
			fmt.Fprintf(w, "  Permission [%s] (%07x):\n    sourcePackage=%s\n    uid=%d gids=[] type=0 prot=%s\n", name, hashOf(perm)&0xfffffff, a.Name, a.uid, prot)
		}
	}
	w.WriteByte('\n')
}

// permission takes "NAME prot" apart; a short name is the platform's own.
func permission(spec string) (name, protection string) {
	name, protection, ok := strings.Cut(spec, " ")
	if !ok {
		protection = "normal"
	}
	if !strings.Contains(name, ".") {
		name = "android.permission." + name
	}
	return name, protection
}

func (d dumper) pkg(w *bufio.Writer, a *app, dir string) {
	id := "userId"
	if d.sdk >= 33 {
		id = "appId"
	}
	hash := hashOf(a.Name+dir) & 0xfffffff
	fmt.Fprintf(w, "  Package [%s] (%07x):\n    %s=%d\n", a.Name, hash, id, a.uid)
	if a.SharedUser != "" {
		fmt.Fprintf(w, "    sharedUser=SharedUserSetting{%07x %s/%d}\n", hashOf(a.SharedUser)&0xfffffff, a.SharedUser, a.uid)
	}
	fmt.Fprintf(w, "    pkg=Package{%07x %s}\n    codePath=%s\n", hash, a.Name, dir)
	if d.sdk < 33 {
		fmt.Fprintf(w, "    resourcePath=%s\n", dir)
	}
	fmt.Fprintf(w, "    legacyNativeLibraryDir=%s/lib\n    primaryCpuAbi=arm64-v8a\n    versionCode=%d minSdk=%d targetSdk=%d\n    versionName=%s\n    splits=[base]\n    apkSigningVersion=3\n",
		dir, a.versionCode, min(28, d.sdk), d.sdk, a.Version)
	fmt.Fprintf(w, "    flags=[ %sHAS_CODE ALLOW_CLEAR_USER_DATA ALLOW_BACKUP %s]\n", when(a.system(), "SYSTEM "), when(a.Persistent, "PERSISTENT "))
	fmt.Fprintf(w, "    privateFlags=[ PRIVATE_FLAG_ACTIVITIES_RESIZE_MODE_RESIZEABLE_VIA_SDK_VERSION %s]\n", when(a.Privileged, "PRIVILEGED "))
	if a.Overlays != "" {
		fmt.Fprintf(w, "    overlayTarget=%s\n", a.Overlays)
	}
	fmt.Fprintf(w, "    dataDir=/data/user/0/%s\n    timeStamp=2009-01-01 00:00:00\n    lastUpdateTime=2009-01-01 00:00:00\n", a.Name)
	if a.Owner || a.Updated {
		fmt.Fprintf(w, "    installerPackageName=%s\n", a.installer())
	}
	fmt.Fprintf(w, "    signatures=PackageSignatures{%07x version:3, signatures:[%08x], past signatures:[]}\n", hash, hashOf(a.signedBy()))
	w.WriteString("    installPermissionsFixed=true\n")
	d.libraryUse(w, a)
	d.permissionUse(w, a)
	for _, u := range slices.Sorted(maps.Keys(a.users)) {
		st := a.users[u]
		fmt.Fprintf(w, "    User %d: ceDataInode=%d installed=%t hidden=false suspended=false %sstopped=false notLaunched=false enabled=%d instant=false virtual=false\n      gids=[3003]\n",
			u, 131072+a.uid, st.installed, when(d.sdk >= 29, "distractionFlags=0 "), st.enabled)
		if st.enabled == 3 {
			w.WriteString("      lastDisabledCaller: shell:2000\n")
		}
		w.WriteString("      runtime permissions:\n")
		if u == 0 {
			d.runtimePermissions(w, a)
		}
	}
}

func (d dumper) libraryUse(w *bufio.Writer, a *app) {
	list := func(title string, items []string) {
		if len(items) == 0 {
			return
		}
		fmt.Fprintf(w, "    %s:\n", title)
		for _, item := range items {
			fmt.Fprintf(w, "      %s\n", strings.TrimPrefix(item, "static:"))
		}
	}
	static := func(s string) bool { return strings.HasPrefix(s, "static:") }
	shared := func(s string) bool { return !static(s) }
	only := func(items []string, keep func(string) bool) []string {
		return slices.DeleteFunc(slices.Clone(items), func(s string) bool { return !keep(s) })
	}
	list("dynamic libraries", only(a.Provides, shared))
	list("static library", only(a.Provides, static))
	list("usesLibraries", only(a.Uses, shared))
	list("usesStaticLibraries", only(a.Uses, static))
	list("usesOptionalLibraries", a.Optional)
}

func (d dumper) permissionUse(w *bufio.Writer, a *app) {
	if len(a.Declares) > 0 {
		w.WriteString("    declared permissions:\n")
		for _, perm := range a.Declares {
			name, prot := permission(perm)
			fmt.Fprintf(w, "      %s: prot=%s, INSTALLED\n", name, prot)
		}
	}
	if len(a.Asks) == 0 {
		return
	}
	w.WriteString("    requested permissions:\n")
	for _, perm := range a.Asks {
		name, _ := permission(perm)
		fmt.Fprintf(w, "      %s\n", name)
	}
	w.WriteString("    install permissions:\n")
	for _, perm := range a.Asks {
		name, _ := permission(perm)
		fmt.Fprintf(w, "      %s: granted=true\n", name)
	}
}

func (d dumper) sharedUsers(w *bufio.Writer) {
	w.WriteString("Shared users:\n")
	members := map[string][]*app{}
	var order []string
	for _, a := range d.packages {
		if a.SharedUser == "" {
			continue
		}
		if members[a.SharedUser] == nil {
			order = append(order, a.SharedUser)
		}
		members[a.SharedUser] = append(members[a.SharedUser], a)
	}
	for _, name := range order {
		fmt.Fprintf(w, "  SharedUser [%s] (%07x):\n    userId=%d\n    Packages\n", name, hashOf(name)&0xfffffff, members[name][0].uid)
		for _, a := range members[name] {
			fmt.Fprintf(w, "      PackageSetting{%07x %s/%d}\n", hashOf(a.Name)&0xfffffff, a.Name, a.uid)
		}
	}
	w.WriteByte('\n')
}

func when(ok bool, s string) string {
	if ok {
		return s
	}
	return ""
}
