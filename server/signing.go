package server

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"

	"aead.dev/minisign"

	"roster/core/profile"
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
	plain, err := secret.open(k.Sealed)
	if err != nil {
		return nil, err
	}
	var private minisign.PrivateKey
	if err := private.UnmarshalText(plain); err != nil {
		return nil, fmt.Errorf("signing key %s: %w", k.ID, err)
	}
	return func(canonical []byte, d *profile.Document) (string, string, error) {
		trusted := fmt.Sprintf("%s/%s/%s no. %d, published %s, sha256 %s", d.Maker.Slug, d.Model.Slug, d.Edition.Slug, d.Number, d.Published, profile.Digest(canonical))
		signature := minisign.SignWithComments(private, canonical, trusted, "signature of a Roster release, key "+k.ID)
		return string(signature), k.ID, nil
	}, nil
}

func makeKey(ctx context.Context, st *store.Store, secret Secret) error {
	public, private, err := minisign.GenerateKey(rand.Reader)
	if err != nil {
		return err
	}
	text, err := private.MarshalText()
	if err != nil {
		return err
	}
	sealed, err := secret.seal(text)
	if err != nil {
		return err
	}
	return st.AddKey(ctx, store.SigningKey{ID: fmt.Sprintf("%016X", public.ID()), Public: public.String(), Sealed: sealed})
}
