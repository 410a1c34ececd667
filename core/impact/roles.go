package impact

import (
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
	Name  string
	Class Class
	Able  []android.PackageName
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
	p, there := n.phone, n.there
	able := map[string][]android.PackageName{}
	add := func(role string, names ...android.PackageName) {
		for _, name := range names {
			if there[name] != nil && !slices.Contains(able[role], name) {
				able[role] = append(able[role], name)
			}
		}
	}
	for _, r := range p.Facts.Roles {
		add(r.Name, r.Holders...)
		add(r.Name, r.Able...)
	}
	for _, k := range p.Facts.Keyboards {
		add(Keyboard, k.Package)
	}
	add(WebView, p.Facts.WebView)
	for role, names := range platformJobs {
		add(role, names...)
	}
	list := make([]Role, 0, len(able))
	for name, packages := range able {
		slices.Sort(packages)
		list = append(list, Role{name, classOf(name, p.Form), packages})
	}
	slices.SortFunc(list, func(a, b Role) int {
		if a.Name < b.Name {
			return -1
		}
		return 1
	})
	return list
}
