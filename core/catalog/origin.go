package catalog

import (
	"strings"

	"roster/core/android"
)

// Origin is who put a package on a phone.
type Origin string

// The origins.
const (
	Platform Origin = "platform"
	Maker    Origin = "maker"
	Silicon  Origin = "silicon"
	Carrier  Origin = "carrier"
	Partner  Origin = "partner"
	Region   Origin = "region"
	Owner    Origin = "owner"
	Unknown  Origin = "unknown"
)

// Origins lists every origin in the order in which the Ledger groups them.
var Origins = []Origin{Maker, Partner, Carrier, Silicon, Region, Platform, Owner, Unknown}

// Valid reports whether o is one of Origins.
func (o Origin) Valid() bool {
	for _, known := range Origins {
		if o == known {
			return true
		}
	}
	return false
}

// GuessOrigin tells who probably put a package there, from its namespace and
// partition, with the reason. A person's claim always stands above it.
func GuessOrigin(p android.Package, phone android.Identity) (Origin, string) {
	name := string(p.Name)
	maker := strings.ToLower(strings.Fields(phone.Manufacturer + " ?")[0])
	segments := strings.Split(strings.ToLower(name), ".")
	second := ""
	if len(segments) > 1 {
		second = segments[1]
	}
	switch {
	case !p.Preinstalled():
		return Owner, "its code lies on the owner's partition and the image has no copy"
	case name == "android" || strings.HasPrefix(name, "com.android.") || strings.HasPrefix(name, "android."):
		return Platform, "its name lies in the platform's own namespace"
	case second == maker:
		return Maker, "its namespace is the maker's, " + string(p.Name.Namespace())
	case phone.Carrier != "" && second == strings.ToLower(strings.Fields(phone.Carrier)[0]):
		return Carrier, "its namespace is that of the carrier " + phone.Carrier
	case p.Partition == "vendor" || p.Partition == "odm":
		return Silicon, "it lies on the " + p.Partition + " partition and is not the maker's"
	case p.Partition == "product" || p.Partition == "preload" || p.Partition == "oem":
		return Partner, "it lies on the " + p.Partition + " partition under a foreign namespace"
	}
	return Unknown, "neither its path nor its namespace tells"
}

// OriginOfMany tells again who put a package there, once it is known how many
// makers ship it: what several do is no maker's own. It reports whether the
// guess changes.
func OriginOfMany(guess Origin, makers int) (Origin, string, bool) {
	if guess != Unknown || makers < 2 {
		return guess, "", false
	}
	return Partner, "several makers ship it, so it is none's own, and the platform does not name it", true
}
