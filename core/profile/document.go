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
	"time"

	"github.com/gowebpki/jcs"

	"roster/core/android"
	"roster/core/evidence"
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
	Format  string  `json:"format"`
	Maker   Maker   `json:"maker"`
	Model   Model   `json:"model"`
	Edition Edition `json:"edition"`
	Number  int     `json:"number"`
	// Published is RFC 3339 in UTC, to the second.
	Published string  `json:"published"`
	Publisher string  `json:"publisher"`
	Rules     Summary `json:"rules"`
	// Builds are the firmwares whose captures the release was made from.
	Builds []Build `json:"builds"`
	Steps  []Step  `json:"steps"`
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
	Method         evidence.Method `json:"method"`
	HighestLoad    evidence.Load   `json:"highestLoad"`
	HighestCeiling float64         `json:"highestCeiling"`
}

// Build is a firmware in a release.
type Build struct {
	Fingerprint   string `json:"fingerprint"`
	Version       string `json:"version"`
	Android       string `json:"android"`
	SecurityPatch string `json:"securityPatch,omitempty"`
	Carrier       string `json:"carrier,omitempty"`
	Region        string `json:"region,omitempty"`
}

// Step is one thing to do to the phone. Number counts from 1.
type Step struct {
	Number  int                 `json:"number"`
	Kind    string              `json:"kind"`
	Method  evidence.Method     `json:"method"`
	Package android.PackageName `json:"package"`
	Label   string              `json:"label,omitempty"`
	Load    evidence.Load       `json:"load"`
	// Costs are the functions that people missed without the package.
	Costs []string `json:"costs"`
	// Pinned is the reason where a person put the package in by hand.
	Pinned   string   `json:"pinned,omitempty"`
	Evidence Evidence `json:"evidence"`
}

// Evidence is what was known when the release was made.
type Evidence struct {
	Ceiling  float64           `json:"ceiling"`
	Floor    float64           `json:"floor"`
	Standing evidence.Standing `json:"standing"`
	Phones   int               `json:"phones"`
	People   int               `json:"people"`
}

// Heading is what a document says before its steps.
type Heading struct {
	Maker     Maker
	Model     Model
	Edition   Edition
	Number    int
	Published time.Time
	Publisher string
	Builds    []Build
}

// Compile makes the release document of a composition. It fails where the
// composition is stopped or a name in it breaks the platform's grammar.
func Compile(h Heading, rules Rules, c Composition) (*Document, error) {
	if c.Stopped != "" {
		return nil, errors.New(c.Stopped)
	}
	if len(h.Builds) == 0 {
		return nil, errors.New("no firmware of this model was captured: there is nothing to make a release from")
	}
	d := &Document{
		Format: DocumentFormat, Maker: h.Maker, Model: h.Model, Edition: h.Edition, Number: h.Number,
		Published: h.Published.UTC().Truncate(time.Second).Format(time.RFC3339), Publisher: h.Publisher,
		Rules:  Summary{rules.Method, rules.HighestLoad, rules.HighestCeiling},
		Builds: slices.Clone(h.Builds),
	}
	slices.SortFunc(d.Builds, func(a, b Build) int { return cmp.Compare(a.Fingerprint, b.Fingerprint) })
	for _, row := range c.Rows {
		if !row.Goes {
			continue
		}
		if !row.Package.Valid() {
			return nil, fmt.Errorf("%q is not a package name", row.Package)
		}
		costs := slices.Clone(row.Lost)
		if costs == nil {
			costs = []string{}
		}
		d.Steps = append(d.Steps, Step{
			Number: len(d.Steps) + 1, Kind: "remove", Method: rules.Method, Package: row.Package, Label: row.Label,
			Load: row.Load, Costs: costs, Pinned: row.Pin,
			Evidence: Evidence{row.Ceiling, roundLimit(row.Floor), row.Standing, row.Phones, row.People},
		})
	}
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
		if s.Kind != "remove" || (s.Method != evidence.RemoveForUser && s.Method != evidence.Disable) {
			return nil, fmt.Errorf("step %d: kind %q with method %q is not known here", i+1, s.Kind, s.Method)
		}
		if _, err := android.ParsePackageName(string(s.Package)); err != nil {
			return nil, fmt.Errorf("step %d: %w", i+1, err)
		}
	}
	return &d, nil
}
