package catalog

// Hand is what a phone's own settings offer for a package, to its owner.
type Hand string

// What settings offer: to uninstall it, to switch it off, or neither, where the
// button is grey or missing.
const (
	HandUninstall Hand = "uninstall"
	HandSwitch    Hand = "switch-off"
	HandGrey      Hand = "grey"
)

// HandFacts are what tells of it.
type HandFacts struct {
	// Ordinary is true for an ordinary install: its code lies on the owner's
	// partition, and no part of it on the image.
	Ordinary bool
	// Platform is true where the key that signed the platform signed it, too: then
	// Android's settings let nobody switch it off.
	Platform bool
	// Done and NotOffered count phones on which somebody tried.
	Done, NotOffered int
}

// ByHand says what the settings offer. It is sure where somebody tried it on a
// phone, and else derived from what Android does. Where phones differ, most of
// them count, and of equally many those that offer it.
func ByHand(f HandFacts) (hand Hand, sure bool) {
	tried := f.Done+f.NotOffered > 0
	switch {
	case tried && f.NotOffered > f.Done, !tried && f.Platform:
		return HandGrey, tried
	case f.Ordinary:
		return HandUninstall, tried
	}
	return HandSwitch, tried
}
