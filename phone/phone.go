package phone

import (
	"hash/fnv"
	"log/slog"
	"path"
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
	links     map[*link]bool
}

// app is a package on the phone, with its state for the first user.
type app struct {
	PackageSpec
	uid         int
	versionCode int64
	dir         string // the code path on the image, or on /data
	installed   bool
	enabled     int // as dumpsys package numbers it
}

// New makes a phone that is plugged in and has everything that its scenario
// gives it.
func New(s *Scenario, log *slog.Logger) *Phone {
	p := &Phone{
		scenario: s, log: log.With("phone", s.Name),
		byName: map[string]*app{},
		settings: map[string]map[string]string{
			"global": {"window_animation_scale": "1.0", "transition_animation_scale": "1.0", "animator_duration_scale": "1.0", "adb_enabled": "1"},
			"secure": {"user_setup_complete": "1"},
			"system": {"screen_brightness": "102"},
		},
		faults: s.Faults, happened: map[int]int{}, keys: map[string]bool{}, plugged: true, links: map[*link]bool{},
	}
	for i, spec := range s.Packages {
		a := newApp(spec, i)
		p.packages = append(p.packages, a)
		p.byName[spec.Name] = a
	}
	return p
}

func newApp(spec PackageSpec, index int) *app {
	a := &app{PackageSpec: spec, installed: true, uid: 10050 + index}
	if spec.Off {
		a.enabled = 2
	}
	if spec.SharedUser == "android.uid.system" {
		a.uid = 1000
	} else if spec.SharedUser != "" {
		a.uid = 10000 + int(hashOf(spec.SharedUser)%40)
	}
	a.versionCode = int64(hashOf(spec.Name+spec.Version)%900_000) + 100_000
	if spec.Owner {
		a.dir = "/data/app/~~" + token(spec.Name) + "==/" + spec.Name + "-" + token(spec.Version) + "=="
	} else {
		a.dir = path.Join(spec.Dir, folder(spec.Name))
	}
	return a
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
	return a != nil && a.installed, a != nil
}

// InstalledNames lists what is there for the first user, in the phone's order.
func (p *Phone) InstalledNames() []string {
	p.mu.Lock()
	defer p.mu.Unlock()
	var names []string
	for _, a := range p.packages {
		if a.installed {
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

// Plug puts the cable back.
func (p *Phone) Plug() {
	p.mu.Lock()
	p.plugged = true
	p.mu.Unlock()
}

// Restart boots the phone again: what comes back by itself is back.
func (p *Phone) Restart() {
	p.mu.Lock()
	for _, name := range p.scenario.ComesBack {
		if a := p.byName[name]; a != nil {
			a.installed, a.enabled = true, 0
		}
	}
	p.logLines = nil
	p.awayUntil = time.Now().Add(p.scenario.RestartTakes)
	links := p.dropLinks()
	p.mu.Unlock()
	p.log.Info("the phone restarts", "away", p.scenario.RestartTakes)
	for _, l := range links {
		l.close()
	}
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
	return p.plugged && time.Now().After(p.awayUntil)
}

// fault returns what goes wrong with a command, if anything does.
func (p *Phone) fault(command string) (Fault, bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, f := range p.faults {
		if strings.HasPrefix(command, f.Command) && (f.Times == 0 || p.happened[i] < f.Times) {
			p.happened[i]++
			return f, true
		}
	}
	return Fault{}, false
}
