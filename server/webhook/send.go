package webhook

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"syscall"
	"time"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

const (
	patience  = 15 * time.Second // for one try
	maxAnswer = 300              // bytes of an answer that are kept
)

// Sender sends to receivers. The zero Sender reaches public addresses over https
// alone.
type Sender struct {
	// Networks are those beside the public ones that receivers may be in, over
	// plain http, too.
	Networks []netip.Prefix
}

// private are networks that are nobody's business from outside, beside those
// that net/netip knows: RFC 6598, 6890, 6052 and 3068.
var private = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"), netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.0.0/24"),
	netip.MustParsePrefix("192.88.99.0/24"), netip.MustParsePrefix("198.18.0.0/15"), netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("64:ff9b::/96"), netip.MustParsePrefix("64:ff9b:1::/48"), netip.MustParsePrefix("2002::/16"),
}

// reaches reports whether receivers may be at an address.
func (s Sender) reaches(a netip.Addr) bool {
	a = a.Unmap()
	if s.own(a) {
		return true
	}
	if !a.IsGlobalUnicast() || a.IsPrivate() {
		return false
	}
	for _, p := range private {
		if p.Contains(a) {
			return false
		}
	}
	return true
}

func (s Sender) own(a netip.Addr) bool {
	for _, p := range s.Networks {
		if p.Contains(a.Unmap()) {
			return true
		}
	}
	return false
}

// Check says what is wrong with the address of a receiver, as far as can be told
// without asking for its name.
func (s Sender) Check(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return errors.New("want an address such as https://receiver.example/roster")
	}
	if u.User != nil || u.Fragment != "" {
		return errors.New("a receiver's address has neither a password nor a # in it")
	}
	a, err := netip.ParseAddr(u.Hostname())
	if err == nil && !s.reaches(a) {
		return fmt.Errorf("%s is no public address; whoever runs Roster can allow its network (webhook-networks)", a)
	}
	if u.Scheme == "http" && (err != nil || !s.own(a)) {
		return errors.New("a receiver is told over https; plain http goes only to addresses in networks of one's own (webhook-networks)")
	}
	return nil
}

// SecretText is the text of a secret of 32 random bytes, as receivers take it.
func SecretText(raw []byte) string { return "whsec_" + base64.StdEncoding.EncodeToString(raw) }

// Send tells a receiver once. Answer is what it said, in short; err is nil where
// it took it, with any status of 2xx.
func (s Sender) Send(ctx context.Context, address string, secret []byte, id string, at time.Time, body []byte) (answer string, err error) {
	if err := s.Check(address); err != nil {
		return err.Error(), err
	}
	w, err := standardwebhooks.NewWebhookRaw(secret)
	if err != nil {
		return "", err
	}
	signature, err := w.Sign(id, at, body)
	if err != nil {
		return "", err
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	q, err := http.NewRequestWithContext(ctx, http.MethodPost, address, bytes.NewReader(body))
	if err != nil {
		return "", err
	}
	q.Header.Set("Content-Type", "application/json")
	q.Header.Set("User-Agent", "Roster")
	q.Header.Set(standardwebhooks.HeaderWebhookID, id)
	q.Header.Set(standardwebhooks.HeaderWebhookTimestamp, strconv.FormatInt(at.Unix(), 10))
	q.Header.Set(standardwebhooks.HeaderWebhookSignature, signature)
	said, err := s.client().Do(q)
	if err != nil {
		return short(err.Error()), err
	}
	defer said.Body.Close()
	raw, _ := io.ReadAll(io.LimitReader(said.Body, maxAnswer))
	answer = short(said.Status + " " + string(raw))
	if said.StatusCode < 200 || said.StatusCode > 299 {
		return answer, fmt.Errorf("the receiver answered %s", said.Status)
	}
	return answer, nil
}

// client goes to no address that it may not, whatever a name stands for by the
// time it is asked for, and nowhere else than it was told.
func (s Sender) client() *http.Client {
	dialer := &net.Dialer{Timeout: patience, Control: func(_, address string, _ syscall.RawConn) error {
		at, err := netip.ParseAddrPort(address)
		if err != nil {
			return err
		}
		if !s.reaches(at.Addr()) {
			return fmt.Errorf("%s is no public address", at.Addr())
		}
		return nil
	}}
	return &http.Client{
		Transport:     &http.Transport{DialContext: dialer.DialContext, TLSHandshakeTimeout: patience, DisableKeepAlives: true, Proxy: nil},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}
