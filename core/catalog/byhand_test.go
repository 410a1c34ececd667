package catalog

import "testing"

func TestByHand(t *testing.T) {
	for _, c := range []struct {
		what  string
		facts HandFacts
		want  Hand
		sure  bool
	}{
		{"of the image", HandFacts{}, HandSwitch, false},
		{"an ordinary install", HandFacts{Ordinary: true}, HandUninstall, false},
		{"signed with the platform's key", HandFacts{Platform: true}, HandGrey, false},
		{"signed so, and done all the same", HandFacts{Platform: true, Done: 1}, HandSwitch, true},
		{"tried, and grey", HandFacts{NotOffered: 2, Done: 1}, HandGrey, true},
		{"as many as not", HandFacts{NotOffered: 1, Done: 1, Ordinary: true}, HandUninstall, true},
	} {
		if hand, sure := ByHand(c.facts); hand != c.want || sure != c.sure {
			t.Errorf("%s: %s, sure %t", c.what, hand, sure)
		}
	}
}
