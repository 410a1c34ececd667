package android

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// CaptureFormat names the shape of Capture in files.
const CaptureFormat = "roster-capture/1"

// Capture is what one phone said it has at one moment.
type Capture struct {
	Format   string     `json:"format"`
	Identity Identity   `json:"identity"`
	Phone    PhoneFacts `json:"phone"`
	Packages []Package  `json:"packages"`
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

// Capture makes a capture of everything that was read. Facts come from the
// dump where it has them and from the lists otherwise. A capture that lacks
// something is returned with Complete false and what is missing; the error is
// that nobody can tell which phone this is, or an earlier one of the texts.
func (r *Reading) Capture() (*Capture, error) {
	if r.err != nil {
		return nil, r.err
	}
	if r.whole != nil && r.props == nil {
		return r.whole, nil
	}
	c := &Capture{Format: CaptureFormat, Packages: []Package{}, Reports: r.reports}
	if r.props == nil {
		return c, fmt.Errorf("the output of getprop is missing: without it nobody can tell which phone this is")
	}
	var err error
	c.Identity, err = Identify(r.props)
	dump := &PackageDump{}
	if r.dump != nil {
		dump = r.dump.dump
	}
	c.Phone = r.phone
	for i, k := range c.Phone.Keyboards {
		c.Phone.Keyboards[i].Default = string(k.Package)+"/"+k.Component == r.keyboard
	}
	c.Phone.order()
	c.merge(dump, r.lists, &r.sizes)
	c.judge()
	return c, err
}

// Broken says that the phone went away before it had said everything.
func (c *Capture) Broken() {
	c.Complete = false
	c.Missing = strings.TrimPrefix(c.Missing+"; the phone went away", "; ")
}

// merge joins the dump and the lists into one entry a package, sorted by name.
func (c *Capture) merge(dump *PackageDump, lists map[string][]Listed, sizes *sizes) {
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
	for _, l := range lists["-e"] {
		add(l, true)
	}
	for _, l := range lists["-3"] {
		add(l, true)
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
	sizes.put(packages)
	c.Packages = make([]Package, 0, len(packages))
	for _, p := range packages {
		slices.Sort(p.Provides)
		c.Packages = append(c.Packages, *p)
	}
	slices.SortFunc(c.Packages, func(a, b Package) int { return cmp.Compare(a.Name, b.Name) })
	if len(c.Packages) > maxPackages { // each list has fewer, all of them together may have more
		c.Packages = slices.Clip(c.Packages[:maxPackages])
		report := Report{Section: "packages"}
		report.overflow()
		report.close()
		c.Reports = append(c.Reports, report)
	}
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

// judge says what is missing: an output that ended in the middle, or every
// list of the packages.
func (c *Capture) judge() {
	var missing []string
	listed := false
	for _, r := range c.Reports {
		if !r.Complete {
			missing = append(missing, r.Section+": "+r.Missing)
		}
		if r.Complete && r.Refused == "" && (r.Section == SectionPackageDump || r.Section == SectionPackageList || r.Section == SectionPackageList+" -u") {
			listed = true
		}
	}
	if !listed && len(missing) == 0 {
		missing = append(missing, "nothing lists the packages")
	}
	c.Missing = strings.Join(missing, "; ")
	c.Complete = len(missing) == 0
}
