// Package sample gives tests an installation with the whole sample world in it.
// The world is made once for each cluster, and copied. It is for tests alone.
package sample

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"roster/demo"
	"roster/server"
	"roster/store"
	"roster/store/storetest"
)

// Password is that of everybody in the sample world.
const Password = "lend-a-phone"

// cheap stores passwords so that signing in costs tests nothing.
var cheap = server.PasswordCost{Passes: 1, Memory: 8}

// Installation is a database with the sample world and the secret that it was
// made with.
type Installation struct {
	Store  *store.Store
	URL    string // the database's address
	Secret server.Secret
}

// Open makes an installation, which is there until the test ends.
func Open(t testing.TB) Installation {
	t.Helper()
	file := filepath.Join(t.TempDir(), "secret")
	if err := os.WriteFile(file, []byte(strings.Repeat("5a", 32)), 0o600); err != nil { // the same for every copy
		t.Fatal(err)
	}
	secret, err := server.ReadSecret(file)
	if err != nil {
		t.Fatal(err)
	}
	template := storetest.Template(t, "sample", func(ctx context.Context, st *store.Store) error { return Fill(ctx, st, secret) })
	url := storetest.Copy(t, template)
	st, err := store.New(context.Background(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(st.Close)
	return Installation{st, url, secret}
}

// Fill fills an empty installation with the sample world.
func Fill(ctx context.Context, st *store.Store, secret server.Secret) error {
	return demo.Seed(ctx, demo.Installation{Store: st, HashPassword: cheap.Hash, PhoneHash: secret.PhoneHash,
		Signer: func(ctx context.Context) (store.Sign, error) { return server.Signer(ctx, st, secret) }})
}
