//go:build !js

package bench

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// HandAt is the hand of a stand-in that another program runs.
type HandAt struct {
	// Address is where adb reaches the stand-in.
	Address string `json:"address"`
	// Control is the address of its hand: see phone.Phone.Hand.
	Control string `json:"control"`
}

// Hands are the hands of stand-ins that other programs run.
func Hands(list []HandAt) []Hand {
	hands := make([]Hand, len(list))
	for i, h := range list {
		hands[i] = h
	}
	return hands
}

// Phone is where adb reaches the stand-in.
func (h HandAt) Phone() string { return h.Address }

// Do asks the program that runs the stand-in; see Hand.
func (h HandAt) Do(ctx context.Context, action, with string) (StandIn, error) {
	c := StandIn{Address: h.Address}
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	method := http.MethodPost
	if action == "" {
		method = http.MethodGet
	}
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
