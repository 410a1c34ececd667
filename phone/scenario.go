package phone

import (
	"bytes"
	"fmt"
	"io/fs"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"roster/core/android"
)

// Scenario is one stand-in phone, as its file describes it.
type Scenario struct {
	// Name is what the scenario is called, such as "Lyra 5 on the desk".
	Name string `yaml:"name"`
	// Serial is ro.serialno.
	Serial string `yaml:"serial"`
	// Model is the path of a model file, Build the version of one of its
	// builds. A scenario without them gives Properties and Packages itself.
	Model string `yaml:"model"`
	Build string `yaml:"build"`
	// Prompt says what the owner does when a computer asks to be trusted:
	// "accept" at once, "ask" and wait for Phone.Accept, or "none" for a
	// phone that trusts everybody.
	Prompt string `yaml:"prompt"`
	// Latency is how long a question and its answer are under way together:
	// what the phone says reaches the computer that much later.
	Latency time.Duration `yaml:"latency"`
	// RemovalTakes is how long the phone needs to take a package off.
	RemovalTakes time.Duration `yaml:"removalTakes"`
	// RestartTakes is how long the phone is away after a reboot.
	RestartTakes time.Duration `yaml:"restartTakes"`
	// Protected packages refuse to go; Administrators are active device
	// administrators, which guard their package.
	Protected      []string `yaml:"protected"`
	Administrators []string `yaml:"administrators"`
	// ComesBack are packages that a restart brings back, BackAfterUpdate those
	// that an update does.
	ComesBack       []string `yaml:"comesBack"`
	BackAfterUpdate []string `yaml:"backAfterUpdate"`
	// NoStart are conditions under which the phone does not start.
	NoStart []NoStart `yaml:"noStart"`
	// RefusesInstalls is true where its owner says no on the screen to whatever is
	// to be installed.
	RefusesInstalls bool `yaml:"refusesInstalls"`
	// LockCode is set; DiskFull refuses whatever needs room.
	LockCode bool `yaml:"lockCode"`
	DiskFull bool `yaml:"diskFull"`
	// Users are the people beyond the first that the phone is set up for.
	Users []int `yaml:"users"`
	// Unplugged begins with the cable out.
	Unplugged bool `yaml:"unplugged"`
	// Root says how root is got on it: "su", "adbd" where adb itself has it, or ""
	// for not at all; RefusesRoot is true where its owner gives it to nobody. Image is
	// "writable" for root, or "read-only" even for it.
	Root        string `yaml:"root"`
	RefusesRoot bool   `yaml:"refusesRoot"`
	Image       string `yaml:"image"`
	// Update is the build that waits to be installed.
	Update     string            `yaml:"update"`
	Properties map[string]string `yaml:"properties"`
	Packages   []PackageSpec     `yaml:"packages"`
	Faults     []Fault           `yaml:"faults"`

	sdk     int
	release string
	fsys    fs.FS
	own     []PackageSpec // those that the scenario itself gives
}

// NoStart is a condition under which a restarted phone hangs at its logo
// until somebody resets it.
type NoStart struct {
	Without string `yaml:"without"`
	// When is "always" or "lock-code-set".
	When string `yaml:"when"`
}

// Fault is something that goes wrong with a command.
type Fault struct {
	// Command is the start of the command line that it happens to.
	Command string `yaml:"command"`
	// After is how many such commands still go well.
	After int `yaml:"after"`
	// AfterBytes is how much of the answer still arrives.
	AfterBytes int `yaml:"afterBytes"`
	// Do is "unplug": the cable falls out; "hang": no more is said; or "end":
	// the command is killed.
	Do string `yaml:"do"`
	// Times bounds how often it happens; 0 is always.
	Times int `yaml:"times"`
}

// PackageSpec is one package of a model, a set or a scenario.
type PackageSpec struct {
	Name  string `yaml:"name"`
	Label string `yaml:"label"`
	// Labels are those of other languages.
	Labels map[string]string `yaml:"labels"`
	// Dir overrides the set's folder for the code path.
	Dir     string `yaml:"dir"`
	Version string `yaml:"version"`
	// Since and Until bound the builds that ship it, by version; SinceSDK and
	// UntilSDK by API level. Edition and Region name the edition that alone
	// has it.
	Since    string `yaml:"since"`
	Until    string `yaml:"until"`
	SinceSDK int    `yaml:"sinceSdk"`
	UntilSDK int    `yaml:"untilSdk"`
	Edition  string `yaml:"edition"`
	Region   string `yaml:"region"`
	// Off ships it switched off.
	Off        bool `yaml:"off"`
	Owner      bool `yaml:"owner"`
	Updated    bool `yaml:"updated"`
	Privileged bool `yaml:"privileged"`
	Persistent bool `yaml:"persistent"`
	Boot       bool `yaml:"boot"`
	// Memory is what its processes take while they run, in MB, a few where it says
	// nothing; Wakeups how often in an hour its alarms wake the phone.
	Memory     int      `yaml:"memory"`
	Wakeups    float64  `yaml:"wakeups"`
	SharedUser string   `yaml:"sharedUser"`
	Asks       []string `yaml:"asks"`
	Declares   []string `yaml:"declares"`
	Provides   []string `yaml:"provides"`
	Uses       []string `yaml:"uses"`
	Optional   []string `yaml:"optional"`
	Overlays   string   `yaml:"overlays"`
	// Roles are those that it can hold; the first package of a phone that
	// names a role holds it.
	Roles    []string `yaml:"roles"`
	Keyboard bool     `yaml:"keyboard"`
	// Icon says whether the phone shows it in its list of apps, where that can't be
	// told from the rest.
	Icon    *bool `yaml:"icon"`
	WebView bool  `yaml:"webView"`
	// Wakes are packages that start with it.
	Wakes []string `yaml:"wakes"`
	// Splits are further files that the package consists of.
	Splits []string `yaml:"splits"`
	// Signer is whose key signed it, where that is not told by its name; ABIs and
	// MinSDK are the processors and the API level that its package file needs.
	Signer string   `yaml:"signer"`
	ABIs   []string `yaml:"abis"`
	MinSDK int      `yaml:"minSdk"`
	// Exempt says whose exception from saving the battery it is: "user" or
	// "system". Notifies is true for what notifies and has no icon, NotifyFixed
	// where the permission to can't be withdrawn, LoudAgain where each start of
	// the phone gives it back all that it was kept from.
	Exempt      string `yaml:"exempt"`
	Notifies    bool   `yaml:"notifies"`
	NotifyFixed bool   `yaml:"notifyFixed"`
	LoudAgain   bool   `yaml:"loudAgain"`
	// Guard is "protected" or "administrator"; Back is "restart" or "update";
	// StartNeeds is "always" or "lock-code-set": the phone does not start
	// without the package. They are what a scenario's lists are, for every
	// phone of the model.
	Guard      string `yaml:"guard"`
	Back       string `yaml:"back"`
	StartNeeds string `yaml:"startNeeds"`
}

// Model is a device type with its builds, as its file describes it.
type Model struct {
	Manufacturer string `yaml:"manufacturer"`
	Name         string `yaml:"name"`
	Device       string `yaml:"device"`
	Form         string `yaml:"form"`
	Brand        string `yaml:"brand"`
	// Builds are oldest first within an edition.
	Builds []Build  `yaml:"builds"`
	Sets   []string `yaml:"sets"`
}

// Build is one firmware in a model file.
type Build struct {
	Version string `yaml:"version"`
	Release string `yaml:"release"`
	SDK     int    `yaml:"sdk"`
	ID      string `yaml:"id"`
	Patch   string `yaml:"patch"`
	Edition string `yaml:"edition"`
	Region  string `yaml:"region"`
	// Arrives is true for a build that nobody has captured yet.
	Arrives bool `yaml:"arrives"`
}

// Key names a build within its model: the version, after the edition's name
// where it has one.
func (b Build) Key() string {
	return strings.Join(strings.Fields(b.Edition+" "+b.Region+" "+b.Version), " ")
}

type packageSet struct {
	Dir      string        `yaml:"dir"`
	Version  string        `yaml:"version"`
	Packages []PackageSpec `yaml:"packages"`
	// Series are packages that differ in a part of their name alone.
	Series []series `yaml:"series"`
}

// series stands for one package for each of its words, put in place of "{}"
// in the name and the label.
type series struct {
	PackageSpec `yaml:",inline"`
	Of          []string `yaml:"of"`
}

func (s series) expand() []PackageSpec {
	list := make([]PackageSpec, len(s.Of))
	for i, word := range s.Of {
		list[i] = s.PackageSpec
		list[i].Name = strings.ReplaceAll(s.Name, "{}", word)
		list[i].Label = strings.ReplaceAll(s.Label, "{}", strings.ToUpper(word[:1])+word[1:])
	}
	return list
}

// Load reads a scenario file and everything that it names, relative to the
// root of fsys.
func Load(fsys fs.FS, file string) (*Scenario, error) {
	var s Scenario
	if err := readYAML(fsys, file, &s); err != nil {
		return nil, err
	}
	if err := s.compose(fsys); err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return &s, nil
}

// LoadModel reads a model file.
func LoadModel(fsys fs.FS, file string) (*Model, error) {
	var m Model
	if err := readYAML(fsys, file, &m); err != nil {
		return nil, err
	}
	return &m, nil
}

// Of makes a scenario of one build of a model, for a phone that has nothing
// else to tell.
func Of(fsys fs.FS, model, build, serial string) (*Scenario, error) {
	s := &Scenario{Name: build, Serial: serial, Model: model, Build: build, Prompt: "none"}
	return s, s.compose(fsys)
}

// Composed fills in a scenario from what it names, as Load does with one from
// a file.
func Composed(fsys fs.FS, s *Scenario) (*Scenario, error) {
	return s, s.compose(fsys)
}

func readYAML(fsys fs.FS, file string, into any) error {
	raw, err := fs.ReadFile(fsys, file)
	if err != nil {
		return err
	}
	d := yaml.NewDecoder(bytes.NewReader(raw))
	d.KnownFields(true)
	if err := d.Decode(into); err != nil {
		return fmt.Errorf("%s: %w", file, err)
	}
	return nil
}

func (s *Scenario) compose(fsys fs.FS) error {
	switch s.Prompt {
	case "":
		s.Prompt = "accept"
	case "accept", "ask", "none":
	default:
		return fmt.Errorf("prompt %q: want accept, ask or none", s.Prompt)
	}
	if s.Properties == nil {
		s.Properties = map[string]string{}
	}
	s.fsys, s.own = fsys, s.Packages
	if s.Model != "" {
		if err := s.addModel(fsys); err != nil {
			return err
		}
	}
	s.Properties["ro.serialno"] = s.Serial
	s.release = s.Properties["ro.build.version.release"]
	if _, err := fmt.Sscan(s.Properties["ro.build.version.sdk"], &s.sdk); err != nil {
		return fmt.Errorf("ro.build.version.sdk: %w", err)
	}
	seen := map[string]bool{}
	for _, p := range s.Packages {
		if _, err := android.ParsePackageName(p.Name); err != nil {
			return fmt.Errorf("package %q: %w", p.Name, err)
		}
		if seen[p.Name] {
			return fmt.Errorf("package %s is there twice", p.Name)
		}
		seen[p.Name] = true
	}
	return nil
}

func (s *Scenario) addModel(fsys fs.FS) error {
	m, err := LoadModel(fsys, s.Model)
	if err != nil {
		return err
	}
	at := slices.IndexFunc(m.Builds, func(b Build) bool { return b.Key() == s.Build })
	if at < 0 {
		return fmt.Errorf("%s has no build %q", s.Model, s.Build)
	}
	b := m.Builds[at]
	for k, v := range m.properties(b) {
		if _, set := s.Properties[k]; !set {
			s.Properties[k] = v
		}
	}
	for _, file := range m.Sets {
		var set packageSet
		if err := readYAML(fsys, path.Join(path.Dir(s.Model), file), &set); err != nil {
			return err
		}
		for _, more := range set.Series {
			set.Packages = append(set.Packages, more.expand()...)
		}
		for _, p := range set.Packages {
			if p.Since != "" && compareVersions(b.Version, p.Since) < 0 || p.Until != "" && compareVersions(b.Version, p.Until) > 0 || p.Edition != "" && p.Edition != b.Edition ||
				p.Region != "" && p.Region != b.Region || p.SinceSDK > b.SDK || p.UntilSDK != 0 && p.UntilSDK < b.SDK {
				continue
			}
			if p.Dir == "" {
				p.Dir = set.Dir
			}
			if p.Version == "" {
				p.Version = set.Version
			}
			if p.Version == "" {
				p.Version = b.Version
			}
			s.Packages = append(s.Packages, p)
		}
	}
	return nil
}

// compareVersions orders dotted numbers.
func compareVersions(a, b string) int {
	number := func(s string) []int {
		var list []int
		for part := range strings.SplitSeq(s, ".") {
			n, _ := strconv.Atoi(part)
			list = append(list, n)
		}
		return list
	}
	return slices.Compare(number(a), number(b))
}

// after is the scenario of the same phone once it has taken its update.
func (s *Scenario) after() (*Scenario, error) {
	next := *s
	next.Build, next.Update, next.Properties, next.Packages = s.Update, "", nil, slices.Clone(s.own)
	return &next, next.compose(s.fsys)
}

// properties are what getprop tells of a build.
func (m *Model) properties(b Build) map[string]string {
	product := m.Device
	if b.Edition != "" {
		product += "_" + strings.ToLower(b.Edition)
	}
	if b.Region != "" {
		product += "_" + strings.ToLower(b.Region)
	}
	fingerprint := fmt.Sprintf("%s/%s/%s:%s/%s/%s:user/release-keys", m.Brand, product, m.Device, b.Release, b.ID, b.Version)
	p := map[string]string{
		"ro.build.fingerprint":            fingerprint,
		"ro.system.build.fingerprint":     fingerprint,
		"ro.build.id":                     b.ID,
		"ro.build.display.id":             b.ID + " " + b.Version,
		"ro.build.version.incremental":    b.Version,
		"ro.build.version.release":        b.Release,
		"ro.build.version.sdk":            fmt.Sprint(b.SDK),
		"ro.build.version.security_patch": b.Patch,
		"ro.build.type":                   "user",
		"ro.build.tags":                   "release-keys",
		"ro.product.manufacturer":         m.Manufacturer,
		"ro.product.brand":                m.Brand,
		"ro.product.model":                m.Name,
		"ro.product.device":               m.Device,
		"ro.product.name":                 product,
		"ro.product.marketname":           m.Name,
		"ro.product.cpu.abi":              "arm64-v8a",
		"ro.product.cpu.abilist":          "arm64-v8a,armeabi-v7a",
		"ro.hardware":                     "quarrystone",
		"ro.debuggable":                   "0",
		"ro.secure":                       "1",
		"ro.adb.secure":                   "1",
		"ro.crypto.state":                 "encrypted",
		"sys.boot_completed":              "1",
		"persist.sys.locale":              "en-GB",
		"gsm.version.baseband":            "Q7.1-" + b.Version + "\nQ7.1-recovery",
	}
	switch m.Form {
	case "tablet":
		p["ro.build.characteristics"] = "tablet,nosdcard"
	case "television":
		p["ro.build.characteristics"] = "tv"
	default:
		p["ro.build.characteristics"] = "nosdcard"
	}
	if b.Edition != "" {
		p["ro.boot.carrier"] = b.Edition
	}
	if b.Region != "" {
		p["ro.boot.region"] = b.Region
	}
	return p
}
