package server

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"

	"aead.dev/minisign"
	"github.com/google/uuid"

	"roster/core/profile"
	"roster/server/site"
	"roster/store"
)

// Signer returns what signs an installation's releases: the key in use, made
// where there is none yet.
func Signer(ctx context.Context, st *store.Store, secret Secret) (store.Sign, error) {
	k, err := st.KeyInUse(ctx)
	if errors.Is(err, store.ErrNotFound) {
		if err := makeKey(ctx, st, secret); err != nil {
			return nil, err
		}
		k, err = st.KeyInUse(ctx)
	}
	if err != nil {
		return nil, err
	}
	private, err := openKey(k, secret)
	if err != nil {
		return nil, err
	}
	return func(canonical []byte, d *profile.Document) (string, string, error) {
		trusted := fmt.Sprintf("%s/%s/%s no. %d, published %s, sha256 %s", d.Maker.Slug, d.Model.Slug, d.Edition.Slug, d.Number, d.Published, profile.Digest(canonical))
		signature := minisign.SignWithComments(private, canonical, trusted, "signature of a Roster release, key "+k.ID)
		return string(signature), k.ID, nil
	}, nil
}

// CheckKey checks that the key in use opens with the secret, where there is one.
func CheckKey(ctx context.Context, st *store.Store, secret Secret) error {
	k, err := st.KeyInUse(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return nil
	}
	if err == nil {
		_, err = openKey(k, secret)
	}
	return err
}

func openKey(k store.SigningKey, secret Secret) (private minisign.PrivateKey, err error) {
	plain, err := secret.open(signingKeys, k.Sealed)
	if err != nil {
		return private, fmt.Errorf(
			"the stored signing key %s does not open with this installation's secret; restore the secret's file from your backup: %w", k.ID, err)
	}
	if err := private.UnmarshalText(plain); err != nil {
		return private, fmt.Errorf("signing key %s: %w", k.ID, err)
	}
	return private, nil
}

func makeKey(ctx context.Context, st *store.Store, secret Secret) error {
	k, err := newKey(secret)
	if err != nil {
		return err
	}
	return st.AddKey(ctx, k)
}

func newKey(secret Secret) (k store.SigningKey, err error) {
	public, private, err := minisign.GenerateKey(rand.Reader)
	if err != nil {
		return k, err
	}
	text, err := private.MarshalText()
	if err != nil {
		return k, err
	}
	k = store.SigningKey{ID: fmt.Sprintf("%016X", public.ID()), Public: public.String()}
	k.Sealed, err = secret.seal(signingKeys, text)
	return k, err
}

// RotateKey retires the key in use and makes a new one, whose public half the
// old one signs. Where the old one can no longer be opened, as of an imported
// catalogue, the new one stands for itself.
func RotateKey(ctx context.Context, st *store.Store, secret Secret, why string, person uuid.UUID) error {
	if _, err := Signer(ctx, st, secret); err != nil {
		return err
	}
	old, err := st.KeyInUse(ctx)
	if err != nil {
		return err
	}
	private, err := openKey(old, secret)
	if err != nil {
		return err
	}
	k, err := newKey(secret)
	if err != nil {
		return err
	}
	k.EndorsedBy = old.ID
	k.Endorsement = string(minisign.SignWithComments(private, site.KeyFile(k.ID, k.Public), "key "+k.ID+" takes the place of "+old.ID, "signature of a Roster key, by key "+old.ID))
	return st.RotateKey(ctx, old.ID, k, why, person)
}
