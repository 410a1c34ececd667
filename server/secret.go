package server

import (
	"crypto/hkdf"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/crypto/chacha20poly1305"
)

// Secret is the installation's one secret, from which its keys are derived.
// Whoever has it and the database can sign releases and tell phones apart.
type Secret struct{ master []byte }

// ReadSecret reads the secret from a file, making one where there is none.
func ReadSecret(file string) (Secret, error) {
	raw, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		master := make([]byte, 32)
		if _, err := rand.Read(master); err != nil {
			return Secret{}, err
		}
		if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
			return Secret{}, fmt.Errorf("the installation's secret: %w", err)
		}
		if err := os.WriteFile(file, []byte(hex.EncodeToString(master)+"\n"), 0o600); err != nil {
			return Secret{}, fmt.Errorf("the installation's secret: %w", err)
		}
		return Secret{master}, nil
	}
	return parseSecret(file, raw, err)
}

// ReadExistingSecret reads the secret from a file that has to be there.
func ReadExistingSecret(file string) (Secret, error) {
	raw, err := os.ReadFile(file)
	return parseSecret(file, raw, err)
}

func parseSecret(file string, raw []byte, err error) (Secret, error) {
	if err != nil {
		return Secret{}, fmt.Errorf("the installation's secret: %w", err)
	}
	master, err := hex.DecodeString(strings.TrimSpace(string(raw)))
	if err != nil || len(master) != 32 {
		return Secret{}, fmt.Errorf("the installation's secret in %s is not 64 hex digits; restore it from your backup", file)
	}
	return Secret{master}, nil
}

func (s Secret) derive(use string) []byte {
	key, err := hkdf.Key(sha256.New, s.master, nil, "roster "+use, 32)
	if err != nil {
		panic(err) // only for impossible lengths
	}
	return key
}

// PhoneHash turns a serial number into the mark by which a phone is told
// apart; "" where the phone told none.
func (s Secret) PhoneHash(serial string) string {
	if serial == "" {
		return ""
	}
	mac := hmac.New(sha256.New, s.derive("phones"))
	mac.Write([]byte(serial))
	return hex.EncodeToString(mac.Sum(nil)[:12])
}

// Uses of sealing.
const (
	signingKeys = "signing keys" // in the database
	signIns     = "sign-ins"     // in a browser that is away to a provider
	// of receivers, in the database
	webhookSecrets = "webhooks"
	halfSignIns    = "second" // in a browser that has yet to show a passkey
)

// seal encrypts something for a use, so that only open with the same use reads
// it.
func (s Secret) seal(use string, plain []byte) ([]byte, error) {
	aead, err := chacha20poly1305.NewX(s.derive(use))
	if err != nil {
		return nil, err
	}
	nonce := make([]byte, aead.NonceSize())
	if _, err := rand.Read(nonce); err != nil {
		return nil, err
	}
	return aead.Seal(nonce, nonce, plain, nil), nil
}

var errSealed = errors.New("it was not sealed with this installation's secret, or is damaged")

func (s Secret) open(use string, sealed []byte) ([]byte, error) {
	aead, err := chacha20poly1305.NewX(s.derive(use))
	if err != nil {
		return nil, err
	}
	if len(sealed) < aead.NonceSize() {
		return nil, errSealed
	}
	plain, err := aead.Open(nil, sealed[:aead.NonceSize()], sealed[aead.NonceSize():], nil)
	if err != nil {
		return nil, errSealed
	}
	return plain, nil
}
