package phone

import (
	"errors"
	"hash/fnv"
	"log/slog"
	"maps"
	"path"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"roster/core/android"
)

// Phone is a running stand-in. Its methods may be called from any goroutine.
type Phone struct {
	scenario *Scenario
	log      *slog.Logger

	mu        sync.Mutex
	started   time.Time // when it was last started
	removal   time.Duration
	packages  []*app // in the order of the scenario
	byName    map[string]*app
	settings  map[string]map[string]string
	faults    []Fault
	happened  map[int]int // how often each fault happened
	logLines  []string
	keys      map[string]bool // public keys that the owner has accepted
	prompts   []*prompt       // computers that wait for the owner
	plugged   bool
	awayUntil time.Time
	stuck     string // why the phone does not start
	lockCode  bool
	holders   map[string]string // who holds a role, where somebody was chosen
	files     map[string][]byte // what was pushed to it
	links     map[*link]bool
	sessions  map[int]map[string][]byte // installs that are being written
	takenOff  map[string]int            // how often each package went

	passed time.Duration // of its time, beside what has gone by since it started
	awake  bool          // its screen is on
	drew   []*app        // what drew on the screen since it started
	opened int           // how often a screen was opened

	cleared map[string]int // how often the data of each was deleted
	needs   []NoStart      // what a hand said that it does not start without
	disk    *disk          // of a phone with root, else nil
	image   []*app         // what it came with, in its order, whatever is bound over the image
	noRoot  bool           // its owner gives nobody root
	endBoot func()         // ends what the last start left in the background
}

// app is a package on the phone, with its state for the first user.
type app struct {
	PackageSpec
	uid         int
	versionCode int64
	dir         string // the code path on the image, or on /data
	users       map[int]*state
	apk         []byte // the package file, where one was installed
	noise       noise
	cert        string // the SHA-256 of whoever signed it, where known already
}

// state is a package's for one user.
type state struct {
	installed bool
	enabled   int // as dumpsys package numbers it
}

// first is the package's state for the phone's first user.
func (a *app) first() *state { return a.users[0] }

// everyday are the roles that people open an app for.
var everyday = []string{"DIALER", "SMS", "BROWSER", "SYSTEM_GALLERY"}

// icon reports whether the package can be opened from the list of apps.
func (a *app) icon() bool {
	switch {
	case a.Icon != nil:
		return *a.Icon
	case slices.ContainsFunc(a.Roles, func(r string) bool { return slices.Contains(everyday, r) }):
		return true
	}
	return a.Label != "" && !a.Privileged && !a.Keyboard && a.Overlays == "" && a.SharedUser == ""
}

// signedBy names whose key signed the package: the platform's own, where it runs
// as one of the platform's users, or its maker's.
func (a *app) signedBy() string {
	if strings.HasPrefix(a.SharedUser, "android.uid.") && a.SharedUser != "android.uid.shared" {
		return ""
	}
	return a.Name[:strings.LastIndexByte("."+a.Name, '.')]
}

// New makes a phone that is plugged in and has everything that its scenario
// gives it.
func New(s *Scenario, log *slog.Logger) *Phone {
	p := &Phone{
		scenario: s, log: log.With("phone", s.Name), started: time.Now(), removal: s.RemovalTakes,
		byName: map[string]*app{},
		settings: map[string]map[string]string{
			"global": {"window_animation_scale": "1.0", "transition_animation_scale": "1.0", "animator_duration_scale": "1.0", "adb_enabled": "1", "boot_count": "1"},
			"secure": {"user_setup_complete": "1"},
			"system": {"screen_brightness": "102"},
		},
		faults: slices.Clone(s.Faults), happened: map[int]int{}, keys: map[string]bool{}, plugged: !s.Unplugged, lockCode: s.LockCode, holders: map[string]string{}, files: map[string][]byte{}, links: map[*link]bool{}, sessions: map[int]map[string][]byte{}, takenOff: map[string]int{}, cleared: map[string]int{},
	}
	for _, spec := range s.Packages {
		p.add(spec)
	}
	if s.Root != "" {
		p.disk, p.noRoot = newDisk(s.Image), s.RefusesRoot
		p.flash()
	}
	return p
}

// flash writes an image with every package on it to a phone with root. The lock is
// held, or nobody else has the phone yet.
func (p *Phone) flash() {
	p.image = slices.Clone(p.packages)
	for _, a := range p.image {
		p.disk.addPackage(a)
	}
}

// scan finds which packages the image has at a start: one whose folder is gone, or
// has another bound over it, is none of the phone's, unless it was updated. The
// lock is held.
func (p *Phone) scan() {
	if p.disk == nil {
		return
	}
	list := make([]*app, 0, len(p.packages))
	for _, a := range p.image {
		was := p.byName[a.Name] == a
		if !a.system() {
			if was {
				list = append(list, a)
			}
			continue
		}
		if p.disk.find(a.imageFile()) == nil && !(was && a.Updated) {
			delete(p.byName, a.Name)
			continue
		}
		if !was { // as it came
			a.users, a.noise = newApp(a.PackageSpec, 0).users, newNoise(a.PackageSpec)
			p.byName[a.Name] = a
		}
		list = append(list, a)
	}
	for _, a := range p.packages {
		if !slices.Contains(p.image, a) {
			list = append(list, a)
		}
	}
	p.packages = list
}

// add puts a package on the phone, for each of its users.
func (p *Phone) add(spec PackageSpec) *app {
	a := newApp(spec, len(p.packages))
	for _, u := range p.scenario.Users {
		a.users[u] = &state{installed: !spec.Owner, enabled: a.first().enabled}
	}
	p.packages = append(p.packages, a)
	p.byName[spec.Name] = a
	return a
}

func newApp(spec PackageSpec, index int) *app {
	a := &app{PackageSpec: spec, users: map[int]*state{0: {installed: true}}, uid: 10050 + index, noise: newNoise(spec)}
	if spec.Off {
		a.first().enabled = 2
	}
	if spec.SharedUser == "android.uid.system" {
		a.uid = 1000
	} else if spec.SharedUser != "" {
		a.uid = 10000 + int(hashOf(spec.SharedUser)%40)
	}
	a.versionCode = versionCode(spec)
	if spec.Owner {
		a.dir = "/data/app/~~" + token(spec.Name) + "==/" + spec.Name + "-" + token(spec.Version) + "=="
	} else {
		a.dir = path.Join(spec.Dir, folder(spec.Name))
	}
	return a
}

// versionCode is a number that grows with the dotted version.
func versionCode(spec PackageSpec) int64 {
	var code int64
	parts := strings.Split(spec.Version, ".")
	for i := range 3 {
		n := 0
		if i < len(parts) {
			n, _ = strconv.Atoi(parts[i])
		}
		code = code*100 + int64(n%100)
	}
	return code*1000 + int64(hashOf(spec.Name)%1000)
}

// folder is the name of a package's folder on the image.
func folder(name string) string {
	segments := strings.Split(name, ".")
	if len(segments) > 2 {
		segments = segments[1:]
	}
	var b strings.Builder
	for _, s := range segments {
		for w := range strings.SplitSeq(s, "_") {
			if w != "" {
				b.WriteString(strings.ToUpper(w[:1]) + w[1:])
			}
		}
	}
	return b.String()
}

func hashOf(s string) uint32 {
	h := fnv.New32a()
	h.Write([]byte(s))
	return h.Sum32()
}

// token is a short made-up word that is always the same for s.
func token(s string) string {
	const letters = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"
	h := uint64(hashOf(s))<<32 | uint64(hashOf(s+"."))
	var b strings.Builder
	for range 10 {
		b.WriteByte(letters[h%uint64(len(letters))])
		h /= uint64(len(letters))
	}
	return b.String()
}

// updatedDir is where the update of a system app lies.
func (a *app) updatedDir() string {
	return "/data/app/~~" + token(a.Name+"u") + "==/" + a.Name + "-" + token(a.Version+"u") + "=="
}

// codeDir is the folder that the phone runs the package from.
func (a *app) codeDir() string {
	if a.Updated {
		return a.updatedDir()
	}
	return a.dir
}

func (a *app) system() bool { return !a.Owner && android.PartitionOf(a.dir+"/") != "data" }

// Installed reports whether the package is there for the first user, and
// whether the phone knows it at all. It is how tests look behind adb's back.
func (p *Phone) Installed(name string) (installed, known bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	a := p.byName[name]
	return a != nil && a.first().installed, a != nil
}

// InstalledNames lists what is there for the first user, in the phone's order.
func (p *Phone) InstalledNames() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	var names []string
	for _, a := range p.packages {
		if a.first().installed {
			names = append(names, a.Name)
		}
	}
	return names
}

// TakenOff counts how often a package was taken off since the phone was made,
// by whichever command: what a journal is held to.
func (p *Phone) TakenOff() map[string]int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return maps.Clone(p.takenOff)
}

// OffNames lists what is there for the first user and switched off.
func (p *Phone) OffNames() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	var names []string
	for _, a := range p.packages {
		if a.first().installed && a.first().enabled > 1 {
			names = append(names, a.Name)
		}
	}
	return names
}

// Unplug pulls the cable: every connection ends and none is taken.
func (p *Phone) Unplug() {
	p.mu.Lock()
	p.plugged = false
	links := p.dropLinks()
	p.mu.Unlock()
	for _, l := range links {
		l.close()
	}
}

// TakeRemovals sets how long the phone needs from now on to take a package off.
func (p *Phone) TakeRemovals(each time.Duration) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.removal = each
}

// Plug puts the cable back.
func (p *Phone) Plug() {
	p.mu.Lock()
	p.plugged = true
	p.mu.Unlock()
}

// Restart boots the phone again: what comes back by itself is back, and a
// phone that can't start any more hangs until it is reset.
func (p *Phone) Restart() {
	p.mu.Lock()
	for _, a := range p.packages {
		if a.Back == "restart" || slices.Contains(p.scenario.ComesBack, a.Name) {
			*a.first() = state{installed: true}
		}
		if a.LoudAgain {
			a.noise = newNoise(a.PackageSpec)
		}
	}
	p.awayUntil = time.Now().Add(p.scenario.RestartTakes)
	links := p.dropLinks()
	p.mu.Unlock()
	p.start()
	p.log.Info("the phone restarts", "away", p.scenario.RestartTakes)
	for _, l := range links {
		l.close()
	}
}

// starts is how often a phone with root tries to start before it stays as it is.
const starts = 5

// start starts the phone. One with root whose boot scripts keep it from starting
// tries again, as phones do, and runs them again.
func (p *Phone) start() {
	for n := 1; ; n++ {
		p.bootScripts()
		p.mu.Lock()
		p.scan()
		p.boot(n)
		again := p.stuck != "" && p.disk != nil && n < starts
		p.mu.Unlock()
		if !again {
			return
		}
	}
}

// boot is what every start does, the n-th in a row. The lock is held.
func (p *Phone) boot(n int) {
	p.logLines, p.started, p.passed, p.awake, p.drew = nil, time.Now(), 0, false, nil
	p.awayUntil = time.Now().Add(time.Duration(n) * p.scenario.RestartTakes)
	p.stuck = ""
	needs := slices.Concat(p.scenario.NoStart, p.needs)
	for _, a := range p.packages {
		if a.StartNeeds != "" {
			needs = append(needs, NoStart{a.Name, a.StartNeeds})
		}
	}
	for _, n := range needs {
		if a := p.byName[n.Without]; (a == nil || !a.first().installed || a.first().enabled > 1) && (n.When != "lock-code-set" || p.lockCode) {
			p.stuck = "it does not start without " + n.Without
			return
		}
	}
	count, _ := strconv.Atoi(p.settings["global"]["boot_count"])
	p.settings["global"]["boot_count"] = strconv.Itoa(count + 1)
}

// Reset puts the phone back as it came: everything is there again, and what
// the owner had is gone.
func (p *Phone) Reset() {
	p.mu.Lock()
	p.packages, p.byName = nil, map[string]*app{}
	for _, spec := range p.scenario.Packages {
		if !spec.Owner {
			p.add(spec)
		}
	}
	clear(p.files)
	clear(p.holders)
	p.lockCode = false
	if p.disk != nil {
		p.disk.wipe()
		p.image = slices.Clone(p.packages)
	}
	p.awayUntil = time.Now().Add(p.scenario.RestartTakes)
	links := p.dropLinks()
	p.mu.Unlock()
	p.start()
	for _, l := range links {
		l.close()
	}
}

// TakeUpdate installs the build that waits and restarts. Packages keep their
// state, but for those that the update brings back.
func (p *Phone) TakeUpdate() error {
	p.mu.Lock()
	if p.scenario.Update == "" {
		p.mu.Unlock()
		return errors.New("no update waits for this phone")
	}
	next, err := p.scenario.after()
	if err != nil {
		p.mu.Unlock()
		return err
	}
	old, packages := p.byName, p.packages
	p.scenario, p.packages, p.byName = next, nil, map[string]*app{}
	for _, spec := range next.Packages {
		a := p.add(spec)
		was := old[spec.Name]
		if was == nil {
			continue
		}
		a.users = was.users
		if a.Back == "update" || slices.Contains(next.BackAfterUpdate, a.Name) {
			*a.first() = state{installed: true}
		}
	}
	for _, a := range packages {
		if a.Owner && p.byName[a.Name] == nil {
			p.packages, p.byName[a.Name] = append(p.packages, a), a
		}
	}
	if p.disk != nil {
		p.flash()
	}
	p.mu.Unlock()
	p.Restart()
	return nil
}

func (p *Phone) dropLinks() []*link {
	links := make([]*link, 0, len(p.links))
	for l := range p.links {
		links = append(links, l)
	}
	clear(p.links)
	return links
}

func (p *Phone) reachable() bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.plugged && p.stuck == "" && time.Now().After(p.awayUntil)
}

// fault returns what goes wrong with a command, if anything does.
func (p *Phone) fault(command string) (Fault, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, f := range p.faults {
		if strings.HasPrefix(command, f.Command) && (f.Times == 0 || p.happened[i] < f.After+f.Times) {
			if p.happened[i]++; p.happened[i] > f.After {
				return f, true
			}
		}
	}
	return Fault{}, false
}
