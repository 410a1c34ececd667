package backup

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/jackc/pgerrcode"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"roster/store"
)

// Opens checks that what an installation has sealed opens with the secret in a
// file.
type Opens func(ctx context.Context, st *store.Store, secret string) error

// Try restores a backup into a database of its own, checks everything there
// and drops it: what is saved is whole, PostgreSQL takes it, the audit record
// holds together up to the hash noted when it was saved, and what is sealed
// opens. I says where the database may be made, and where the secret is if the
// backup does not hold it.
func Try(ctx context.Context, folder string, i Installation, opens Opens) (Manifest, error) {
	m, name, err := bring(ctx, folder, i, opens)
	if name != "" {
		err = errors.Join(err, drop(context.WithoutCancel(ctx), i.Database, name))
	}
	return m, err
}

// Restored tells what Restore did.
type Restored struct {
	Manifest
	// Before is the name of the database that stood there, which is kept; ""
	// where it was empty or missing.
	Before string
	// OldSecret is where the secret that stood there is kept; "" for none.
	OldSecret string
	// Files were brought back of what was saved of phones; those that were there
	// were left.
	Files int
}

// Restore puts a backup in the place of an installation's database, secret and
// saved files. All of it is checked first, as Try does, in a database beside;
// only then that takes the name. What stood there is kept under another.
func Restore(ctx context.Context, folder string, i Installation, now time.Time, opens Opens) (r Restored, err error) {
	// Asked before the work that takes long: a server that still runs has to be
	// stopped.
	if err := alone(ctx, i.Database); err != nil {
		return r, err
	}
	m, name, err := bring(ctx, folder, i, opens)
	r.Manifest = m
	if err == nil {
		err = r.place(ctx, folder, i, name, now.UTC().Format("20060102_150405"))
	}
	if err != nil {
		if name != "" {
			err = errors.Join(err, drop(context.WithoutCancel(ctx), i.Database, name))
		}
		return r, err
	}
	st, err := store.New(ctx, i.Database)
	if err != nil {
		return r, err
	}
	defer st.Close()
	act := store.Act{Action: "installation.restored", Subject: m.At.Format(folderFormat), Detail: map[string]any{"entries": m.Entries, "head": m.Head}}
	return r, st.Record(ctx, act)
}

// place puts what was restored and checked in the place of what is there: all
// of it, or, but for saved files that were missing, nothing.
func (r *Restored) place(ctx context.Context, folder string, i Installation, database, stamp string) (err error) {
	if r.Files, err = restoreSaved(folder, r.Manifest, i.Saved); err != nil {
		return err
	}
	undo := func() error { return nil }
	if r.Manifest.Secret {
		if r.OldSecret, undo, err = restoreSecret(filepath.Join(folder, secretFile), i.Secret, stamp); err != nil {
			return err
		}
	}
	if r.Before, err = swap(ctx, i.Database, database, stamp); err != nil {
		return errors.Join(err, undo())
	}
	return nil
}

// bring restores a backup's database into a new one and checks it there. Name
// is that of the new one, "" where none was made.
func bring(ctx context.Context, folder string, i Installation, opens Opens) (m Manifest, name string, err error) {
	if m, err = Verify(ctx, folder); err != nil {
		return m, "", err
	}
	secret := i.Secret
	if m.Secret {
		secret = filepath.Join(folder, secretFile)
	}
	own, err := databaseName(i.Database)
	if err != nil {
		return m, "", err
	}
	// PostgreSQL's names have no more than 63 bytes.
	name = fmt.Sprintf("%.40s_restored_%s", own, strings.ToLower(rand.Text()[:10]))
	address, err := withDatabase(i.Database, name)
	if err != nil {
		return m, "", err
	}
	if err := create(ctx, i.Database, name); err != nil {
		return m, "", err // and there is nothing to drop
	}
	err = tool(ctx, address, "pg_restore", "--exit-on-error", "--no-owner", "--no-acl", "--jobs="+jobsAtOnce(),
		filepath.Join(folder, databaseFolder))
	if err != nil {
		return m, name, err
	}
	st, err := store.New(ctx, address)
	if err != nil {
		return m, name, err
	}
	defer st.Close()
	if err := st.Migrate(ctx); err != nil {
		return m, name, fmt.Errorf("what was saved can't be brought up to date: %w", err)
	}
	proof, err := st.CheckAudit(ctx, m.Head)
	if err == nil && proof.Wrong != "" {
		err = fmt.Errorf("the audit record does not hold together: %s", proof.Wrong)
	}
	if err == nil {
		err = opens(ctx, st, secret)
	}
	return m, name, err
}

func create(ctx context.Context, address, name string) error {
	conn, err := maintenance(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	_, err = conn.Exec(ctx, `create database `+quoted(name)+` encoding 'UTF8' template template0`)
	var refused *pgconn.PgError
	if errors.As(err, &refused) && refused.Code == pgerrcode.InsufficientPrivilege {
		return fmt.Errorf("the role %s may not make databases; as PostgreSQL's administrator: alter role %s createdb", conn.Config().User, quoted(conn.Config().User))
	}
	return err
}

func drop(ctx context.Context, address, name string) error {
	conn, err := maintenance(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, `drop database if exists `+quoted(name))
	return err
}

// databaseName is the name of the database in an address.
func databaseName(address string) (string, error) {
	u, err := url.Parse(address)
	if err != nil || strings.Trim(u.Path, "/") == "" {
		return "", errors.New("the database's address names no database")
	}
	return strings.Trim(u.Path, "/"), nil
}

// leaving is for how long a connection may be listed that was closed.
const leaving = 3 * time.Second

// alone checks that nobody is connected to the database: it can't be put aside
// under a server that runs.
func alone(ctx context.Context, address string) error {
	name, err := databaseName(address)
	if err != nil {
		return err
	}
	conn, err := maintenance(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	// Who has just left may be listed for a moment still.
	var others int
	for end := time.Now().Add(leaving); ; {
		if err := conn.QueryRow(ctx, `
			select count(*) from pg_stat_activity where datname = $1`, name).Scan(&others); err != nil {
			return err
		}
		if others == 0 || time.Now().After(end) {
			break
		}
		select {
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	if others > 0 {
		return fmt.Errorf("the database %s is in use (%d connections): stop Roster first, systemctl stop roster; nothing was changed", name, others)
	}
	return nil
}

// swap gives the database that was restored the name of the one in the address,
// which is kept under another name where it has tables.
func swap(ctx context.Context, address, restored, stamp string) (before string, err error) {
	name, err := databaseName(address)
	if err != nil {
		return "", err
	}
	full, err := hasTables(ctx, address)
	if err != nil {
		return "", err
	}
	conn, err := maintenance(ctx, address)
	if err != nil {
		return "", err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	// Names are changed together or not at all.
	err = pgx.BeginFunc(ctx, conn, func(tx pgx.Tx) error {
		if full != missing {
			before = fmt.Sprintf("%.40s_before_%s", name, stamp)
			if _, err := tx.Exec(ctx, `alter database `+quoted(name)+` rename to `+quoted(before)); err != nil {
				return fmt.Errorf("the database that is there can't be put aside: %w", err)
			}
		}
		_, err := tx.Exec(ctx, `alter database `+quoted(restored)+` rename to `+quoted(name))
		return err
	})
	if err == nil && full == empty {
		err = drop(ctx, address, before)
		before = ""
	}
	return before, err
}

// What a database is before one takes its place.
type fullness int

const (
	missing fullness = iota
	empty
	filled
)

func hasTables(ctx context.Context, address string) (fullness, error) {
	conn, err := pgx.Connect(ctx, address)
	var refused *pgconn.PgError
	if errors.As(err, &refused) && refused.Code == pgerrcode.InvalidCatalogName {
		return missing, nil
	}
	if err != nil {
		return missing, err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	var has bool
	err = conn.QueryRow(ctx, `
		select exists (select from pg_tables where schemaname not in ('pg_catalog', 'information_schema'))`).Scan(&has)
	if has {
		return filled, err
	}
	return empty, err
}

// restoreSecret puts the secret of a backup where the installation has its own.
// Another one that is there is kept beside. Undo puts things back as they were.
func restoreSecret(from, to, stamp string) (old string, undo func() error, err error) {
	raw, err := os.ReadFile(from)
	if err != nil {
		return "", nil, err
	}
	was, err := os.ReadFile(to)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", nil, err
	}
	if strings.TrimSpace(string(was)) == strings.TrimSpace(string(raw)) {
		return "", func() error { return nil }, nil
	}
	undo = func() error { return os.Remove(to) }
	if err == nil {
		old = to + ".before-" + stamp
		if err := os.Rename(to, old); err != nil {
			return "", nil, err
		}
		undo = func() error { return os.Rename(old, to) }
	} else if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return "", nil, err
	}
	if err := os.WriteFile(to, raw, 0o600); err != nil {
		return "", nil, errors.Join(err, undo())
	}
	return old, undo, nil
}

// restoreSaved brings back what was saved of phones, but for files that are
// there.
func restoreSaved(folder string, m Manifest, saved string) (n int, err error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return 0, err
	}
	defer root.Close()
	for _, f := range m.Files {
		name, ours := strings.CutPrefix(f.Path, savedFolder+"/")
		if !ours || saved == "" {
			continue
		}
		if err := os.MkdirAll(saved, 0o700); err != nil {
			return n, err
		}
		done, err := restoreFile(root, f.Path, saved, name)
		if err != nil {
			return n, err
		}
		if done {
			n++
		}
	}
	return n, nil
}

func restoreFile(from *os.Root, path, saved, name string) (done bool, err error) {
	into, err := os.OpenRoot(saved)
	if err != nil {
		return false, err
	}
	defer into.Close()
	source, err := from.Open(filepath.FromSlash(path))
	if err != nil {
		return false, err
	}
	defer source.Close()
	name = filepath.FromSlash(name)
	if err := into.MkdirAll(filepath.Dir(name), 0o700); err != nil {
		return false, err
	}
	file, err := into.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if errors.Is(err, fs.ErrExist) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	defer file.Close()
	if _, err := io.Copy(file, source); err != nil {
		return false, err
	}
	if info, err := source.Stat(); err == nil {
		_ = into.Chtimes(name, info.ModTime(), info.ModTime())
	}
	return true, file.Close()
}
