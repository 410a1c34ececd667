package android

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// PackageFile is what a package file (.apk) says of itself.
type PackageFile struct {
	Name        PackageName
	VersionCode int64
	VersionName string
	// Labels by language (BCP 47), the one without a language under "". They
	// are those of the activity that the home screen shows, or of the
	// application as a whole.
	Labels map[string]string
	// Icon is a PNG or WebP picture, nil where there is none of them.
	Icon []byte
	// Split is the name of the part of a package that the file is, "" for the
	// package's own file.
	Split string
	// MinSDK is the API level that it needs, 0 where it says none.
	MinSDK int
	// ABIs are the kinds of processors that it has programs for; none where it
	// needs no certain one.
	ABIs []string
	// Signers are the SHA-256 of the certificates of whoever signed it, in hex;
	// none where it is not signed in a way that is known here.
	Signers []string
}

// ErrPackageFile is wrapped by every error of ReadPackageFile.
var ErrPackageFile = errors.New("not a package file that can be read")

// The bounds of what is unpacked from a package file.
const (
	maxManifest = 8 << 20
	maxTable    = 128 << 20
	maxIcon     = 256 << 10
)

// Attributes of the manifest, by the ids that the platform gave them.
const (
	attrLabel       = 0x01010001
	attrIcon        = 0x01010002
	attrName        = 0x01010003
	attrVersionCode = 0x0101021b
	attrVersionName = 0x0101021c
	attrMinSDK      = 0x0101020c
)

// ReadPackageFile reads the manifest and the resource table of a package
// file. A file without labels is no error: Labels is then empty.
func ReadPackageFile(r io.ReaderAt, size int64) (*PackageFile, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrPackageFile, err)
	}
	raw, err := unpack(z, "AndroidManifest.xml", maxManifest)
	if err != nil {
		return nil, err
	}
	m, err := readManifest(raw)
	if err != nil {
		return nil, fmt.Errorf("%w: manifest: %w", ErrPackageFile, err)
	}
	f := &PackageFile{VersionCode: m.versionCode, VersionName: Printable(m.versionName, 100), Labels: map[string]string{}}
	if f.Name, err = ParsePackageName(m.name); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrPackageFile, err)
	}
	var table *resourceTable
	if raw, err := unpack(z, "resources.arsc", maxTable); err == nil {
		if table, err = readResourceTable(raw); err != nil {
			return nil, fmt.Errorf("%w: resource table: %w", ErrPackageFile, err)
		}
	}
	label, icon := m.launcher.label, m.launcher.icon
	if label.kind == 0 {
		label = m.label
	}
	if icon.kind == 0 {
		icon = m.icon
	}
	for language, text := range table.texts(label) {
		if text = strings.TrimSpace(Printable(text, maxLabel)); text != "" && Language(language) && len(f.Labels) < maxLabels {
			f.Labels[language] = text
		}
	}
	f.Icon = pickIcon(z, table, icon)
	f.Split, f.MinSDK, f.ABIs = Printable(m.split, 100), m.minSDK, abisOf(z)
	f.Signers, _ = readSigners(r, size)
	return f, nil
}

// abisOf are the folders of programs in a package file.
func abisOf(z *zip.Reader) (list []string) {
	for _, f := range z.File {
		rest, ok := strings.CutPrefix(f.Name, "lib/")
		if abi, _, deep := strings.Cut(rest, "/"); ok && deep && abi != "" && len(list) < 20 && !slices.Contains(list, abi) {
			list = append(list, Printable(abi, 40))
		}
	}
	return list
}

func unpack(z *zip.Reader, name string, limit int64) ([]byte, error) {
	file, err := z.Open(name)
	if err != nil {
		return nil, fmt.Errorf("%w: no %s in it", ErrPackageFile, name)
	}
	defer file.Close()
	raw, err := io.ReadAll(io.LimitReader(file, limit+1))
	switch {
	case err != nil:
		return nil, fmt.Errorf("%w: %s: %w", ErrPackageFile, name, err)
	case int64(len(raw)) > limit:
		return nil, fmt.Errorf("%w: %s is over %d MB", ErrPackageFile, name, limit>>20)
	}
	return raw, nil
}

// pickIcon takes the largest picture that is not too large.
func pickIcon(z *zip.Reader, table *resourceTable, icon value) []byte {
	var best []byte
	for _, path := range table.paths(icon) {
		if !strings.HasSuffix(path, ".png") && !strings.HasSuffix(path, ".webp") {
			continue
		}
		raw, err := unpack(z, path, maxIcon)
		if err != nil || PictureType(raw) == "" {
			continue
		}
		if len(raw) > len(best) {
			best = raw
		}
	}
	return best
}

// PictureType tells from its first bytes whether data is a PNG or WebP
// picture, as a media type; "" for anything else.
func PictureType(data []byte) string {
	switch {
	case bytes.HasPrefix(data, []byte("\x89PNG\r\n\x1a\n")):
		return "image/png"
	case len(data) > 12 && string(data[:4]) == "RIFF" && string(data[8:12]) == "WEBP":
		return "image/webp"
	}
	return ""
}

// manifest is what is read of AndroidManifest.xml.
type manifest struct {
	name        string
	versionCode int64
	versionName string
	split       string
	minSDK      int
	label, icon value
	launcher    struct{ label, icon value }
}

func readManifest(raw []byte) (*manifest, error) {
	m := &manifest{}
	var activity struct{ label, icon value }
	inActivity, found := false, false
	err := walkXML(raw, func(e xmlElement) {
		text := func(id uint32) string { return e.attrs[id].text }
		switch {
		case e.end:
			if e.name == "activity" || e.name == "activity-alias" {
				inActivity = false
			}
		case e.name == "manifest":
			m.name, m.split = e.plain["package"], e.plain["split"]
			m.versionCode = int64(e.attrs[attrVersionCode].data)
			m.versionName = text(attrVersionName)
		case e.name == "uses-sdk":
			m.minSDK = int(min(e.attrs[attrMinSDK].data, 10_000))
		case e.name == "application":
			m.label, m.icon = e.attrs[attrLabel], e.attrs[attrIcon]
		case e.name == "activity" || e.name == "activity-alias":
			inActivity = true
			activity.label, activity.icon = e.attrs[attrLabel], e.attrs[attrIcon]
		case e.name == "category" && inActivity && !found && text(attrName) == "android.intent.category.LAUNCHER":
			m.launcher, found = activity, true
		}
	})
	if err == nil && m.name == "" {
		err = errors.New("it names no package")
	}
	return m, err
}
