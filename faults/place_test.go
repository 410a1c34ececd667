package faults_test

import (
	"context"
	"slices"
	"testing"
	"time"

	"roster/core/android"
	"roster/phone"
)

// place is a bench with its adb server and one phone.
type place struct {
	adb     string
	phone   *phone.Phone
	address string
	control string
	root    bool
	bench   string
	handle  string
	capture string
	// before is what the phone had when a run began, times how often each
	// package had gone until then.
	before []string
	times  map[string]int
	noise  map[string]string // what those that are quietened might do
}

func (p *place) there() []string {
	off := p.phone.OffNames()
	return slices.DeleteFunc(p.phone.InstalledNames(), func(n string) bool { return slices.Contains(off, n) })
}

func (p *place) begin() {
	p.before, p.times, p.noise = p.there(), p.phone.TakenOff(), map[string]string{}
	for _, name := range quiet {
		if !slices.Contains(p.before, name) {
			continue
		}
		p.noise[name] = p.hear(name).String()
	}
}

// hear asks what a package may do unasked.
func (p *place) hear(name string) android.Noise {
	n, _ := android.ReadNoise(string(p.phone.Ask(context.Background(), android.NoiseQuestion(android.PackageName(name)))))
	return n
}

// imageOf asks, as root, how a package lies on the image.
func (p *place) imageOf(name string) android.Image {
	ask := func(line string) string { return string(p.phone.Ask(context.Background(), line)) }
	n := android.PackageName(name)
	lies := android.ReadFolders(ask(android.FoldersQuestion([]android.PackageName{n})))[n]
	return android.ReadRoot(ask(android.RootQuestion([]string{lies.Folder}))).Of(n, lies)
}

// imaged are packages that a profile takes out of the image where phones have root.
var imaged = []string{"com.brannock.tips", "com.brannock.feed.daily", "app.basketree.deals", "com.brannock.games.hub"}

// TestFaultsWithRoot does the same to runs that take packages out of the image, read
// and written: masked on one bench, erased on the other.
func TestFaultsWithRoot(t *testing.T) {
	n := *runs
	if n == 0 {
		n = 3
	}
	w := newWorld(t, func(s *phone.Scenario) {
		s.RemovalTakes = 25 * time.Millisecond
		s.Root, s.Image = "su", "read-only"
		if s.Serial == "far-1" {
			s.Image = "writable"
		}
		s.Properties["ro.boot.verifiedbootstate"], s.Properties["ro.boot.veritymode"] = "orange", "disabled"
	}, 12)
	w.breakRuns(t, n, 2*time.Second, broken, w.near, w.far)
}
