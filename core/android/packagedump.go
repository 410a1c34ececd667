package android

import (
	"bytes"
	"io"
	"strconv"
	"strings"
)

// SectionPackageDump names the output of dumpsys package in reports.
const SectionPackageDump = "dumpsys package"

// PackageDump is what dumpsys package tells, for the phone's first user.
type PackageDump struct {
	// Packages in the order of the dump, each once.
	Packages []Package
	// Libraries maps a shared library to the package that provides it.
	Libraries map[string]PackageName
}

// ReadPackageDump reads the output of dumpsys package in one pass, keeping
// one line at a time. It accepts the variants of Android 8 to 16 and any part
// of the output that holds a "Packages:" section. The error is the stream's.
func ReadPackageDump(r io.Reader) (*PackageDump, Report, error) {
	d := newDumpOutput(newRoom())
	err := readAll(r, d)
	return d.dump, d.report, err
}

func newDumpOutput(room *room) *dumpOutput {
	return &dumpOutput{
		dump:   &PackageDump{Libraries: map[string]PackageName{}},
		report: Report{Section: SectionPackageDump},
		byName: map[PackageName]int{},
		boot:   map[PackageName]bool{},
		words:  map[string]string{},
		odd:    map[string]bool{},
		room:   room,
	}
}

// section is the top-level part of the dump in which a line stands.
type section int

const (
	elsewhere section = iota
	inLibraries
	inReceivers
	inPackages
	inHidden
)

var sections = map[string]section{
	"Libraries:":               inLibraries,
	"Receiver Resolver Table:": inReceivers,
	"Packages:":                inPackages,
	"Hidden system packages:":  inHidden,
}

// block is the list inside a package's entry to which deeper lines belong.
type block int

const (
	noBlock block = iota
	declares
	requests
	provides
	usesRequired
	usesOptional
	usesStatic
)

var blocks = map[string]block{
	"declared permissions:":  declares,
	"requested permissions:": requests,
	"dynamic libraries:":     provides,
	"static library:":        provides,
	"usesLibraries:":         usesRequired,
	"usesOptionalLibraries:": usesOptional,
	"usesStaticLibraries:":   usesStatic,
}

// Fields and lists that the dump holds and Roster has no use for.
var ignored = func() map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(`pkg resourcePath legacyNativeLibraryDir extractNativeLibs primaryCpuAbi secondaryCpuAbi
		cpuAbiOverride splits apkSigningVersion dataDir supportsScreens timeStamp firstInstallTime lastUpdateTime
		installPermissionsFixed forceQueryable queriesPackages queriesIntents gids usesLibraryFiles lastDisabledCaller
		disabledComponents enabledComponents runtime install packageSource installInitiatingPackageName
		installOriginatingPackageName installOriginatingPackageUid updateOwnerPackageName mimeGroups seInfo seinfo
		compileSdkVersion isOrphaned volumeUuid backgroundRestricted privatePkgFlags appMetadataFilePath
		loadingProgress loadingCompletedTime keysets keySetId signing baselineProfile domainSetId dexMode
		installerPackageUid versionedLibraries libraries requires usesSdkLibraries restrictUpdateHash scannedAsStoppedSystemApp
		isPersistent usesNonSdkApi pageSizeCompat gwpAsanMode memtagMode nativeHeapZeroInitialized cpuAbi appId
		pkgFlagsEx originatingPackage initiatingPackage archiveState`) {
		m[w] = true
	}
	return m
}()

type dumpOutput struct {
	dump    *PackageDump
	report  Report
	n       int // the line being read
	byName  map[PackageName]int
	boot    map[PackageName]bool
	words   map[string]string // each distinct string is kept once
	odd     map[string]bool   // unknown fields already reported
	section section
	seen    bool // a Packages section was there
	block   block
	current *Package // nil while skipping an entry that was refused
	user    bool     // the current entry's user line has been read
	action  bool     // in the receiver table: below BOOT_COMPLETED
	room    *room
}

func (d *dumpOutput) word(b []byte) string {
	if s, ok := d.words[string(b)]; ok {
		return s
	}
	if !d.room.take(2 * len(b)) {
		d.report.overflow()
		return ""
	}
	s := Printable(string(b), 1000)
	d.words[string(b)] = s
	return s
}

// entry reserves room for another entry of some list.
func (d *dumpOutput) entry() bool {
	if !d.room.take(0) {
		d.report.overflow()
	}
	return !d.report.full
}

func (d *dumpOutput) about() *Report { return &d.report }

func (d *dumpOutput) line(n int, line []byte) {
	if len(line) == 0 || d.report.full {
		return
	}
	d.n = n
	if line[0] != ' ' && line[0] != '\t' {
		d.top(line)
		return
	}
	switch d.section {
	case inPackages:
		d.packageLine(line)
	case inHidden:
		d.hiddenLine(line)
	case inReceivers:
		d.receiverLine(line)
	case inLibraries:
		d.libraryLine(line)
	}
}

func (d *dumpOutput) top(line []byte) {
	line = bytes.TrimRight(line, " ")
	if line[len(line)-1] != ':' {
		// Errors of other services get mixed in; say so only where they
		// interrupt something that is being read.
		if d.section == inPackages {
			d.report.note(d.n, line, "a line between packages that is not part of one")
		}
		return
	}
	d.section = sections[string(line)]
	d.current, d.block, d.action = nil, noBlock, false
	if d.section == inPackages {
		d.seen = true
	}
}

func (d *dumpOutput) packageLine(line []byte) {
	depth := indent(line)
	if depth == len(line) {
		return
	}
	text := line[depth:]
	if depth <= 2 {
		d.startPackage(text)
		return
	}
	if d.current == nil {
		return
	}
	if depth <= 4 {
		d.field(text)
		return
	}
	if depth == 6 {
		d.item(text)
	}
}

func (d *dumpOutput) startPackage(text []byte) {
	d.current, d.block = nil, noBlock
	rest, ok := bytes.CutPrefix(text, []byte("Package ["))
	end := bytes.IndexByte(rest, ']')
	if !ok || end < 0 {
		d.report.note(d.n, text, "expected Package [NAME] (…):")
		return
	}
	name, err := ParsePackageName(string(rest[:end]))
	if err != nil {
		d.report.note(d.n, text, err.Error()+"; the entry was left out")
		return
	}
	if _, twice := d.byName[name]; twice {
		d.report.note(d.n, text, "this package is listed twice; the first entry was kept")
		return
	}
	if len(d.dump.Packages) == maxPackages || !d.room.take(1000) {
		d.report.overflow()
		return
	}
	d.byName[name] = len(d.dump.Packages)
	d.dump.Packages = append(d.dump.Packages, Package{Name: name, Installed: true, Enabled: EnabledDefault})
	d.current = &d.dump.Packages[len(d.dump.Packages)-1]
	d.user = false
}

func (d *dumpOutput) field(text []byte) {
	if bytes.HasPrefix(text, []byte("User ")) {
		d.block = noBlock
		d.userLine(text)
		return
	}
	if b, ok := blocks[string(text)]; ok {
		d.block = b
		return
	}
	d.block = noBlock
	eq := bytes.IndexByte(text, '=')
	if eq < 0 {
		key, _, _ := bytes.Cut(bytes.TrimSuffix(text, []byte(":")), []byte(" "))
		d.unknown(key, text)
		return
	}
	key, value := text[:eq], text[eq+1:]
	p := d.current
	var err error
	switch string(key) {
	case "userId", "appId", "uid":
		p.UID, err = strconv.Atoi(string(firstWord(value)))
	case "sharedUser":
		p.SharedUser = d.sharedUser(value)
	case "codePath":
		p.Path = d.word(value)
		p.Partition = PartitionOf(p.Path)
	case "versionCode":
		p.VersionCode, err = strconv.ParseInt(string(firstWord(value)), 10, 64)
		d.sdks(value)
	case "versionName":
		p.VersionName = d.word(value)
	case "flags", "pkgFlags":
		p.System = p.System || hasWord(value, "SYSTEM")
		p.Persistent = p.Persistent || hasWord(value, "PERSISTENT")
	case "privateFlags", "privatePkgFlags":
		p.Privileged = p.Privileged || hasWord(value, "PRIVILEGED")
	case "installerPackageName":
		if string(value) != "null" {
			p.Installer = d.word(value)
		}
	case "signatures":
		p.Signer = d.signer(value)
	case "overlayTarget":
		p.OverlayTarget = d.word(value)
	default:
		d.unknown(key, text)
	}
	if err != nil {
		d.report.note(d.n, text, "expected a number")
	}
}

// unknown reports a field the first time that it is met, so that a new
// Android release is noticed without a note on each of its packages.
func (d *dumpOutput) unknown(key, text []byte) {
	if ignored[string(key)] || d.odd[string(key)] || len(d.odd) >= maxNotes {
		return
	}
	d.odd[string(key)] = true
	d.report.note(d.n, text, "a field that is not known here; it and others like it were left out")
}

func (d *dumpOutput) sdks(value []byte) {
	for _, w := range bytes.Fields(value) {
		if v, ok := bytes.CutPrefix(w, []byte("minSdk=")); ok {
			d.current.MinSDK, _ = strconv.Atoi(string(v))
		} else if v, ok := bytes.CutPrefix(w, []byte("targetSdk=")); ok {
			d.current.TargetSDK, _ = strconv.Atoi(string(v))
		}
	}
}

// sharedUser reads SharedUserSetting{hash NAME/UID}.
func (d *dumpOutput) sharedUser(value []byte) string {
	_, rest, ok := bytes.Cut(value, []byte(" "))
	name, _, ok2 := bytes.Cut(rest, []byte("/"))
	if !ok || !ok2 {
		d.report.note(d.n, value, "expected SharedUserSetting{… NAME/UID}")
		return ""
	}
	return d.word(name)
}

// signer reads the first certificate's mark from
// PackageSignatures{hash version:3, signatures:[1a2b3c4d], past signatures:[]}.
func (d *dumpOutput) signer(value []byte) string {
	_, rest, ok := bytes.Cut(value, []byte("signatures:["))
	mark, _, ok2 := bytes.Cut(rest, []byte("]"))
	if !ok || !ok2 {
		return "" // before Android 9 the mark is not told
	}
	mark, _, _ = bytes.Cut(mark, []byte(","))
	return d.word(bytes.TrimSpace(mark))
}

var enabledStates = []Enabled{EnabledDefault, EnabledOn, EnabledOff, EnabledOffByUser, EnabledUntilUsed}

func (d *dumpOutput) userLine(text []byte) {
	rest, ok := bytes.CutPrefix(text, []byte("User 0:"))
	if !ok {
		return // another user of the same phone
	}
	d.user = true
	for _, w := range bytes.Fields(rest) {
		if v, ok := bytes.CutPrefix(w, []byte("installed=")); ok {
			d.current.Installed = string(v) == "true"
		} else if v, ok := bytes.CutPrefix(w, []byte("enabled=")); ok {
			n, err := strconv.Atoi(string(v))
			if err != nil || n < 0 || n >= len(enabledStates) {
				d.report.note(d.n, text, "enabled= is not a number from 0 to 4")
				continue
			}
			d.current.Enabled = enabledStates[n]
		}
	}
}

func (d *dumpOutput) item(text []byte) {
	p := d.current
	if d.block == noBlock || !d.entry() {
		return
	}
	switch d.block {
	case declares:
		name, rest, ok := bytes.Cut(text, []byte(": prot="))
		if !ok {
			d.report.note(d.n, text, "expected NAME: prot=…")
			return
		}
		protection, _, _ := bytes.Cut(rest, []byte(","))
		p.Declares = append(p.Declares, Declared{d.word(name), d.word(protection)})
	case requests:
		name, _, _ := bytes.Cut(text, []byte(":"))
		p.Requests = append(p.Requests, d.word(name))
	case provides:
		name, _, _ := bytes.Cut(text, []byte(" "))
		p.Provides = append(p.Provides, d.word(name))
	case usesRequired:
		p.Uses = append(p.Uses, LibraryUse{d.word(firstWord(text)), "required"})
	case usesOptional:
		p.Uses = append(p.Uses, LibraryUse{d.word(firstWord(text)), "optional"})
	case usesStatic:
		p.Uses = append(p.Uses, LibraryUse{d.word(firstWord(text)), "static"})
	}
}

// hiddenLine reads the system copies of updated apps: only their place on the
// image is of interest, the entry itself was read under Packages.
func (d *dumpOutput) hiddenLine(line []byte) {
	depth := indent(line)
	text := line[depth:]
	if depth <= 2 {
		d.current = nil
		rest, ok := bytes.CutPrefix(text, []byte("Package ["))
		if end := bytes.IndexByte(rest, ']'); ok && end >= 0 {
			if i, known := d.byName[PackageName(rest[:end])]; known {
				d.current = &d.dump.Packages[i]
			}
		}
		return
	}
	if value, ok := bytes.CutPrefix(text, []byte("codePath=")); ok && d.current != nil {
		d.current.SystemPath = d.word(value)
		d.current.Partition = PartitionOf(d.current.SystemPath)
	}
}

func (d *dumpOutput) receiverLine(line []byte) {
	depth := indent(line)
	text := line[depth:]
	if depth == 6 && len(text) > 0 && text[len(text)-1] == ':' {
		d.action = string(text) == "android.intent.action.BOOT_COMPLETED:" || string(text) == "android.intent.action.LOCKED_BOOT_COMPLETED:"
		return
	}
	if !d.action || depth != 8 {
		return
	}
	// "1a2b3c com.example.app/.Receiver filter 4d5e6f"
	_, rest, _ := bytes.Cut(text, []byte(" "))
	name, _, ok := bytes.Cut(rest, []byte("/"))
	if parsed, err := ParsePackageName(string(name)); ok && err == nil {
		if !d.boot[parsed] && d.room.take(len(name)) {
			d.boot[parsed] = true
		}
	} else {
		d.report.note(d.n, text, "expected HASH PACKAGE/RECEIVER")
	}
}

func (d *dumpOutput) libraryLine(line []byte) {
	text := bytes.TrimSpace(line)
	library, provider, ok := bytes.Cut(text, []byte(" -> (apk) "))
	if !ok {
		return // a library of the platform itself, or a detail of one
	}
	name, err := ParsePackageName(string(firstWord(provider)))
	if err != nil {
		d.report.note(d.n, text, err.Error())
		return
	}
	if d.entry() {
		d.dump.Libraries[d.word(firstWord(library))] = name
	}
}

func (d *dumpOutput) end(whole bool) {
	for name := range d.boot {
		if i, ok := d.byName[name]; ok {
			d.dump.Packages[i].StartsAtBoot = true
		}
	}
	for i := range d.dump.Packages {
		p := &d.dump.Packages[i]
		if p.SystemPath == "" && p.Path != "" && p.Partition != "data" && p.Partition != "" {
			p.System = true
		}
	}
	last := len(d.dump.Packages)
	switch {
	case !d.seen:
		d.report.Missing = "there is no Packages: section"
	case last == 0:
		d.report.Missing = "the Packages: section is empty"
	case !whole:
		d.report.Missing = "the output ends in the middle of a line"
	case d.section == inPackages && !d.user:
		d.report.Missing = "the output ends in the middle of package " + string(d.dump.Packages[last-1].Name)
	default:
		d.report.Complete = true
	}
}

func firstWord(b []byte) []byte {
	word, _, _ := bytes.Cut(b, []byte(" "))
	return word
}

// hasWord reports whether a list such as "[ SYSTEM HAS_CODE ]" holds word.
func hasWord(list []byte, word string) bool {
	for len(list) > 0 {
		var w []byte
		w, list, _ = bytes.Cut(list, []byte(" "))
		if string(w) == word {
			return true
		}
	}
	return false
}
