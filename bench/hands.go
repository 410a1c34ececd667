package bench

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strings"
	"time"

	"roster/bench/adb"
)

// Hand is a stand-in phone on this computer, held in the hand.
type Hand struct {
	// Address is where adb reaches it.
	Address string `json:"address"`
	// Control is the address of its hand: see phone.Phone.Hand.
	Control string `json:"control"`
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
}

func (s *Station) hand(serial string) *Hand {
	for i := range s.hands {
		if s.hands[i].Address == serial {
			return &s.hands[i]
		}
	}
	return nil
}

// watchHands keeps the stand-ins' conditions, and reaches those that adb has
// lost: a cable that is put back is seen without anybody asking for it.
func (s *Station) watchHands(ctx context.Context) {
	if len(s.hands) == 0 {
		return
	}
	for every := time.NewTicker(time.Second); ; {
		list := []StandIn{}
		for _, h := range s.hands {
			c, err := h.call(ctx, http.MethodGet, "", "")
			if err != nil {
				continue // its process has ended
			}
			list = append(list, c)
			if c.Plugged && c.Stuck == "" {
				s.reach(ctx, h.Address)
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
	if listed >= 0 {
		if v.Phones[listed].State != "offline" || !s.offline(ctx, address) {
			return
		}
		s.client.Disconnect(ctx, address) // else it answers that it is connected
	}
	if words, err := s.client.Connect(ctx, address); err != nil {
		s.log.Debug("a stand-in can't be reached", "address", address, "words", words, "err", err)
	}
}

// offline asks the adb server itself whether it lists a phone that it does not
// hear: the view may be of a moment ago.
func (s *Station) offline(ctx context.Context, serial string) bool {
	list, err := s.client.Devices(ctx)
	return err == nil && slices.ContainsFunc(list, func(d adb.Device) bool { return d.Serial == serial && d.State == "offline" })
}

// call asks a stand-in's hand.
func (h *Hand) call(ctx context.Context, method, action, with string) (StandIn, error) {
	c := StandIn{Address: h.Address}
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	address := "http://" + h.Control + "/" + url.PathEscape(action)
	if with != "" {
		address += "?with=" + url.QueryEscape(with)
	}
	r, err := http.NewRequestWithContext(ctx, method, address, nil)
	if err != nil {
		return c, err
	}
	a, err := http.DefaultClient.Do(r)
	if err != nil {
		return c, fmt.Errorf("the stand-in's hand does not answer: %w", err)
	}
	defer a.Body.Close()
	if a.StatusCode != http.StatusOK {
		words, _ := io.ReadAll(io.LimitReader(a.Body, 500))
		return c, errors.New(strings.TrimSpace(string(words)))
	}
	return c, json.NewDecoder(io.LimitReader(a.Body, 1<<16)).Decode(&c)
}

// Act does to a stand-in what a hand would do. Control is the address of its
// hand.
func Act(ctx context.Context, control, action, with string) (StandIn, error) {
	h := Hand{Control: control}
	if action == "" {
		return h.call(ctx, http.MethodGet, "", "")
	}
	return h.call(ctx, http.MethodPost, action, with)
}
