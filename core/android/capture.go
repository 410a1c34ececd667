package android

import (
	"cmp"
	"io"
	"slices"
	"strings"
)

// CaptureFormat names the shape of Capture in files.
const CaptureFormat = "roster-capture/1"

// Capture is what one phone said it has at one moment.
type Capture struct {
	Format   string    `json:"format"`
	Identity Identity  `json:"identity"`
	Packages []Package `json:"packages"`
	// Reports has one entry for each output that was read.
	Reports []Report `json:"reports"`
	// Complete is true when every output that a capture needs was read to
	// its end: properties, and packages from a dump or from lists.
	Complete bool   `json:"complete"`
	Missing  string `json:"missing,omitempty"`
}

// Notes collects the notes of all reports and how many more there were.
func (c *Capture) Notes() (notes []Note, omitted int) {
	for _, r := range c.Reports {
		notes = append(notes, r.Notes...)
		omitted += r.Omitted
	}
	return notes, omitted
}

// Inputs are the outputs of which a capture is made. Any may be nil.
type Inputs struct {
	Properties io.Reader // getprop
	Installed  io.Reader // pm list packages --user 0
	Known      io.Reader // pm list packages -u -f --show-versioncode …
	Disabled   io.Reader // pm list packages -d --user 0
	System     io.Reader // pm list packages -s
	Dump       io.Reader // dumpsys package
}

// Read makes a capture of the outputs of one phone. Facts come from the dump
// where it has them and from the lists otherwise. A capture that lacks
// something is returned with Complete false and what is missing; the error is
// an input's own, or that nobody can tell which phone this is.
func Read(in Inputs) (*Capture, error) {
	c := &Capture{Format: CaptureFormat, Packages: []Package{}}
	props, report, err := ReadProperties(orEmpty(in.Properties))
	c.Reports = append(c.Reports, report)
	if err != nil {
		return c, err
	}
	var idErr error
	c.Identity, idErr = Identify(props)
	dump := &PackageDump{}
	if in.Dump != nil {
		if dump, report, err = ReadPackageDump(in.Dump); err != nil {
			return c, err
		}
		c.Reports = append(c.Reports, report)
	}
	lists := map[string][]Listed{}
	for _, l := range []struct {
		option string
		r      io.Reader
	}{{"", in.Installed}, {"-u", in.Known}, {"-d", in.Disabled}, {"-s", in.System}} {
		if l.r == nil {
			continue
		}
		list, report, err := ReadPackageList(l.r)
		if err != nil {
			return c, err
		}
		if l.option != "" {
			report.Section += " " + l.option
			for i := range report.Notes {
				report.Notes[i].Section = report.Section
			}
		}
		// A phone with nothing switched off answers with nothing at all.
		if l.option == "-d" && report.Lines == 0 {
			report.Complete, report.Missing = true, ""
		}
		c.Reports = append(c.Reports, report)
		lists[l.option] = list
	}
	c.merge(dump, lists)
	c.judge()
	return c, idErr
}

func orEmpty(r io.Reader) io.Reader {
	if r == nil {
		return strings.NewReader("")
	}
	return r
}

// merge joins the dump and the lists into one entry a package, sorted by name.
func (c *Capture) merge(dump *PackageDump, lists map[string][]Listed) {
	packages := make(map[PackageName]*Package, len(dump.Packages))
	for i := range dump.Packages {
		packages[dump.Packages[i].Name] = &dump.Packages[i]
	}
	add := func(l Listed, installed bool) {
		p := packages[l.Name]
		if p == nil {
			p = &Package{Name: l.Name, Installed: installed, Enabled: EnabledDefault}
			packages[l.Name] = p
		}
		if p.Path == "" && l.Path != "" {
			p.Path = codePath(l.Path)
			p.Partition = PartitionOf(p.Path)
			p.System = p.Partition != "data" && p.Partition != ""
		}
		p.VersionCode = cmp.Or(p.VersionCode, l.VersionCode)
		p.UID = cmp.Or(p.UID, l.UID)
		p.Installer = cmp.Or(p.Installer, l.Installer)
	}
	for _, l := range lists["-u"] {
		_, installedKnown := lists[""]
		add(l, !installedKnown)
	}
	for _, l := range lists[""] {
		add(l, true)
		packages[l.Name].Installed = true
	}
	for _, l := range lists["-d"] {
		add(l, true)
		if packages[l.Name].Enabled == EnabledDefault {
			packages[l.Name].Enabled = EnabledOffByUser
		}
	}
	for _, l := range lists["-s"] {
		add(l, true)
		packages[l.Name].System = true
	}
	for name, provider := range dump.Libraries {
		if p := packages[provider]; p != nil && !slices.Contains(p.Provides, name) {
			p.Provides = append(p.Provides, name)
		}
	}
	c.Packages = make([]Package, 0, len(packages))
	for _, p := range packages {
		slices.Sort(p.Provides)
		c.Packages = append(c.Packages, *p)
	}
	slices.SortFunc(c.Packages, func(a, b Package) int { return cmp.Compare(a.Name, b.Name) })
}

// codePath turns the path of a package file into that of its folder, as the
// dump has it: /system/app/Tips/Tips.apk lies in /system/app/Tips.
func codePath(file string) string {
	if !strings.HasSuffix(file, ".apk") {
		return file
	}
	at := strings.LastIndexByte(file, '/')
	if at <= 0 {
		return file
	}
	return file[:at]
}

func (c *Capture) judge() {
	var missing []string
	packagesFrom := ""
	for _, r := range c.Reports {
		if !r.Complete {
			missing = append(missing, r.Section+": "+r.Missing)
		}
		if r.Section != SectionProperties && r.Complete {
			packagesFrom = r.Section
		}
	}
	if packagesFrom == "" && len(missing) == 0 {
		missing = append(missing, "nothing lists the packages")
	}
	c.Missing = strings.Join(missing, "; ")
	c.Complete = len(missing) == 0
}
