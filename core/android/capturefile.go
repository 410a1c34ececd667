package android

import (
	_ "embed"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"roster/core/strictjson"
)

// CaptureSchema is the JSON Schema of a portable capture file.
//
//go:embed capture.schema.json
var CaptureSchema []byte

// captureFile reads a portable capture file, as Capture is written in JSON.
// It is as hostile as any output: everything is checked.
func (r *Reading) captureFile(name string, src io.Reader) error {
	limited := &io.LimitedReader{R: src, N: maxCapture + 1}
	c, err := decodeCapture(strictjson.Guard(limited, captureBounds))
	switch {
	case limited.N <= 0:
		return fmt.Errorf("%s: a capture file over %d MB", name, maxCapture>>20)
	case err != nil:
		return fmt.Errorf("%s: the capture file can't be read: %w", name, err)
	case c.Format != CaptureFormat:
		return fmt.Errorf("%s: %w: its format is %q, not %q", name, ErrNotOutput, Printable(c.Format, 40), CaptureFormat)
	}
	if err := c.check(); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	if r.whole != nil || r.props != nil {
		return fmt.Errorf("%s: a capture file together with other outputs; send it alone", name)
	}
	r.whole = &c
	return nil
}

// captureBounds are far beyond a phone with a thousand packages that each have
// a name in eighty languages.
var captureBounds = strictjson.Bounds{Values: 500_000, Depth: 20, Text: 1 << 20}

// decodeCapture reads a capture piece by piece, so that it is never held twice
// and no more of it than there may be. Keys count as they are written and once.
func decodeCapture(src io.Reader) (c Capture, err error) {
	d := jsontext.NewDecoder(src)
	if err := expect(d, jsontext.KindBeginObject); err != nil {
		return c, err
	}
	parts := map[string]any{"format": &c.Format, "identity": &c.Identity, "phone": &c.Phone, "complete": &c.Complete, "missing": &c.Missing}
	for d.PeekKind() == jsontext.KindString {
		key, err := d.ReadToken()
		if err != nil {
			return c, strictjson.Explain(err)
		}
		switch name := key.String(); {
		case name == "packages":
			c.Packages, err = decodeList[Package](d, maxPackages, "packages")
		case name == "reports":
			c.Reports, err = decodeList[Report](d, maxReports, "reports")
		case parts[name] != nil:
			err = json.UnmarshalDecode(d, parts[name])
		default:
			err = d.SkipValue() // of a newer program
		}
		if err != nil {
			return c, strictjson.Explain(err)
		}
	}
	return c, expect(d, jsontext.KindEndObject)
}

// decodeList reads a list of at most so many, or null.
func decodeList[T any](d *jsontext.Decoder, most int, what string) (list []T, err error) {
	open, err := d.ReadToken()
	if err != nil || open.Kind() == jsontext.KindNull {
		return nil, err
	}
	if open.Kind() != jsontext.KindBeginArray {
		return nil, fmt.Errorf("%s: want a list", what)
	}
	for d.PeekKind() != jsontext.KindEndArray {
		if len(list) == most {
			return nil, fmt.Errorf("over %d %s are more than any phone has", most, what)
		}
		var one T
		if err := json.UnmarshalDecode(d, &one); err != nil {
			return nil, err
		}
		list = append(list, one)
	}
	return list, expect(d, jsontext.KindEndArray)
}

func expect(d *jsontext.Decoder, want jsontext.Kind) error {
	token, err := d.ReadToken()
	if err == nil && token.Kind() != want {
		err = fmt.Errorf("at byte %d stands %v where %v was expected", d.InputOffset(), token, want)
	}
	return strictjson.Explain(err)
}

// check makes sure that a capture from outside holds what a reader could have
// read, and tidies what is only shown.
func (c *Capture) check() error {
	if _, err := ParseFingerprint(c.Identity.Fingerprint); err != nil {
		return err
	}
	for _, s := range []*string{&c.Identity.Manufacturer, &c.Identity.Device, &c.Identity.Model, &c.Identity.MarketName, &c.Identity.Product, &c.Identity.Release,
		&c.Identity.SecurityPatch, &c.Identity.Incremental, &c.Identity.DisplayID, &c.Identity.Region, &c.Identity.Carrier, &c.Missing} {
		*s = Printable(*s, 400)
	}
	if c.Identity.Manufacturer == "" || c.Identity.Device == "" {
		return fmt.Errorf("identity: manufacturer and device are missing")
	}
	c.Identity.Form = form(map[string]string{"tablet": "tablet", "television": "tv", "watch": "watch", "car": "automotive"}[c.Identity.Form])
	for i := range c.Packages {
		if err := c.Packages[i].check(); err != nil {
			return fmt.Errorf("packages[%d]: %w", i, err)
		}
	}
	slices.SortFunc(c.Packages, func(a, b Package) int { return strings.Compare(string(a.Name), string(b.Name)) })
	for i := 1; i < len(c.Packages); i++ {
		if c.Packages[i].Name == c.Packages[i-1].Name {
			return fmt.Errorf("package %s is there twice", c.Packages[i].Name)
		}
	}
	if err := c.Phone.check(); err != nil {
		return fmt.Errorf("phone: %w", err)
	}
	c.Phone.order()
	for i := range c.Reports {
		r := &c.Reports[i]
		r.Section, r.From, r.Missing, r.Refused = Printable(r.Section, 100), Printable(r.From, 100), Printable(r.Missing, 200), Printable(r.Refused, 200)
		r.Notes = r.Notes[:min(len(r.Notes), maxNotes)]
		for j := range r.Notes {
			n := &r.Notes[j]
			n.Section, n.Text, n.Why = Printable(n.Section, 100), Printable(n.Text, 120), Printable(n.Why, 200)
		}
	}
	return nil
}

// The bounds of what a package is called.
const (
	maxLabels = 200
	maxLabel  = 200
)

// Language reports whether s is "" or looks like a BCP 47 tag.
func Language(s string) bool {
	return len(s) <= 20 && strings.Trim(s, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-") == "" && !strings.HasPrefix(s, "-")
}

func (p *Package) check() error {
	if _, err := ParsePackageName(string(p.Name)); err != nil {
		return err
	}
	if p.Enabled == "" {
		p.Enabled = EnabledDefault
	}
	if !slices.Contains(enabledStates, p.Enabled) {
		return fmt.Errorf("%s: enabled is %q", p.Name, Printable(string(p.Enabled), 40))
	}
	for _, s := range []*string{&p.VersionName, &p.SharedUser, &p.Path, &p.SystemPath, &p.Installer, &p.OverlayTarget, &p.Signer} {
		*s = Printable(*s, 1000)
	}
	p.Partition = PartitionOf(strings.TrimSuffix(p.imagePath(), "/") + "/")
	if len(p.Labels) > maxLabels {
		return fmt.Errorf("%s: labels in %d languages", p.Name, len(p.Labels))
	}
	for language, label := range p.Labels {
		if !Language(language) || strings.TrimSpace(label) == "" {
			return fmt.Errorf("%s: a label in the language %q", p.Name, Printable(language, 40))
		}
		p.Labels[language] = Printable(label, maxLabel)
	}
	if len(p.Declares)+len(p.Requests)+len(p.Provides)+len(p.Uses) > maxNames {
		return fmt.Errorf("%s: more permissions and libraries than any package has", p.Name)
	}
	for i := range p.Declares {
		p.Declares[i] = Declared{Printable(p.Declares[i].Name, 1000), Printable(p.Declares[i].Protection, 200)}
	}
	for i := range p.Uses {
		if !slices.Contains([]string{"required", "optional", "static"}, p.Uses[i].Kind) {
			return fmt.Errorf("%s: uses: kind %q", p.Name, Printable(p.Uses[i].Kind, 40))
		}
		p.Uses[i].Name = Printable(p.Uses[i].Name, 1000)
	}
	for _, list := range [][]string{p.Requests, p.Provides} {
		for i := range list {
			list[i] = Printable(list[i], 1000)
		}
	}
	return nil
}

// imagePath is where the image holds the package, its code path otherwise.
func (p *Package) imagePath() string {
	if p.SystemPath != "" {
		return p.SystemPath
	}
	return p.Path
}

func (p *PhoneFacts) check() error {
	if len(p.Roles)+len(p.Keyboards)+len(p.Overlays)+len(p.Features)+len(p.Administrators)+len(p.Icons) > maxNames {
		return fmt.Errorf("more roles, keyboards, overlays and features than any phone has")
	}
	names := slices.Concat(p.Administrators, p.Icons)
	if p.WebView != "" {
		names = append(names, p.WebView)
	}
	for _, r := range p.Roles {
		if !roleName(r.Name) {
			return fmt.Errorf("a role is called %q", Printable(r.Name, 40))
		}
		names = append(append(names, r.Holders...), r.Able...)
	}
	for i, k := range p.Keyboards {
		names = append(names, k.Package)
		p.Keyboards[i].Component = Printable(k.Component, 300)
	}
	for _, o := range p.Overlays {
		names = append(names, o.Package, o.Target)
	}
	for _, n := range names {
		if _, err := ParsePackageName(string(n)); err != nil {
			return err
		}
	}
	for i, f := range p.Features {
		p.Features[i] = Printable(f, 200)
	}
	if !slices.Contains([]LockCode{"", LockCodeSet, LockCodeNotSet}, p.LockCode) || !slices.Contains([]Root{"", RootNo, RootShell, RootSu}, p.Root) {
		return fmt.Errorf("lockCode is %q and root %q", Printable(string(p.LockCode), 40), Printable(string(p.Root), 40))
	}
	return nil
}
