package android

import "strings"

// Enabled is the state in which a package is for the phone's first user.
type Enabled string

// The states of dumpsys package, numbered 0 to 4 there.
const (
	EnabledDefault   Enabled = "default"
	EnabledOn        Enabled = "on"
	EnabledOff       Enabled = "off"
	EnabledOffByUser Enabled = "off-by-user"
	EnabledUntilUsed Enabled = "off-until-used"
)

// On reports whether the package runs when asked to.
func (e Enabled) On() bool { return e == EnabledDefault || e == EnabledOn || e == "" }

// Package is what a phone says of one package, for its first user.
type Package struct {
	Name PackageName `json:"name"`
	// Labels are its names on screen by language (BCP 47), the one without a
	// language under "". No output carries them: they come from the package
	// file.
	Labels      map[string]string `json:"labels,omitempty"`
	VersionCode int64             `json:"versionCode,omitempty"`
	VersionName string            `json:"versionName,omitempty"`
	MinSDK      int               `json:"minSdk,omitempty"`
	TargetSDK   int               `json:"targetSdk,omitempty"`
	// UID is the Linux user id of the first user's copy, 0 when not told.
	UID        int    `json:"uid,omitempty"`
	SharedUser string `json:"sharedUser,omitempty"`
	// Path is the code path; for an updated system app the one on /data.
	Path string `json:"path,omitempty"`
	// SystemPath is where the image holds it when Path does not say.
	SystemPath string  `json:"systemPath,omitempty"`
	Partition  string  `json:"partition,omitempty"`
	System     bool    `json:"system"`
	Privileged bool    `json:"privileged,omitempty"`
	Persistent bool    `json:"persistent,omitempty"`
	Installed  bool    `json:"installed"`
	Enabled    Enabled `json:"enabled"`
	Installer  string  `json:"installer,omitempty"`
	// Declares are the permissions that the package defines, with protection.
	Declares []Declared `json:"declares,omitempty"`
	Requests []string   `json:"requests,omitempty"`
	// Provides are the shared and static libraries that others may use.
	Provides []string     `json:"provides,omitempty"`
	Uses     []LibraryUse `json:"uses,omitempty"`
	// OverlayTarget is the package whose resources this one replaces.
	OverlayTarget string `json:"overlayTarget,omitempty"`
	// Signer is the mark that the phone prints for the certificate: equal for
	// packages signed by the same hand, of no meaning beyond the phone's own
	// Android release.
	Signer string `json:"signer,omitempty"`
	// Sizes in bytes, 0 where the phone does not tell.
	AppBytes   int64 `json:"appBytes,omitempty"`
	DataBytes  int64 `json:"dataBytes,omitempty"`
	CacheBytes int64 `json:"cacheBytes,omitempty"`
	// StartsAtBoot is true where a receiver listens for the end of booting.
	StartsAtBoot bool `json:"startsAtBoot,omitempty"`
}

// Declared is a permission that a package defines.
type Declared struct {
	Name       string `json:"name"`
	Protection string `json:"protection"`
}

// LibraryUse is a library that a package asks for. Kind is "required",
// "optional" or "static"; a missing optional one breaks nothing.
type LibraryUse struct {
	Name string `json:"name"`
	Kind string `json:"kind"`
}

// Preinstalled reports whether the package came with the image: its code, or
// the system copy of an updated one, lies outside /data.
func (p Package) Preinstalled() bool {
	if p.System || p.SystemPath != "" {
		return true
	}
	return p.Partition != "" && p.Partition != "data"
}

// partitions by the start of a code path, the longest first.
var partitions = []struct{ prefix, name string }{
	{"/system/system_ext/", "system_ext"}, {"/system_ext/", "system_ext"},
	{"/system/product/", "product"}, {"/product/", "product"},
	{"/system/vendor/", "vendor"}, {"/vendor/", "vendor"},
	{"/system/", "system"}, {"/odm/", "odm"}, {"/oem/", "oem"}, {"/apex/", "apex"},
	{"/data/preload", "preload"}, {"/data/", "data"},
}

// PartitionOf tells from a code path on which partition the package lies, ""
// where the path is of none that is known.
func PartitionOf(path string) string {
	for _, p := range partitions {
		if strings.HasPrefix(path, p.prefix) {
			return p.name
		}
	}
	return ""
}
