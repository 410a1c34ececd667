package evidence

// Vantage is a place that trials are seen from, as far as it makes a
// difference: a build, a model or a maker (the latter two with an Android
// release or without), or everywhere, the zero value.
//
// Most targets look alike: on a build that nobody tried a package on, its
// trials stand exactly as they do on any such build of that model and release.
// From how many places trials look different is therefore a matter of the
// trials: see Viewpoints.
type Vantage struct {
	// Place is the identity of the build, model or maker.
	Place string
	// Release is the Android release, "" where it makes no difference.
	Release string
}

// Vantages lists the places that a target lies in, narrowest first, everywhere
// last. Its own figures are kept under the first.
func Vantages(target Firmware) []Vantage {
	var out []Vantage
	if target.Build != "" {
		out = append(out, Vantage{Place: target.Build})
	}
	for _, place := range []string{target.Model, target.Maker} {
		if place == "" {
			continue
		}
		if target.Release != "" {
			out = append(out, Vantage{place, target.Release})
		}
		out = append(out, Vantage{Place: place})
	}
	return append(out, Vantage{})
}

// Viewpoint is a vantage and a firmware that is seen from there.
type Viewpoint struct {
	Vantage
	Target Firmware
}

// Viewpoints lists every vantage from which the trials of one package look
// different: each build that was tried; each such model and maker, once
// without a release and once for every release that was tried with that
// maker; and everywhere. For every target, the first of its Vantages that is
// among them has the same distances to all trials as the target itself.
func Viewpoints(trials []Trial) []Viewpoint {
	out := []Viewpoint{{}}
	seen := map[Vantage]bool{{}: true}
	add := func(v Vantage, target Firmware) {
		if v.Place != "" && !seen[v] {
			seen[v] = true
			out = append(out, Viewpoint{v, target})
		}
	}
	releases := map[string][]string{}
	for i := range trials {
		on := trials[i].On
		add(Vantage{Place: on.Build}, on)
		key := Vantage{on.Maker, on.Release}
		if on.Release != "" && !seen[key] {
			add(key, Firmware{Maker: on.Maker, Release: on.Release})
			releases[on.Maker] = append(releases[on.Maker], on.Release)
		}
		add(Vantage{Place: on.Maker}, Firmware{Maker: on.Maker})
	}
	for i := range trials {
		on := trials[i].On
		add(Vantage{Place: on.Model}, Firmware{Model: on.Model, Maker: on.Maker})
		for _, release := range releases[on.Maker] {
			add(Vantage{on.Model, release}, Firmware{Model: on.Model, Maker: on.Maker, Release: release})
		}
	}
	return out
}
