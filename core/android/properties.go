package android

import (
	"bytes"
	"cmp"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"
)

// SectionProperties names the output of getprop in reports.
const SectionProperties = "getprop"

// Properties are a phone's system properties by key.
type Properties map[string]string

// ReadProperties reads the output of getprop: lines of [key]: [value], where
// a value may span lines. The error is the stream's; everything else that is
// wrong is in the report.
func ReadProperties(r io.Reader) (Properties, Report, error) {
	o := newPropertiesOutput(newRoom())
	err := readAll(r, o)
	return o.props, o.report, err
}

type propertiesOutput struct {
	report   Report
	props    Properties
	key      string
	value    []byte
	open     bool // inside a value that goes on
	openedAt int
	room     *room
}

func newPropertiesOutput(room *room) *propertiesOutput {
	return &propertiesOutput{report: Report{Section: SectionProperties}, props: Properties{}, room: room}
}

func (o *propertiesOutput) about() *Report { return &o.report }

func (o *propertiesOutput) line(n int, line []byte) {
	if o.report.full {
		return
	}
	if k, rest, ok := propertyStart(line); ok {
		if o.open {
			o.report.note(o.openedAt, []byte("["+o.key+"]"), "the value has no closing bracket; left out")
		}
		o.key, o.value, o.open, o.openedAt = string(k), append(o.value[:0], rest...), true, n
	} else if o.open {
		if len(o.value)+len(line) > maxLine {
			o.report.note(o.openedAt, []byte("["+o.key+"]"), "the value is over a megabyte long; left out")
			o.open = false
			return
		}
		o.value = append(append(o.value, '\n'), line...)
	} else if len(bytes.TrimSpace(line)) > 0 {
		o.report.note(n, line, "expected [key]: [value]")
		return
	}
	if o.open && bytes.HasSuffix(o.value, []byte("]")) {
		o.open = false
		if len(o.props) == maxProperties || !o.room.take(len(o.key)+len(o.value)) {
			o.report.overflow()
			return
		}
		o.props[o.key] = string(o.value[:len(o.value)-1])
	}
}

// again reports whether a line begins a property that was read before.
func (o *propertiesOutput) again(line []byte) bool {
	k, _, ok := propertyStart(line)
	if !ok || o.open {
		return false
	}
	_, known := o.props[string(k)]
	return known
}

func (o *propertiesOutput) end(whole bool) {
	if o.open {
		o.report.note(o.openedAt, []byte("["+o.key+"]"), "the output ends inside this value; left out")
	}
	switch {
	case len(o.props) == 0:
		o.report.Missing = "no property was found"
	case o.open || !whole:
		o.report.Missing = "the output ends in the middle of a line"
	default:
		o.report.Complete = true
	}
}

func propertyStart(line []byte) (key, rest []byte, ok bool) {
	if len(line) < 6 || line[0] != '[' {
		return nil, nil, false
	}
	at := bytes.Index(line, []byte("]: ["))
	if at < 2 || bytes.ContainsAny(line[1:at], "[] ") {
		return nil, nil, false
	}
	return line[1:at], line[at+4:], true
}

// Identity is what a phone says of itself.
type Identity struct {
	Fingerprint   string `json:"fingerprint"`
	Manufacturer  string `json:"manufacturer"`
	Device        string `json:"device"`
	Model         string `json:"model"`
	MarketName    string `json:"marketName,omitempty"`
	Product       string `json:"product,omitempty"`
	Form          string `json:"form"`
	Release       string `json:"release"`
	SDK           int    `json:"sdk,omitempty"`
	SecurityPatch string `json:"securityPatch,omitempty"`
	Incremental   string `json:"incremental,omitempty"`
	DisplayID     string `json:"displayId,omitempty"`
	Region        string `json:"region,omitempty"`
	Carrier       string `json:"carrier,omitempty"`
	// Serial is only ever turned into a keyed hash; it is never written out. ""
	// where the phone tells none, or one that others tell as well.
	Serial string `json:"-"`
	// Start tells one start of the phone from every other; "" where it tells
	// none.
	Start string `json:"-"`
}

// factorySerials are what phones tell whose maker gave them no number of their
// own, in lower case.
var factorySerials = []string{"0123456789abcdef", "1234567890abcdef", "123456789abcdef", "0123456789", "1234567890", "default", "none", "null", "unknown"}

// ownSerial is a serial number where it tells a phone from others, else "".
func ownSerial(serial string) string {
	if slices.Contains(factorySerials, strings.ToLower(serial)) || strings.Trim(serial, serial[:min(1, len(serial))]) == "" {
		return "" // one character again and again, too
	}
	return serial
}

// Properties that carry an edition's region and carrier, first found wins.
// Makers add keys of their own: extend the table.
var (
	regionKeys  = []string{"ro.boot.region", "ro.build.region", "ro.product.locale.region"}
	carrierKeys = []string{"ro.boot.carrier", "ro.carrier", "ro.build.carrier"}
	nameKeys    = []string{"ro.product.marketname", "ro.config.marketing_name", "ro.product.vendor.marketname"}
)

// Identify finds out who the phone is. Where the plain key is absent it falls
// back to the ones of the system and vendor partitions, and to the parts of
// the fingerprint. It fails when manufacturer, device or fingerprint cannot be
// told, naming what is missing; what was found is returned all the same.
func Identify(p Properties) (Identity, error) {
	first := func(keys ...string) string {
		for _, k := range keys {
			v := strings.TrimSpace(p[k])
			if v != "" && !strings.EqualFold(v, "unknown") {
				return Printable(v, 200)
			}
		}
		return ""
	}
	partitions := func(key string) string {
		return first("ro.product."+key, "ro.product.system."+key, "ro.product.vendor."+key, "ro.product.product."+key)
	}
	id := Identity{
		Fingerprint:   first("ro.build.fingerprint", "ro.system.build.fingerprint", "ro.product.build.fingerprint", "ro.vendor.build.fingerprint"),
		Manufacturer:  partitions("manufacturer"),
		Device:        partitions("device"),
		Model:         partitions("model"),
		MarketName:    first(nameKeys...),
		Product:       partitions("name"),
		Form:          form(p["ro.build.characteristics"]),
		Release:       first("ro.build.version.release", "ro.system.build.version.release"),
		SecurityPatch: first("ro.build.version.security_patch", "ro.vendor.build.security_patch"),
		Incremental:   first("ro.build.version.incremental", "ro.system.build.version.incremental"),
		DisplayID:     first("ro.build.display.id"),
		Region:        first(regionKeys...),
		Carrier:       first(carrierKeys...),
		Serial:        cmp.Or(ownSerial(first("ro.serialno")), ownSerial(first("ro.boot.serialno"))),
		Start:         first("ro.runtime.firstboot"),
	}
	id.SDK, _ = strconv.Atoi(first("ro.build.version.sdk", "ro.system.build.version.sdk"))
	fp, err := ParseFingerprint(id.Fingerprint)
	if err != nil {
		if id.Fingerprint == "" {
			return id, errors.New("no build fingerprint in the properties (looked for ro.build.fingerprint and ro.system.build.fingerprint)")
		}
		return id, err
	}
	for have, fallback := range map[*string]string{&id.Device: fp.Device, &id.Product: fp.Product, &id.Release: fp.Release, &id.Incremental: fp.Incremental, &id.Manufacturer: fp.Brand} {
		if *have == "" {
			*have = fallback
		}
	}
	if id.Model == "" {
		id.Model = id.Device
	}
	return id, nil
}

func form(characteristics string) string {
	for c := range strings.SplitSeq(characteristics, ",") {
		switch strings.TrimSpace(c) {
		case "tablet":
			return "tablet"
		case "tv":
			return "television"
		case "watch":
			return "watch"
		case "automotive":
			return "car"
		}
	}
	return "phone"
}
