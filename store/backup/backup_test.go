package backup_test

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"roster/core/people"
	"roster/store"
	"roster/store/backup"
	"roster/store/storetest"
)

// world is an installation with a person, a secret and a saved file.
type world struct {
	*testing.T
	backup.Installation
	dir string
}

const secretText = "5ec4e7"

func newWorld(t *testing.T) world {
	t.Helper()
	folder := t.TempDir()
	w := world{t, backup.Installation{
		Database: storetest.URL(t), Secret: filepath.Join(folder, "state", "secret"), Saved: filepath.Join(folder, "state", "saved"), Program: "test",
	}, filepath.Join(folder, "backups")}
	w.write(w.Secret, secretText)
	w.write(filepath.Join(w.Saved, "019a", "com.brannock.tips", "base.apk"), "an app")
	w.addPerson("tove")
	return w
}

func (w world) write(path, text string) {
	w.Helper()
	if err := errors.Join(os.MkdirAll(filepath.Dir(path), 0o700), os.WriteFile(path, []byte(text), 0o600)); err != nil {
		w.Fatal(err)
	}
}

func (w world) read(path string) string {
	raw, err := os.ReadFile(path)
	if err != nil {
		return err.Error()
	}
	return string(raw)
}

func (w world) with(do func(*store.Store)) {
	w.Helper()
	st, err := store.New(w.Context(), w.Database)
	if err != nil {
		w.Fatal(err)
	}
	defer st.Close()
	do(st)
}

func (w world) addPerson(login string) {
	w.Helper()
	w.with(func(st *store.Store) {
		if _, err := st.AddPerson(w.Context(), login, login, people.Keeper, ""); err != nil {
			w.Fatal(err)
		}
	})
}

func (w world) hasPerson(login string) (has bool) {
	w.with(func(st *store.Store) {
		p, _, err := st.PasswordHash(w.Context(), login)
		has = err == nil && p.ID != uuid.Nil
	})
	return has
}

func (w world) save(at time.Time) string {
	w.Helper()
	folder, m, err := backup.Save(w.Context(), w.Installation, w.dir, at)
	if err != nil {
		w.Fatal(err)
	}
	if m.Size() == 0 || m.Entries == 0 || m.Head == "" {
		w.Fatalf("an empty manifest: %+v", m)
	}
	return folder
}

// opens knows the secret by its text.
func opens(_ context.Context, _ *store.Store, file string) error {
	raw, err := os.ReadFile(file)
	if err == nil && string(raw) != secretText {
		err = errors.New("the signing key does not open")
	}
	return err
}

var noon = time.Date(2026, 11, 30, 12, 0, 0, 0, time.UTC)

func TestBackupIsRestored(t *testing.T) {
	w := newWorld(t)
	folder := w.save(noon)
	if filepath.Base(folder) != "20261130T120000Z" {
		t.Errorf("the backup is in %s", folder)
	}
	w.addPerson("later") // is not in it
	w.write(w.Secret, "lost and made anew")
	if err := os.RemoveAll(w.Saved); err != nil {
		t.Fatal(err)
	}
	if _, err := backup.Try(t.Context(), folder, w.Installation, opens); err != nil || !w.hasPerson("later") {
		t.Fatalf("a trial: %v", err)
	}
	r, err := backup.Restore(t.Context(), folder, w.Installation, noon.Add(time.Hour), opens)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { storetest.Drop(t, r.Before) })
	if !w.hasPerson("tove") || w.hasPerson("later") {
		t.Error("the people are not those of the backup")
	}
	if got := w.read(w.Secret); got != secretText {
		t.Errorf("the secret is %q", got)
	}
	if got := w.read(r.OldSecret); got != "lost and made anew" {
		t.Errorf("the secret that stood there is kept as %q", got)
	}
	if got := w.read(filepath.Join(w.Saved, "019a", "com.brannock.tips", "base.apk")); got != "an app" || r.Files != 1 {
		t.Errorf("a saved file is %q, %d brought back", got, r.Files)
	}
	before := w
	if before.Database = strings.Replace(w.Database, databaseOf(w.Database), r.Before, 1); !before.hasPerson("later") {
		t.Error("the database that stood there is not kept")
	}
	w.with(func(st *store.Store) {
		if proof, err := st.CheckAudit(t.Context(), r.Head); err != nil || proof.Wrong != "" || proof.Entries <= r.Entries {
			t.Errorf("the record after restoring: %+v, %v", proof, err)
		}
	})
}

func databaseOf(url string) string {
	_, name, _ := strings.Cut(url[len("postgres://"):], "/")
	name, _, _ = strings.Cut(name, "?")
	return name
}

func TestSavedFilesAreWrittenOnce(t *testing.T) {
	w := newWorld(t)
	first := w.save(noon)
	w.write(filepath.Join(w.Saved, "019b", "base.apk"), "another")
	second := w.save(noon.Add(time.Hour))
	same := func(name string) bool {
		a, errA := os.Stat(filepath.Join(first, "saved", name))
		b, errB := os.Stat(filepath.Join(second, "saved", name))
		return errA == nil && errB == nil && os.SameFile(a, b)
	}
	if !same("019a/com.brannock.tips/base.apk") || same("019b/base.apk") {
		t.Error("what the backup before has is not linked to")
	}
	broken := filepath.Join(w.dir, ".unfinished-1")
	w.write(filepath.Join(broken, "manifest.json"), "{")
	if err := os.Chtimes(broken, noon, noon); err != nil {
		t.Fatal(err)
	}
	second = w.save(noon.Add(48 * time.Hour))
	if _, err := os.Stat(broken); err == nil {
		t.Error("what was broken off two days ago is still there")
	}
	if _, err := backup.Prune(w.dir, 1); err != nil {
		t.Fatal(err)
	}
	if found, err := backup.Find(w.dir); err != nil || found != second {
		t.Errorf("the newest is %s, %v", found, err)
	}
	if _, err := backup.Verify(t.Context(), second); err != nil {
		t.Errorf("the second without the first: %v", err)
	}
	if _, _, err := backup.Save(t.Context(), w.Installation, w.dir, noon.Add(48*time.Hour)); err == nil || !strings.Contains(err.Error(), "is there already") {
		t.Errorf("twice at the same time: %v", err)
	}
}

func TestDamagedBackupReplacesNothing(t *testing.T) {
	w := newWorld(t)
	whole := w.save(noon)
	i := w.Installation
	i.Secret = ""
	unsealed, _, err := backup.Save(t.Context(), i, w.dir, noon.Add(time.Hour))
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		of, want string
		damage   func(folder string)
	}{
		"a byte":   {whole, "base.apk: is not what was saved", func(f string) { w.write(filepath.Join(f, "saved/019a/com.brannock.tips/base.apk"), "an App") }},
		"missing":  {whole, "database/toc.dat: is missing", func(f string) { _ = os.Remove(filepath.Join(f, "database", "toc.dat")) }},
		"surplus":  {whole, "the manifest does not know it", func(f string) { w.write(filepath.Join(f, "database", "9999.dat"), "x") }},
		"outside":  {whole, "../../state/secret: is missing", func(f string) { w.edit(f, `"path": "secret"`, `"path": "../../state/secret"`) }},
		"head":     {whole, "record does not hold together", func(f string) { w.edit(f, `"head": "`, `"head": "00`) }},
		"format":   {whole, `says that it is "roster-backup/9"`, func(f string) { w.edit(f, "backup/1", "backup/9") }},
		"no json":  {whole, "manifest.json", func(f string) { w.write(filepath.Join(f, "manifest.json"), "{") }},
		"nothing":  {whole, "manifest.json", func(f string) { _ = os.Remove(filepath.Join(f, "manifest.json")) }},
		"unsealed": {unsealed, "the signing key does not open", func(string) { w.write(w.Secret, "of another") }},
	} {
		folder := filepath.Join(w.dir, "damaged", name)
		if err := os.CopyFS(folder, os.DirFS(c.of)); err != nil {
			t.Fatal(err)
		}
		c.damage(folder)
		w.refused(folder, c.want)
		w.write(w.Secret, secretText)
	}
}

// edit changes a backup's manifest.
func (w world) edit(folder, from, to string) {
	w.Helper()
	file := filepath.Join(folder, "manifest.json")
	text := w.read(file)
	if !strings.Contains(text, from) {
		w.Fatalf("no %q in %s", from, text)
	}
	w.write(file, strings.Replace(text, from, to, 1))
}

func (w world) refused(folder, want string) {
	w.Helper()
	secret := w.read(w.Secret)
	if _, err := backup.Restore(w.Context(), folder, w.Installation, noon, opens); err == nil || !strings.Contains(err.Error(), want) {
		w.Errorf("restored: %v, want %q", err, want)
	}
	if !w.hasPerson("tove") || w.read(w.Secret) != secret {
		w.Error("something was replaced")
	}
	if left := storetest.Databases(w, databaseOf(w.Database)+"_restored"); len(left) > 0 {
		w.Errorf("databases are left: %v", left)
	}
}

func TestRestoreWaitsForNobody(t *testing.T) {
	w := newWorld(t)
	folder := w.save(noon)
	w.with(func(st *store.Store) {
		if err := st.Ping(t.Context()); err != nil {
			t.Fatal(err)
		}
		_, err := backup.Restore(t.Context(), folder, w.Installation, noon, opens)
		if err == nil || !strings.Contains(err.Error(), "is in use") || !strings.Contains(err.Error(), "systemctl stop roster") {
			t.Errorf("restored under a server: %v", err)
		}
	})
}

// TestRestoreOnAnotherMachine restores where there is no database yet, and no
// state.
func TestRestoreOnAnotherMachine(t *testing.T) {
	w := newWorld(t)
	folder := w.save(noon)
	other := w
	other.Database = strings.Replace(w.Database, databaseOf(w.Database), databaseOf(storetest.Bare(t)), 1)
	other.Secret, other.Saved = filepath.Join(t.TempDir(), "new", "secret"), filepath.Join(t.TempDir(), "new", "saved")
	r, err := backup.Restore(t.Context(), folder, other.Installation, noon, opens)
	if err != nil || r.Before != "" || r.OldSecret != "" || r.Files != 1 {
		t.Fatalf("%+v, %v", r, err)
	}
	if !other.hasPerson("tove") || other.read(other.Secret) != secretText {
		t.Error("it is not what was saved")
	}
}
