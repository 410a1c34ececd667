package alone

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"aead.dev/minisign"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
	"roster/core/run"
)

// Release is a release that was read, and what is known of it besides.
type Release struct {
	// Document is the release as it was signed.
	Document *profile.Document `json:"document"`
	Digest   string            `json:"digest"`
	// KeyID is the key's number that its signature fits.
	KeyID string `json:"keyId"`
	// Status is what its publisher says of it by now.
	Status Status `json:"status"`
}

// Status is what a release's .status.json says, as far as it is used here.
type Status struct {
	State  profile.ReleaseState `json:"state"`
	Reason string               `json:"reason,omitempty"`
	SHA256 string               `json:"sha256"`
	NotFor []Mark               `json:"notFor,omitempty"`
}

// Mark is a firmware that a release is not for.
type Mark struct {
	Fingerprint string `json:"fingerprint"`
	Version     string `json:"version"`
	Carrier     string `json:"carrier,omitempty"`
	Why         string `json:"why"`
}

// ErrSignature says that a release is not what its publisher signed.
var ErrSignature = errors.New("the signature does not fit: do not use this release")

// OpenRelease checks a release's signature against a key, and reads it. Nothing
// of one that was not signed is looked at.
func OpenRelease(document, signature []byte, key string, status []byte) (*Release, error) {
	var public minisign.PublicKey
	if err := public.UnmarshalText([]byte(key)); err != nil {
		return nil, fmt.Errorf("%w: the key can't be read: %w", ErrSignature, err)
	}
	if !minisign.Verify(public, document, signature) {
		return nil, ErrSignature
	}
	d, err := profile.ParseDocument(document)
	if err != nil {
		return nil, err
	}
	r := &Release{Document: d, Digest: profile.Digest(document), KeyID: fmt.Sprintf("%016X", public.ID())}
	return r, r.Tell(status)
}

// Tell takes what the publisher says of the release by now, as JSON.
func (r *Release) Tell(status []byte) error {
	var s Status
	if err := json.Unmarshal(status, &s); err != nil {
		return fmt.Errorf("what the publisher says of this release can't be read: %w", err)
	}
	if s.SHA256 != r.Digest {
		return errors.New("what the publisher says is of another release")
	}
	r.Status = s
	return nil
}

// Choose is what somebody chose, with what a page decides: it does nothing as root,
// and so removes for the user what the release takes out of the image.
func (r *Release) Choose(c run.Choices) run.Choices {
	for _, s := range r.Document.Removals() {
		if s.Method == evidence.RemoveFromImage && !slices.Contains(c.User, s.Package) {
			c.User = append(slices.Clone(c.User), s.Package)
		}
	}
	return c
}

// Rehearse is run.Rehearse of Choose, with what the publisher says of the release by now.
func (r *Release) Rehearse(s run.Subject, c run.Choices) run.Rehearsal {
	out := run.Rehearse(r.Document, s, r.Choose(c))
	if r.Status.State == profile.Withdrawn {
		out.Stops = append(out.Stops, run.Stop{Code: run.MarkedAsNotFor, Words: "this release was withdrawn: " + r.Status.Reason})
	}
	for _, m := range r.Status.NotFor {
		if m.Fingerprint == s.Identity.Fingerprint {
			out.Stops = append(out.Stops, run.Stop{Code: run.MarkedAsNotFor, Words: "this release is not for " + m.Version + ": " + m.Why})
		}
	}
	return out
}

// carriers are packages that a release takes a function off with.
func carriers(d *profile.Document, function string) (list []android.PackageName) {
	for _, l := range d.Costs {
		if l.Function == function {
			list = append(list, l.Packages...)
		}
	}
	for _, s := range d.Removals() {
		if slices.Contains(s.Costs, function) && !slices.Contains(list, s.Package) {
			list = append(list, s.Package)
		}
	}
	return list
}
