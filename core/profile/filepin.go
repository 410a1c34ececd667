package profile

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"roster/core/android"
)

// FilePin says which package file is put in, whoever has it: a release holds no
// files.
type FilePin struct {
	// Signer is the SHA-256 of the certificate of whoever signed it, in hex.
	Signer string `json:"signer" pattern:"^[0-9a-f]{64}$"`
	// SHA256 is that of the package's own file, "" where any version by the
	// signer will do; Least is the lowest version code that will, 0 for any.
	SHA256 string `json:"sha256,omitempty" pattern:"^[0-9a-f]{64}$"`
	Least  int64  `json:"least,omitempty" minimum:"0"`
	// From says where to get it, in words.
	From string `json:"from,omitempty" maxLength:"300"`
}

// GivenFile is a package file that somebody has, checked as far as that goes
// without a phone.
type GivenFile struct {
	// File is where it lies, Split the part of the package that it is, "" for the
	// package's own file.
	File   string `json:"file"`
	Split  string `json:"split,omitempty"`
	Size   int64  `json:"size"`
	SHA256 string `json:"sha256"`
}

// Given is a package whose files somebody has, all of one version.
type Given struct {
	Package     android.PackageName `json:"package"`
	Label       string              `json:"label,omitempty"`
	VersionCode int64               `json:"versionCode"`
	VersionName string              `json:"versionName,omitempty"`
	Signer      string              `json:"signer"`
	MinSDK      int                 `json:"minSdk,omitempty"`
	// ABIs are the processors that it has programs for; none where any will do.
	ABIs  []string    `json:"abis,omitempty" nullable:"false"`
	Files []GivenFile `json:"files" nullable:"false"`
}

var (
	sha256Hex  = regexp.MustCompile(`^[0-9a-f]{64}$`)
	permission = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9_]*(\.[A-Za-z0-9_]+)+$`)
)

func (p FilePin) check() error {
	switch {
	case !sha256Hex.MatchString(p.Signer):
		return errors.New("the signer of its file is 64 hexadecimal digits: the SHA-256 of the certificate")
	case p.SHA256 != "" && !sha256Hex.MatchString(p.SHA256):
		return errors.New("the SHA-256 of its file is 64 hexadecimal digits")
	case p.Least < 0:
		return errors.New("its least version code is below 0")
	case !plain(p.From) || len(p.From) > 300:
		return errors.New("where to get its file is one line of at most 300 bytes")
	}
	return nil
}

// CheckGrants refuses what can't name permissions: only names that it lets
// through may stand in a command.
func CheckGrants(list []string) error {
	for _, one := range list {
		if len(one) > 200 || !permission.MatchString(one) {
			return fmt.Errorf("%q is not a permission", android.Printable(one, 60))
		}
	}
	return nil
}

// Admits says what is wrong with files that are to be the pinned package; nil
// where they are.
func (p FilePin) Admits(g Given) error {
	base := slices.IndexFunc(g.Files, func(f GivenFile) bool { return f.Split == "" })
	switch {
	case base < 0:
		return fmt.Errorf("the package's own file of %s is not among them", g.Package)
	case g.Signer != p.Signer:
		return fmt.Errorf("the file of %s is signed by somebody else: its signer is %s…, and %s… is wanted", g.Package, short(g.Signer), short(p.Signer))
	case p.SHA256 != "" && g.Files[base].SHA256 != p.SHA256:
		return fmt.Errorf("the file of %s is not the one that is wanted: its SHA-256 is %s…, and %s… is wanted",
			g.Package, short(g.Files[base].SHA256), short(p.SHA256))
	case g.VersionCode < p.Least:
		return fmt.Errorf("the file of %s is too old: version code %d, and at least %d is wanted", g.Package, g.VersionCode, p.Least)
	}
	return nil
}

// RunsOn says why a package can't run on a phone of an API level with processors,
// nil where it can as far as it says. A phone that tells of no processor takes all.
func (g Given) RunsOn(sdk int, abis []string) error {
	if g.MinSDK > sdk {
		return fmt.Errorf("the file of %s needs a newer Android: API level %d, and this phone has %d", g.Package, g.MinSDK, sdk)
	}
	if len(g.ABIs) > 0 && len(abis) > 0 && !slices.ContainsFunc(g.ABIs, func(a string) bool { return slices.Contains(abis, a) }) {
		return fmt.Errorf("the file of %s is for another processor: %s, and this phone has %s", g.Package, strings.Join(g.ABIs, ", "), strings.Join(abis, ", "))
	}
	return nil
}

// Bytes is how large all its files are.
func (g Given) Bytes() (n int64) {
	for _, f := range g.Files {
		n += f.Size
	}
	return n
}

// Gather makes packages of files that somebody gave at once: each with its own
// file and all of its splits. Of what is no whole package it says why.
func Gather(files []GivenPart) (list []Given, wrong []error) {
	for _, f := range files {
		if f.Split != "" || slices.ContainsFunc(list, func(g Given) bool { return g.Package == f.Name }) {
			continue
		}
		if len(f.Signers) != 1 {
			wrong = append(wrong, fmt.Errorf("%s: %s", f.File, signerWords(f.Signers)))
			continue
		}
		list = append(list, Given{Package: f.Name, Label: f.Labels[""], VersionCode: f.VersionCode, VersionName: f.VersionName,
			Signer: f.Signers[0], MinSDK: f.MinSDK, ABIs: f.ABIs, Files: []GivenFile{}})
	}
	for _, f := range files {
		i := slices.IndexFunc(list, func(g Given) bool { return g.Package == f.Name })
		switch {
		case i < 0 && f.Split != "":
			wrong = append(wrong, fmt.Errorf("%s: it is a part of %s, whose own file is not among them", f.File, f.Name))
		case i < 0:
		case f.VersionCode != list[i].VersionCode || len(f.Signers) != 1 || f.Signers[0] != list[i].Signer:
			wrong = append(wrong, fmt.Errorf("%s: it is of another version or signer than the other files of %s", f.File, f.Name))
		case slices.ContainsFunc(list[i].Files, func(o GivenFile) bool { return o.Split == f.Split }):
			wrong = append(wrong, fmt.Errorf("%s: another file among them is the same part of %s", f.File, f.Name))
		default:
			list[i].Files = append(list[i].Files, GivenFile{f.Stored, f.Split, f.Size, f.SHA256})
			for _, abi := range f.ABIs {
				if !slices.Contains(list[i].ABIs, abi) {
					list[i].ABIs = append(list[i].ABIs, abi)
				}
			}
		}
	}
	return list, wrong
}

// GivenPart is one file of those that somebody gives at once: what it says, what
// the giver calls it, and where it was stored.
type GivenPart struct {
	android.PackageFile
	File, Stored string
	Size         int64
	SHA256       string
}

func signerWords(list []string) string {
	if len(list) == 0 {
		return "it has no signature of the kinds that are known here (APK Signature Scheme v2 or newer)"
	}
	return "several have signed it, and a pin names one"
}

func short(sum string) string { return sum[:min(12, len(sum))] }

// pinOf is the pin of a step, empty where it has none.
func pinOf(s Step) FilePin {
	if s.File == nil {
		return FilePin{}
	}
	return *s.File
}
