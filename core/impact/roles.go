package impact

import (
	"maps"
	"slices"

	"roster/core/android"
)

// Class is how much a phone needs a role to be held.
type Class string

// The classes of roles.
const (
	Vital    Class = "vital"
	Wanted   Class = "wanted"
	Optional Class = "optional"
)

// Role is a job on the phone, and every package that holds it or could.
type Role struct {
	// Name is the platform's name without its prefix, such as HOME, or one of
	// the names below for jobs that the platform does not call roles.
	Name  string                `json:"name"`
	Class Class                 `json:"class" enum:"vital,wanted,optional"`
	Able  []android.PackageName `json:"able" nullable:"false"`
}

// Jobs that the platform gives to packages without calling them roles.
const (
	Keyboard  = "KEYBOARD"
	WebView   = "WEB_VIEW"
	Settings  = "SETTINGS"
	Installer = "PACKAGE_INSTALLER"
	SystemUI  = "SYSTEM_UI"
	Telephony = "TELEPHONY_STORAGE"
	Media     = "MEDIA_STORAGE"
)

// platformJobs are who does these jobs: the platform's own names.
var platformJobs = map[string][]android.PackageName{
	Settings:  {"com.android.settings", "com.android.tv.settings"},
	Installer: {"com.android.packageinstaller", "com.android.permissioncontroller"},
	SystemUI:  {"com.android.systemui"},
	Telephony: {"com.android.providers.telephony"},
	Media:     {"com.android.providers.media", "com.android.providers.media.module"},
}

var classes = map[string]Class{
	"HOME": Vital, Keyboard: Vital, WebView: Vital, Settings: Vital, Installer: Vital, SystemUI: Vital, Telephony: Vital, Media: Vital,
	"SMS": Wanted, "BROWSER": Wanted, "CAMERA": Wanted, "GALLERY": Wanted, "SYSTEM_GALLERY": Wanted, "CONTACTS": Wanted, "CLOCK": Wanted,
}

// classOf is vital for the dialler on a phone alone: a tablet calls nobody.
func classOf(role, form string) Class {
	if role == "DIALER" {
		if form == "phone" {
			return Vital
		}
		return Optional
	}
	if c, ok := classes[role]; ok {
		return c
	}
	return Optional
}

// readRoles lists the phone's jobs that some package does or could do. One that
// nobody can do today cannot be emptied.
func (n *Net) readRoles() []Role {
	able := Able(n.phone.Facts)
	for role, names := range platformJobs {
		able[role] = append(able[role], names...)
	}
	active := n.active()
	list := make([]Role, 0, len(able))
	for _, name := range slices.Sorted(maps.Keys(able)) {
		there := slices.DeleteFunc(able[name], func(one android.PackageName) bool { return active[one] == nil })
		if len(there) > 0 {
			list = append(list, Role{name, classOf(name, n.phone.Form), there})
		}
	}
	return list
}

// Able are the packages that a phone says hold or could hold each role, sorted.
func Able(f android.PhoneFacts) map[string][]android.PackageName {
	able := map[string][]android.PackageName{}
	for _, r := range f.Roles {
		able[r.Name] = slices.Concat(r.Holders, r.Able)
	}
	for _, k := range f.Keyboards {
		able[Keyboard] = append(able[Keyboard], k.Package)
	}
	if f.WebView != "" {
		able[WebView] = []android.PackageName{f.WebView}
	}
	for role, names := range able {
		slices.Sort(names)
		able[role] = slices.Compact(names)
	}
	return able
}
