package profile

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
)

// Rules say what a profile takes off, and what is done beside that.
type Rules struct {
	// Method is how packages go whose load has no method of its own in
	// Methods.
	Method  evidence.Method                   `json:"method" enum:"quieten,disable,remove-for-user,remove-from-image"`
	Methods map[evidence.Load]evidence.Method `json:"methods,omitempty" doc:"Another method for all packages of a load"`
	// Harshest is the method that takes most away which anything may go by,
	// whatever a load or a pin says; "" for any.
	Harshest evidence.Method `json:"harshest,omitempty" enum:"quieten,disable,remove-for-user,remove-from-image"`
	// HighestLoad is loose or leaned-on: heavier loads go only by a pin.
	HighestLoad evidence.Load `json:"highestLoad" enum:"loose,leaned-on"`
	// HighestCeiling is the largest harm ceiling that may go, 0 to 1.
	HighestCeiling float64 `json:"highestCeiling" minimum:"0" maximum:"1"`
	// LeastStanding is how sure one must be: thin stands for whatever was
	// tried at all.
	LeastStanding evidence.Standing `json:"leastStanding,omitempty" enum:"thin,contested,fair,firm"`
	// Keep are functions that the phone must not lose.
	Keep []string `json:"keep,omitempty" maxItems:"100"`
	// Only are functions of which a package has to carry one to go; none stands
	// for all packages.
	Only []string `json:"only,omitempty" maxItems:"100"`
	// Origins are whose packages may go; none stands for everybody's.
	Origins []catalog.Origin `json:"origins,omitempty" maxItems:"10"`
	// Unproven says whether an Unproven package may go by a pin.
	Unproven Unproven `json:"unproven,omitempty" enum:"by-hand,never"`
	Pins     []Pin    `json:"pins" nullable:"false" maxItems:"1000"`
	// NotFor are fingerprints of builds that the profile does not claim.
	NotFor []string `json:"notFor,omitempty" maxItems:"500"`
	// Extras are steps that no package's entry asks for.
	Extras []Extra `json:"extras,omitempty" maxItems:"100"`
	// Checks are things to try afterwards beside those that follow from what
	// goes; NotChecks are those of the latter that are left out.
	Checks    []string `json:"checks,omitempty" maxItems:"50"`
	NotChecks []string `json:"notChecks,omitempty" maxItems:"100"`
}

// Unproven is what becomes of packages of which not enough is known.
type Unproven string

// What becomes of Unproven packages: each may be picked by hand, with a
// reason, or none goes at all.
const (
	ByHand Unproven = "by-hand"
	Never  Unproven = "never"
)

// Pin holds one package on one side of the cut line, whatever the rules say.
type Pin struct {
	Package android.PackageName `json:"package"`
	Goes    bool                `json:"goes"`
	// Method is how this one goes, "" for as its load says.
	Method evidence.Method `json:"method,omitempty" enum:"quieten,disable,remove-for-user,remove-from-image"`
	Reason string          `json:"reason" minLength:"1" maxLength:"500"`
}

// Extra is a step that a person adds.
type Extra struct {
	Kind StepKind `json:"kind" enum:"put-in,setting,hold-updates,wait"`
	// Package, Label and Role are what is put in, and the job that it must
	// hold before anything goes.
	Package android.PackageName `json:"package,omitempty"`
	Label   string              `json:"label,omitempty" maxLength:"200"`
	Role    string              `json:"role,omitempty" maxLength:"60"`
	// File pins the file that is put in, nil where it is in the phone or a store
	// has it; Grants are permissions that it is given.
	File   *FilePin `json:"file,omitempty" nullable:"false"`
	Grants []string `json:"grants,omitempty" maxItems:"20" nullable:"false"`
	// Namespace, Key and Value are a setting.
	Namespace string `json:"namespace,omitempty" enum:"global,secure,system"`
	Key       string `json:"key,omitempty" maxLength:"100"`
	Value     string `json:"value,omitempty" maxLength:"200"`
	// Seconds is how long to wait: after the removal, or after something was put
	// in and before anything goes.
	Seconds int    `json:"seconds,omitempty" minimum:"0" maximum:"600"`
	Why     string `json:"why,omitempty" maxLength:"300"`
}

// DefaultRules are what a new profile starts with.
var DefaultRules = Rules{Method: evidence.RemoveForUser, HighestLoad: evidence.LeanedOn, HighestCeiling: 0.30, LeastStanding: evidence.Thin, Unproven: ByHand, Pins: []Pin{}}

// ParseRules reads stored rules; what an older program did not know stands as
// in DefaultRules.
func ParseRules(raw []byte) (Rules, error) {
	r := Rules{LeastStanding: evidence.Thin, Unproven: ByHand, Pins: []Pin{}}
	if err := json.Unmarshal(raw, &r); err != nil {
		return r, fmt.Errorf("stored rules: %w", err)
	}
	return r, nil
}

// MethodOf is how packages of a load go.
func (r Rules) MethodOf(l evidence.Load) evidence.Method {
	if m, ok := r.Methods[l]; ok {
		return r.capped(m)
	}
	return r.capped(r.Method)
}

// capped is a method, or the harshest allowed where that is gentler.
func (r Rules) capped(m evidence.Method) evidence.Method {
	if r.Harshest != "" && slices.Index(evidence.Methods, r.Harshest) < slices.Index(evidence.Methods, m) {
		return r.Harshest
	}
	return m
}

// Can are the methods by which a profile can take a package off, or make it quiet;
// out of the image go only those of which Rank lets them.
var Can = []evidence.Method{evidence.Quieten, evidence.Disable, evidence.RemoveForUser, evidence.RemoveFromImage}

// AllMethods lists the methods that some load or pin goes by, the usual one first;
// with that out of the image the one that stands in for it.
func (r Rules) AllMethods() []evidence.Method {
	list := []evidence.Method{r.capped(r.Method)}
	for _, l := range evidence.Loads {
		if m := r.MethodOf(l); !slices.Contains(list, m) {
			list = append(list, m)
		}
	}
	for _, p := range r.Pins {
		if m := r.capped(p.Method); p.Goes && p.Method != "" && !slices.Contains(list, m) {
			list = append(list, m)
		}
	}
	if slices.Contains(list, evidence.RemoveFromImage) && !slices.Contains(list, evidence.RemoveForUser) {
		list = append(list, evidence.RemoveForUser)
	}
	return list
}

// Claims reports whether a build is one that the profile is for.
func (r Rules) Claims(fingerprint string) bool { return !slices.Contains(r.NotFor, fingerprint) }

// sureness orders standings from the least sure.
var sureness = map[evidence.Standing]int{evidence.Untried: 0, "": 1, evidence.Thin: 1, evidence.Contested: 2, evidence.Fair: 3, evidence.Firm: 4}

// Check reports what is wrong with the rules, for the person who set them.
func (r Rules) Check() error {
	for _, m := range append([]evidence.Method{r.Method}, methodsOf(r.Methods)...) {
		if !slices.Contains(Can, m) {
			return fmt.Errorf("method %q: a profile can quieten, disable, remove for the user or from the image", m)
		}
	}
	if r.Harshest != "" && !slices.Contains(Can, r.Harshest) {
		return fmt.Errorf("harshest method %q: a profile can quieten, disable, remove for the user or from the image", r.Harshest)
	}
	for l := range r.Methods {
		if !l.Valid() || l == evidence.LoadBearing {
			return fmt.Errorf("a method for load %q: want Loose, Leaned on, Tied in or Unproven", l)
		}
	}
	if r.HighestLoad != evidence.Loose && r.HighestLoad != evidence.LeanedOn {
		return errors.New("the highest load is Loose or Leaned on; anything heavier goes only by a pin with a reason")
	}
	if !(r.HighestCeiling >= 0 && r.HighestCeiling <= 1) {
		return errors.New("the highest ceiling lies between 0 and 100 %")
	}
	if sureness[r.LeastStanding] == 0 {
		return fmt.Errorf("standing %q: want at least thin, contested, fair or firm", r.LeastStanding)
	}
	if r.Unproven != "" && r.Unproven != ByHand && r.Unproven != Never {
		return fmt.Errorf("Unproven packages go %q: want by-hand or never", r.Unproven)
	}
	for _, o := range r.Origins {
		if !o.Valid() {
			return fmt.Errorf("origin %q is not known", o)
		}
	}
	for _, text := range slices.Concat(r.Keep, r.Only, r.Checks, r.NotChecks) {
		if strings.TrimSpace(text) == "" || len(text) > 200 || !plain(text) {
			return fmt.Errorf("%q: want one line of at most 200 bytes", android.Printable(text, 40))
		}
	}
	if err := r.checkPins(); err != nil {
		return err
	}
	for i, e := range r.Extras {
		if err := e.check(); err != nil {
			return fmt.Errorf("step %d of those added: %w", i+1, err)
		}
	}
	return nil
}

func methodsOf(m map[evidence.Load]evidence.Method) (list []evidence.Method) {
	for _, method := range m {
		list = append(list, method)
	}
	return list
}

func (r Rules) checkPins() error {
	seen := map[android.PackageName]bool{}
	for _, p := range r.Pins {
		if !p.Package.Valid() {
			return fmt.Errorf("pin: %q is not a package name", p.Package)
		}
		if strings.TrimSpace(p.Reason) == "" {
			return fmt.Errorf("pin of %s: say why", p.Package)
		}
		if seen[p.Package] {
			return fmt.Errorf("%s is pinned twice", p.Package)
		}
		if p.Method != "" && !slices.Contains(Can, p.Method) {
			return fmt.Errorf("pin of %s: method %q: a profile can quieten, disable, remove for the user or from the image", p.Package, p.Method)
		}
		seen[p.Package] = true
	}
	return nil
}

var (
	settingKey   = regexp.MustCompile(`^[A-Za-z0-9_.:-]{1,100}$`)
	settingValue = regexp.MustCompile(`^[A-Za-z0-9_.:,/ -]{1,200}$`)
	roleName     = regexp.MustCompile(`^[A-Z][A-Z0-9_]{0,59}$`)
)

func (e Extra) check() error {
	if !plain(e.Label) || !plain(e.Why) {
		return errors.New("its words are more than one line")
	}
	switch e.Kind {
	case PutIn:
		if e.Label == "" && e.Package == "" {
			return errors.New("say what to put in")
		}
		if e.Package != "" && !e.Package.Valid() {
			return fmt.Errorf("%q is not a package name", android.Printable(string(e.Package), 60))
		}
		if e.Role != "" && (!roleName.MatchString(e.Role) || e.Package == "") {
			return errors.New("a role is one of the platform's, such as HOME, and needs the package that is to hold it")
		}
		if e.Package == "" && (e.File != nil || len(e.Grants) > 0) {
			return errors.New("a file and permissions need the name of the package")
		}
		if e.Seconds < 0 || e.Seconds > 600 {
			return errors.New("wait at most 600 seconds")
		}
		if e.File != nil {
			if err := e.File.check(); err != nil {
				return err
			}
		}
		return CheckGrants(e.Grants)
	case Setting:
		if err := CheckSetting(e.Namespace, e.Key); err != nil {
			return err
		}
		if !settingValue.MatchString(e.Value) {
			return errors.New("a setting's value is letters, digits and _ . : , / - alone")
		}
	case HoldUpdates:
	case Wait:
		if e.Seconds < 1 || e.Seconds > 600 {
			return errors.New("wait between 1 and 600 seconds")
		}
	default:
		return fmt.Errorf("kind %q: want put-in, setting, hold-updates or wait", e.Kind)
	}
	return nil
}

// CheckSetting refuses what can't name a setting: only names that it lets
// through may stand in a command.
func CheckSetting(namespace, key string) error {
	if namespace != "global" && namespace != "secure" && namespace != "system" {
		return fmt.Errorf("setting in %q: want global, secure or system", android.Printable(namespace, 40))
	}
	if !settingKey.MatchString(key) {
		return errors.New("a setting's key is letters, digits and _ . : , / - alone")
	}
	return nil
}

// plain reports whether text is one line of text.
func plain(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsAny(s, "\x00\n\r\u2028\u2029")
}
