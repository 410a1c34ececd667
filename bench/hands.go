package bench

import (
	"context"
	"reflect"
	"slices"
	"time"

	"roster/bench/services"
)

// Hand holds a stand-in phone, as an owner holds theirs.
type Hand interface {
	// Phone is where the phone is reached: its address, or its serial number.
	Phone() string
	// Do does to it what hands do to phones, one of phone.Actions, with what that
	// takes; the empty action only looks at it. It returns how it is then.
	Do(ctx context.Context, action, with string) (StandIn, error)
}

// StandIn is a stand-in as the Bench shows it: what its hand tells.
type StandIn struct {
	Address  string `json:"address"`
	Name     string `json:"name"`
	Plugged  bool   `json:"plugged"`
	Asking   int    `json:"asking" doc:"Computers that wait for the owner"`
	LockCode bool   `json:"lockCode"`
	Build    string `json:"build"`
	Update   string `json:"update" doc:"The build that waits to be installed"`
	Stuck    string `json:"stuck" doc:"Why it does not start"`
	Root     string `json:"root" doc:"Whether whoever asks is given root: given, refused, or nothing on a phone without"`
}

func (s *Station) hand(serial string) Hand {
	for _, h := range s.Hands {
		if h.Phone() == serial {
			return h
		}
	}
	return nil
}

// watchHands keeps the stand-ins' conditions, and reaches those that adb has
// lost: a cable that is put back is seen without anybody asking for it.
func (s *Station) watchHands(ctx context.Context) {
	if len(s.Hands) == 0 {
		return
	}
	for every := time.NewTicker(time.Second); ; {
		list := []StandIn{}
		for _, h := range s.Hands {
			c, err := h.Do(ctx, "", "")
			if err != nil {
				continue // its process has ended
			}
			list = append(list, c)
			if c.Plugged && c.Stuck == "" {
				s.reach(ctx, h.Phone())
			}
		}
		if v, _ := s.View(); !reflect.DeepEqual(v.StandIns, list) {
			s.change(func(v *View) { v.StandIns = list })
		}
		select {
		case <-every.C:
		case <-ctx.Done():
			every.Stop()
			return
		}
	}
}

// reach connects to a stand-in that the adb server does not list, or holds
// for gone.
func (s *Station) reach(ctx context.Context, address string) {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	v, _ := s.View()
	if v.Version == 0 {
		return
	}
	listed := slices.IndexFunc(v.Phones, func(p Phone) bool { return p.Address == address })
	server, err := s.server()
	if err != nil {
		return
	}
	if listed >= 0 && v.Phones[listed].State != "offline" {
		return
	}
	if words, err := s.join(ctx, server, address); err != nil {
		s.Log.Debug("a stand-in can't be reached", "address", address, "words", words, "err", err)
	}
}

// join connects to a phone on the network. One that the adb server lists and
// does not hear is let go first: else the server answers that it is connected,
// and tries again when it likes.
func (s *Station) join(ctx context.Context, server Server, address string) (words string, err error) {
	if s.offline(ctx, address) {
		server.Disconnect(ctx, address)
	}
	return server.Connect(ctx, address)
}

// offline asks the adb server itself whether it lists a phone that it does not
// hear: the view may be of a moment ago.
func (s *Station) offline(ctx context.Context, serial string) bool {
	list, err := s.Host.Devices(ctx)
	return err == nil && slices.ContainsFunc(list, func(d services.Device) bool { return d.Serial == serial && d.State == "offline" })
}
