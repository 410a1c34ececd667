package server

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/argon2"
)

// PasswordCost is what it costs to compare a password with its stored form, to
// this installation and to whoever has stolen its database.
type PasswordCost struct {
	Passes uint32
	Memory uint32 // KiB
}

// DefaultPasswordCost is what OWASP's Password Storage Cheat Sheet advises for
// argon2id.
var DefaultPasswordCost = PasswordCost{Passes: 2, Memory: 19 * 1024}

const argonKeyBytes = 32

// Hash makes the stored form of a password: argon2id with its parameters and
// salt, so that a stored password is compared at the cost that it was stored
// with. The zero cost is DefaultPasswordCost.
func (c PasswordCost) Hash(password string) (string, error) {
	if c == (PasswordCost{}) {
		c = DefaultPasswordCost
	}
	salt := make([]byte, 16)
	if _, err := rand.Read(salt); err != nil {
		return "", err
	}
	key := argon2.IDKey([]byte(password), salt, c.Passes, c.Memory, 1, argonKeyBytes)
	e := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=1$%s$%s", c.Memory, c.Passes, e.EncodeToString(salt), e.EncodeToString(key)), nil
}

// passwordFits compares a password with its stored form.
func passwordFits(password, stored string) bool {
	var memory, passes uint32
	parts := strings.Split(stored, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=1", &memory, &passes); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	key, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil {
		return false
	}
	return subtle.ConstantTimeCompare(key, argon2.IDKey([]byte(password), salt, passes, memory, 1, uint32(len(key)))) == 1
}

// passwords compares and stores them. Each takes the memory that its cost
// says, and so only a few are worked on at once, whatever they are for.
type passwords struct {
	cost  PasswordCost
	slots chan struct{}
	// nobody is compared with where a login does not exist, so that the time
	// an answer takes does not tell.
	nobody func() (string, error)
}

// passwordsAtOnce is how many passwords are worked on at once.
const passwordsAtOnce = 2

func newPasswords(cost PasswordCost) *passwords {
	return &passwords{cost, make(chan struct{}, passwordsAtOnce), sync.OnceValues(func() (string, error) { return cost.Hash("nobody") })}
}

// turn waits until another password may be worked on; the caller has to call
// what it returns.
func (p *passwords) turn(ctx context.Context) (done func(), err error) {
	select {
	case p.slots <- struct{}{}:
		return func() { <-p.slots }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// hash makes the stored form of a password when its turn comes.
func (p *passwords) hash(ctx context.Context, password string) (string, error) {
	done, err := p.turn(ctx)
	if err != nil {
		return "", err
	}
	defer done()
	return p.cost.Hash(password)
}

// fits compares a password with its stored form when its turn comes. An empty
// form fits none and takes as long.
func (p *passwords) fits(ctx context.Context, password, stored string) (bool, error) {
	done, err := p.turn(ctx)
	if err != nil {
		return false, err
	}
	defer done()
	if stored != "" {
		return passwordFits(password, stored), nil
	}
	stored, err = p.nobody()
	if err != nil {
		return false, err
	}
	passwordFits(password, stored)
	return false, nil
}

// The lengths of passwords, in characters.
const (
	shortestPassword = 12
	longestPassword  = 200
	// passwordLooked is how much of a password is looked at for being easy: a
	// sentence that has to be long to be hard is none.
	passwordLooked = 40
)

// CheckPassword says what is wrong with a password that somebody chose. About
// are words that whoever guesses it would try first: login, name.
func CheckPassword(password string, about ...string) error {
	length := utf8.RuneCountInString(password)
	switch {
	case !utf8.ValidString(password):
		return errors.New("this password is not text")
	case length < shortestPassword:
		return fmt.Errorf("a password has at least %d characters; this has %d", shortestPassword, length)
	case length > longestPassword:
		return fmt.Errorf("a password has at most %d characters; this has %d", longestPassword, length)
	}
	if length > passwordLooked {
		password = string([]rune(password)[:passwordLooked])
	}
	// The score is 0 to 4; 0 and 1 are what a list of common passwords, words
	// and keyboard runs leads to in under a million guesses.
	if zxcvbn.PasswordStrength(password, append(about, "roster")).Score < 2 {
		return errors.New("this password is too easy to guess: take a few words that do not belong together")
	}
	return nil
}
