package alone

import (
	"context"
	"slices"

	"roster/bench"
	"roster/core/android"
	"roster/core/profile"
)

// Give takes package files that the release puts in. What it does not want, or not
// by this signer, is said.
func (b *Bench) Give(ctx context.Context, list []bench.Offered) (bench.Taken, error) {
	taken, err := b.Station.Give(ctx, list)
	if err != nil {
		return taken, err
	}
	good := []profile.Given{}
	for _, g := range taken.Packages {
		pin := b.pin(g.Package)
		if pin == nil {
			taken.Wrong = append(taken.Wrong, string(g.Package)+": this release puts nothing of that name in")
		} else if err := pin.Admits(g); err != nil {
			taken.Wrong = append(taken.Wrong, err.Error())
		} else {
			good = append(good, g)
		}
	}
	taken.Packages = good
	return taken, nil
}

// pin is that of a package that the release puts in from a file, nil for others.
func (b *Bench) pin(name android.PackageName) *profile.FilePin {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.release == nil {
		return nil
	}
	for _, s := range b.release.Document.Steps {
		if s.Kind == profile.PutIn && s.Package == name {
			return s.File
		}
	}
	return nil
}

// ready lists what the release puts in whose files lie here as it wants them. It is
// called with b.mu held.
func (b *Bench) ready(given []profile.Given) []android.PackageName {
	names := []android.PackageName{}
	if b.release == nil {
		return names
	}
	for _, s := range b.release.Document.Steps {
		if s.Kind != profile.PutIn || s.File == nil {
			continue
		}
		if slices.ContainsFunc(given, func(g profile.Given) bool { return g.Package == s.Package && s.File.Admits(g) == nil }) {
			names = append(names, s.Package)
		}
	}
	return names
}
