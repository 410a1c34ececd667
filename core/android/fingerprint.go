package android

import (
	"errors"
	"fmt"
	"strings"
)

// Fingerprint is a build fingerprint taken apart:
// brand/product/device:release/id/incremental:type/tags.
type Fingerprint struct {
	Brand, Product, Device   string
	Release, ID, Incremental string
	Type, Tags               string
}

// ErrFingerprint is wrapped by every error of ParseFingerprint.
var ErrFingerprint = errors.New("not a build fingerprint")

// ParseFingerprint takes a fingerprint apart. Every part must be there and
// hold only printable ASCII without spaces; the whole is at most 512 bytes.
func ParseFingerprint(s string) (Fingerprint, error) {
	var f Fingerprint
	if len(s) > 512 {
		return f, fmt.Errorf("%w: %d bytes, at most 512", ErrFingerprint, len(s))
	}
	for i := 0; i < len(s); i++ {
		if s[i] <= ' ' || s[i] > '~' {
			return f, fmt.Errorf("%w: %q at byte %d is not allowed", ErrFingerprint, s[i], i+1)
		}
	}
	colons := strings.Split(s, ":")
	if len(colons) != 3 {
		return f, fmt.Errorf("%w: want three parts between colons, have %d", ErrFingerprint, len(colons))
	}
	who, what, how := strings.Split(colons[0], "/"), strings.Split(colons[1], "/"), strings.Split(colons[2], "/")
	if len(who) != 3 || len(what) != 3 || len(how) != 2 {
		return f, fmt.Errorf("%w: want brand/product/device:release/id/incremental:type/tags", ErrFingerprint)
	}
	f = Fingerprint{who[0], who[1], who[2], what[0], what[1], what[2], how[0], how[1]}
	for _, part := range []string{f.Brand, f.Product, f.Device, f.Release, f.ID, f.Incremental, f.Type, f.Tags} {
		if part == "" {
			return Fingerprint{}, fmt.Errorf("%w: a part is empty", ErrFingerprint)
		}
	}
	return f, nil
}

// String puts the fingerprint together again.
func (f Fingerprint) String() string {
	return f.Brand + "/" + f.Product + "/" + f.Device + ":" + f.Release + "/" + f.ID + "/" + f.Incremental + ":" + f.Type + "/" + f.Tags
}
