package site

import (
	"context"

	"roster/core/catalog"
	"roster/store"
)

// byHand sorts what a release takes off by where somebody finds it who walks the
// list on the phone itself. What has no name on the screen is in none of them.
type byHand struct {
	// Icon are shown in the phone's own list at once, Hidden only among the system's
	// apps; of Untold nobody knows.
	Icon, Hidden, Untold []handed
	// Grey can't be switched off there.
	Grey []handed
}

type handed struct {
	goes
	Hand store.ByHand
}

type handPage struct {
	releasePage
	ByHand byHand
}

// hand is the list to walk on the phone itself.
func (s *Site) hand(ctx context.Context, p releasePage) (File, error) {
	offers, err := s.Store.ReleaseByHand(ctx, p.ID)
	if err != nil {
		return File{}, err
	}
	var list byHand
	for _, g := range p.Goes {
		h := handed{g, offers[string(g.Package)]}
		switch {
		case g.Label == "":
		case h.Hand.Hand == catalog.HandGrey:
			list.Grey = append(list.Grey, h)
		case h.Hand.Icon == "yes":
			list.Icon = append(list.Icon, h)
		case h.Hand.Icon == "no":
			list.Hidden = append(list.Hidden, h)
		default:
			list.Untold = append(list.Untold, h)
		}
	}
	return s.page("hand.html", handPage{p, list})
}
