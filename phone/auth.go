package phone

import (
	"crypto"
	"crypto/rand"
	"crypto/rsa"
	"encoding/base64"
	"encoding/binary"
	"errors"
	"fmt"
	"math/big"
	"slices"
	"strings"
	"time"
)

// The kinds of AUTH message.
const (
	authToken     = 1
	authSignature = 2
	authPublicKey = 3
)

// prompt is a computer that waits for the owner's answer.
type prompt struct {
	key    string
	answer chan bool
}

// authorise runs the AUTH exchange until the computer is trusted: by a
// signature of a key that the owner has accepted before, or by the owner's
// answer to a new key.
func (p *Phone) authorise(l *link) error {
	if p.scenario.Prompt == "none" {
		return nil
	}
	token := make([]byte, 20)
	if _, err := rand.Read(token); err != nil {
		return err
	}
	ask := message{cmdAuth, authToken, 0, token}
	if err := l.send(ask); err != nil {
		return err
	}
	for {
		m, err := readMessage(l.in)
		if err != nil {
			return err
		}
		if m.command != cmdAuth {
			return errors.New("the computer sent something else before it was trusted")
		}
		switch m.arg0 {
		case authSignature:
			if p.trusts(token, m.data) {
				return nil
			}
			if err := l.send(ask); err != nil {
				return err
			}
		case authPublicKey:
			return p.askOwner(l, string(trimNUL(m.data)))
		default:
			return fmt.Errorf("AUTH of kind %d", m.arg0)
		}
	}
}

func (p *Phone) trusts(token, signature []byte) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	for text := range p.keys {
		key, err := parseKey(text)
		if err == nil && rsa.VerifyPKCS1v15(key, crypto.SHA1, token, signature) == nil {
			return true
		}
	}
	return false
}

func (p *Phone) askOwner(l *link, key string) error {
	if _, err := parseKey(key); err != nil {
		return err
	}
	if p.scenario.Prompt == "accept" {
		p.mu.Lock()
		p.keys[key] = true
		p.mu.Unlock()
		return nil
	}
	ask := &prompt{key, make(chan bool, 1)}
	p.mu.Lock()
	p.prompts = append(p.prompts, ask)
	p.mu.Unlock()
	p.log.Info("a computer asks to be trusted")
	defer func() {
		p.mu.Lock()
		p.prompts = slices.DeleteFunc(p.prompts, func(q *prompt) bool { return q == ask })
		p.mu.Unlock()
	}()
	gone := make(chan struct{})
	go func() { // the computer says nothing while the owner thinks
		defer close(gone)
		l.in.Peek(1)
	}()
	select {
	case ok := <-ask.answer:
		// Wake the goroutine above, and wait: the connection goes on.
		l.conn.SetReadDeadline(time.Now())
		<-gone
		l.conn.SetReadDeadline(time.Time{})
		if !ok {
			return errors.New("the owner refused the computer")
		}
		p.mu.Lock()
		p.keys[key] = true
		p.mu.Unlock()
		return nil
	case <-gone:
		return errors.New("the computer left before the owner answered")
	}
}

// Accept answers every waiting computer as the owner would by tapping Allow;
// it reports how many waited.
func (p *Phone) Accept() int { return p.answer(true) }

// Refuse turns every waiting computer away.
func (p *Phone) Refuse() int { return p.answer(false) }

func (p *Phone) answer(ok bool) int {
	p.mu.Lock()
	defer p.mu.Unlock()
	for _, q := range p.prompts {
		select {
		case q.answer <- ok:
		default:
		}
	}
	return len(p.prompts)
}

// parseKey reads adb's form of a public key: base64 of the modulus's length
// in words, a Montgomery constant, the modulus and R² (little-endian) and the
// exponent, followed by the name of the computer.
func parseKey(text string) (*rsa.PublicKey, error) {
	encoded, _, _ := strings.Cut(text, " ")
	raw, err := base64.StdEncoding.DecodeString(encoded)
	if err != nil || len(raw) != 4+4+256+256+4 || binary.LittleEndian.Uint32(raw) != 64 {
		return nil, errors.New("not a 2048-bit adb key")
	}
	modulus := slices.Clone(raw[8 : 8+256])
	slices.Reverse(modulus)
	return &rsa.PublicKey{N: new(big.Int).SetBytes(modulus), E: int(binary.LittleEndian.Uint32(raw[520:]))}, nil
}
