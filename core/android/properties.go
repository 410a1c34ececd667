package android

import (
	"bytes"
	"errors"
	"io"
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
	props := Properties{}
	report := Report{Section: SectionProperties}
	lines := newLineReader(r, &report)
	var key string
	var value []byte
	open, openedAt := false, 0
	for {
		line, err := lines.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return props, report, err
		}
		if k, rest, ok := propertyStart(line); ok {
			if open {
				report.note(openedAt, []byte("["+key+"]"), "the value has no closing bracket; left out")
			}
			key, value, open, openedAt = string(k), append(value[:0], rest...), true, report.Lines
		} else if open {
			if len(value)+len(line) > maxLine {
				report.note(openedAt, []byte("["+key+"]"), "the value is over a megabyte long; left out")
				open = false
				continue
			}
			value = append(append(value, '\n'), line...)
		} else if len(bytes.TrimSpace(line)) > 0 {
			report.note(report.Lines, line, "expected [key]: [value]")
			continue
		}
		if open && bytes.HasSuffix(value, []byte("]")) {
			props[key] = string(value[:len(value)-1])
			open = false
		}
	}
	if open {
		report.note(openedAt, []byte("["+key+"]"), "the output ends inside this value; left out")
	}
	switch {
	case len(props) == 0:
		report.Missing = "no property was found"
	case open || !lines.ended:
		report.Missing = "the output ends in the middle of a line"
	default:
		report.Complete = true
	}
	return props, report, nil
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
	// Serial is only ever turned into a keyed hash; it is never written out.
	Serial string `json:"-"`
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
		Serial:        first("ro.serialno", "ro.boot.serialno"),
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
