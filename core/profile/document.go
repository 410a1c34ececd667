package profile

import (
	"cmp"
	"crypto/sha256"
	_ "embed" // the schema
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/gowebpki/jcs"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/evidence"
	"roster/core/gain"
)

// DocumentFormat names the shape of Document.
const DocumentFormat = "roster-release/1"

// Schema is the JSON Schema of Document, published at /schema/release.json.
//
//go:embed release.schema.json
var Schema []byte

// Document is a release: everything that scripts, lists and pages are
// rendered from, and what is signed.
type Document struct {
	Format string `json:"format"`
	Maker  Maker  `json:"maker"`
	Model  Model  `json:"model"`
	// Sisters are other models of the maker that it is for, too.
	Sisters []Model `json:"sisters,omitempty"`
	Edition Edition `json:"edition"`
	Number  int     `json:"number"`
	// Published is RFC 3339 in UTC, to the second.
	Published string `json:"published"`
	Publisher string `json:"publisher"`
	// Approver is the second person who looked before it was published.
	Approver string  `json:"approver,omitempty"`
	Rules    Summary `json:"rules"`
	// Builds are the firmwares that the release is for.
	Builds []Build `json:"builds"`
	// Steps are in the order in which they are done.
	Steps []Step `json:"steps"`
	// Costs are the functions that go, with the packages that carried them.
	Costs []Loss `json:"costs,omitempty"`
	// Gain is what it brought the phones on which exactly this was run and measured
	// before it was published: memory in bytes, a start in seconds, wake-ups in an
	// hour and so on. None where too few were.
	Gain map[gain.Quantity]gain.Figure `json:"gain,omitempty"`
	// Stays are the model's packages that are left on it, and why.
	Stays []Stay `json:"stays,omitempty"`
	// Differences are what the release does otherwise than the one with the number
	// Since, which was the newest when this was asked for; all lines are computed.
	// Releases of older programs have none. Since is 0 where there was none before.
	Since       int      `json:"since,omitempty"`
	Differences []string `json:"differences,omitempty"`
	// Changes say what is new in a person's words; there may be none.
	Changes []string `json:"changes,omitempty"`
}

// Differ writes into the document how it differs from the release before; nil
// where there is none.
func (d *Document) Differ(before *Document) {
	if before == nil {
		d.Since, d.Differences = 0, []string{"The first release."}
		return
	}
	d.Since, d.Differences = before.Number, Compare(before.Made(), d.Made()).Log()
}

// Removals are the steps that take a package off, switch it off or quieten it, in
// their order.
func (d *Document) Removals() []Step { return d.in(Removing) }

// Phase lists the steps of a phase, in their order.
func (d *Document) in(p Phase) (list []Step) {
	for _, s := range d.Steps {
		if s.In() == p {
			list = append(list, s)
		}
	}
	return list
}

// Before, After and Checks are what a person does or a script sees to before
// the removal, what is done after it, and what is tried by hand.
func (d *Document) Before() []Step { return d.in(Before) }

// After lists what is done when all has gone.
func (d *Document) After() []Step { return d.in(After) }

// Checks lists what is tried by hand afterwards.
func (d *Document) Checks() []Step { return d.in(Afterward) }

// Models are all models that the release is for, its own first.
func (d *Document) Models() []Model { return append([]Model{d.Model}, d.Sisters...) }

// Stay is a package that is left on the phone.
type Stay struct {
	Package android.PackageName `json:"package"`
	Label   string              `json:"label,omitempty"`
	Load    evidence.Load       `json:"load"`
	Why     string              `json:"why"`
}

// Maker is the maker as its phones name it and as people do.
type Maker struct {
	Slug         string `json:"slug"`
	Name         string `json:"name"`
	Manufacturer string `json:"manufacturer"`
}

// Model is the device type.
type Model struct {
	Slug   string `json:"slug"`
	Name   string `json:"name"`
	Device string `json:"device"`
	Form   string `json:"form"`
}

// Edition is the profile's name and for whom it is.
type Edition struct {
	Slug    string `json:"slug"`
	Name    string `json:"name"`
	Purpose string `json:"purpose"`
}

// Summary is the rules that drew the cut line.
type Summary struct {
	Method         evidence.Method                   `json:"method"`
	Methods        map[evidence.Load]evidence.Method `json:"methods,omitempty"`
	Harshest       evidence.Method                   `json:"harshest,omitempty"`
	HighestLoad    evidence.Load                     `json:"highestLoad"`
	HighestCeiling float64                           `json:"highestCeiling"`
	LeastStanding  evidence.Standing                 `json:"leastStanding,omitempty"`
	Keep           []string                          `json:"keep,omitempty"`
	Only           []string                          `json:"only,omitempty"`
	Origins        []catalog.Origin                  `json:"origins,omitempty"`
}

// Build is a firmware in a release.
type Build struct {
	Fingerprint   string `json:"fingerprint"`
	Version       string `json:"version"`
	Android       string `json:"android"`
	SecurityPatch string `json:"securityPatch,omitempty"`
	Carrier       string `json:"carrier,omitempty"`
	Region        string `json:"region,omitempty"`
	// Model is the slug of the sister that it is a firmware of, "" for the
	// release's own model.
	Model string `json:"model,omitempty"`
	// Proof is how much was known of the release there when it was made.
	Proof Proof `json:"proof,omitempty"`
}

// Heading is what a document says before its steps.
type Heading struct {
	Maker     Maker
	Model     Model
	Sisters   []Model
	Edition   Edition
	Number    int
	Published time.Time
	Publisher string
	Approver  string
	Changes   []string
}

// Compile makes the release document of a composition. It fails where
// something stops it or a name in it breaks the platform's grammar.
func Compile(h Heading, rules Rules, c Composition) (*Document, error) {
	if len(c.Stops) > 0 {
		return nil, errors.New(strings.Join(c.Stops, "; "))
	}
	for _, m := range append([]Model{h.Model}, h.Sisters...) {
		if !GoodDevice(m.Device) {
			return nil, fmt.Errorf("%s calls its device %q, which can't stand in a script", m.Name, android.Printable(m.Device, 60))
		}
	}
	d := &Document{
		Format: DocumentFormat, Maker: h.Maker, Model: h.Model, Sisters: h.Sisters, Edition: h.Edition, Number: h.Number,
		Published: h.Published.UTC().Truncate(time.Second).Format(time.RFC3339), Publisher: h.Publisher, Approver: h.Approver,
		Rules: Summary{rules.Method, rules.Methods, rules.Harshest, rules.HighestLoad, rules.HighestCeiling, rules.LeastStanding,
			rules.Keep, rules.Only, rules.Origins},
		Steps: c.Steps, Costs: c.Lost, Changes: h.Changes,
	}
	for _, claim := range c.Builds {
		if claim.Claimed {
			build := claim.Build
			if claim.Model != h.Model.Slug {
				build.Model = claim.Model
			}
			d.Builds = append(d.Builds, build)
		}
	}
	if len(d.Builds) == 0 {
		return nil, errors.New("no firmware of this model was captured: there is nothing to make a release from")
	}
	slices.SortFunc(d.Builds, func(a, b Build) int { return cmp.Compare(a.Fingerprint, b.Fingerprint) })
	for _, row := range c.Rows {
		if !row.Package.Valid() {
			return nil, fmt.Errorf("%q is not a package name", row.Package)
		}
		if !row.Goes {
			d.Stays = append(d.Stays, Stay{row.Package, row.Label, row.Load, row.Why})
		}
	}
	slices.SortFunc(d.Stays, func(a, b Stay) int { return cmp.Compare(a.Package, b.Package) })
	return d, nil
}

// Canonical is the document in RFC 8785 form: the bytes that are hashed,
// signed and handed out.
func (d *Document) Canonical() ([]byte, error) {
	plain, err := json.Marshal(d)
	if err != nil {
		return nil, err
	}
	return jcs.Transform(plain)
}

// Digest is the SHA-256 of canonical bytes, in lower-case hex.
func Digest(canonical []byte) string {
	sum := sha256.Sum256(canonical)
	return hex.EncodeToString(sum[:])
}

// ParseDocument reads a release document and checks what scripts rely on:
// its format, its step kinds and every package name.
func ParseDocument(raw []byte) (*Document, error) {
	var d Document
	if err := json.Unmarshal(raw, &d); err != nil {
		return nil, fmt.Errorf("not a release document: %w", err)
	}
	if d.Format != DocumentFormat {
		return nil, fmt.Errorf("format %q: this program reads %s", android.Printable(d.Format, 40), DocumentFormat)
	}
	for i, s := range d.Steps {
		if err := s.check(); err != nil {
			return nil, fmt.Errorf("step %d: %w", i+1, err)
		}
	}
	for i, b := range d.Builds {
		if !GoodFingerprint(b.Fingerprint) {
			return nil, fmt.Errorf("build %d: %q is not a fingerprint", i+1, android.Printable(b.Fingerprint, 60))
		}
	}
	return &d, nil
}

// GoodFingerprint reports whether a fingerprint is what a build's can be: one
// word of printable ASCII.
func GoodFingerprint(s string) bool {
	return s != "" && len(s) <= 512 && strings.IndexFunc(s, func(r rune) bool { return r <= ' ' || r > '~' }) < 0
}

// GoodDevice reports whether a device name is what a model's can be: printable
// ASCII, without a space at either end.
func GoodDevice(s string) bool {
	return s != "" && len(s) <= 200 && s == strings.TrimSpace(s) && strings.IndexFunc(s, func(r rune) bool { return r < ' ' || r > '~' }) < 0
}

// check holds what scripts rely on.
func (s Step) check() error {
	switch s.Kind {
	case Remove:
		if !slices.Contains(Can, s.Method) {
			return fmt.Errorf("method %q is not known here", s.Method)
		}
	case Setting, HoldUpdates:
		return Extra{Kind: Setting, Namespace: s.Namespace, Key: s.Key, Value: s.Value}.check()
	case Wait:
		return Extra{Kind: Wait, Seconds: s.Seconds}.check()
	case PutIn, WithdrawAdmin, Check:
		if s.Role != "" && !roleName.MatchString(s.Role) {
			return fmt.Errorf("%q is not a role", s.Role)
		}
		if s.Kind == PutIn && s.Package != "" {
			return Extra{Kind: PutIn, Package: s.Package, Role: s.Role, File: s.File, Grants: s.Grants, Seconds: s.Seconds}.check()
		}
		if s.Package == "" && s.Kind != WithdrawAdmin {
			return nil
		}
	default:
		return fmt.Errorf("kind %q is not known here", s.Kind)
	}
	_, err := android.ParsePackageName(string(s.Package))
	return err
}
