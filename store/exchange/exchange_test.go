package exchange_test

import (
	"bytes"
	"context"
	"io"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"roster/faults/sample"
	"roster/store"
	"roster/store/exchange"
	"roster/store/storetest"
)

// site is a store with a connection that looks at its tables.
type site struct {
	*store.Store
	conn *pgx.Conn
}

func open(t *testing.T) site {
	t.Helper()
	url := storetest.URL(t)
	st, err := store.New(t.Context(), url)
	if err == nil {
		err = st.Migrate(t.Context())
	}
	if err != nil {
		t.Fatal(err)
	}
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()); st.Close() })
	return site{st, conn}
}

// seeded is a store with the whole sample world.
func seeded(t *testing.T) site {
	t.Helper()
	in := sample.Open(t)
	conn, err := pgx.Connect(t.Context(), in.URL)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()) })
	return site{in.Store, conn}
}

// TestRoundTrip takes the sample world out and brings it into an empty
// installation, as JSON and as CSV: the second export is the first, to the
// byte, and what is computed from it is the same.
func TestRoundTrip(t *testing.T) {
	first := seeded(t)
	now := time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
	// A text that CSV does not give back by itself.
	if _, err := first.conn.Exec(t.Context(), `
		update captures set missing = E'\\N \r\n "a,b"'
		where id = (select id from captures limit 1)`); err != nil {
		t.Fatal(err)
	}
	var whole bytes.Buffer
	if err := exchange.WriteJSON(t.Context(), first.Store, now, &whole); err != nil {
		t.Fatal(err)
	}
	if strings.Contains(whole.String(), "password_hash") || strings.Contains(whole.String(), "sealed") {
		t.Error("a secret is in the export")
	}
	figures := func(st site) (sum string) {
		t.Helper()
		err := st.conn.QueryRow(t.Context(), `
			select concat_ws(' ', 
				(select count(*) || ' ' || md5(string_agg(
					concat_ws(' ', package_id, method, ceiling, floor, standing, strip), '|'
					order by package_id, method)) from figures where place = '00000000-0000-0000-0000-000000000000'),
				(select count(*) || ' ' || md5(string_agg(concat(build_id, since_id, summary), '|'
					order by build_id)) from arrivals),
				(select count(*) || ' ' || md5(string_agg(h::text, '|' order by h)) from role_holders h))`).Scan(&sum)
		if err != nil {
			t.Fatal(err)
		}
		return sum
	}
	want := figures(first)
	for form, write := range map[string]func(context.Context, *store.Store, time.Time, io.Writer) error{"json": exchange.WriteJSON, "zip": exchange.WriteZip} {
		var file bytes.Buffer
		if err := write(t.Context(), first.Store, now, &file); err != nil {
			t.Fatal(form, err)
		}
		second := open(t)
		if err := exchange.Read(t.Context(), second.Store, bytes.NewReader(file.Bytes()), int64(file.Len())); err != nil {
			t.Fatal(form, err)
		}
		var again bytes.Buffer
		if err := exchange.WriteJSON(t.Context(), second.Store, now, &again); err != nil {
			t.Fatal(form, err)
		}
		if !bytes.Equal(again.Bytes(), whole.Bytes()) {
			a, b := strings.Split(whole.String(), "\n"), strings.Split(again.String(), "\n")
			for i := range min(len(a), len(b)) {
				if a[i] != b[i] {
					t.Errorf("%s: line %d:\n%.300s\n%.300s", form, i, a[i], b[i])
					break
				}
			}
			t.Errorf("%s: %d bytes became %d", form, whole.Len(), again.Len())
		}
		if got := figures(second); got != want {
			t.Errorf("%s: figures %s, want %s", form, got, want)
		}
		if err := exchange.Read(t.Context(), second.Store, bytes.NewReader(file.Bytes()), int64(file.Len())); err == nil || !strings.Contains(err.Error(), "empty") {
			t.Errorf("%s into what is not empty: %v", form, err)
		}
	}
}

// TestOutsideSurvives: what strangers told still counts as theirs elsewhere, and
// what an older program wrote, which knew of none, is read.
func TestOutsideSurvives(t *testing.T) {
	first := seeded(t)
	if _, err := first.conn.Exec(t.Context(), `update trials set outside = true`); err != nil {
		t.Fatal(err)
	}
	var file bytes.Buffer
	if err := exchange.WriteJSON(t.Context(), first.Store, time.Now(), &file); err != nil {
		t.Fatal(err)
	}
	older := regexp.MustCompile(`, ?"outside": ?true`).ReplaceAll(file.Bytes(), nil)
	for what, c := range map[string]struct {
		file    []byte
		outside bool
	}{"this program's": {file.Bytes(), true}, "an older one's": {older, false}} {
		second := open(t)
		if err := exchange.Read(t.Context(), second.Store, bytes.NewReader(c.file), int64(len(c.file))); err != nil {
			t.Fatal(what, err)
		}
		var trials, outside int
		err := second.conn.QueryRow(t.Context(), `
			select count(*), count(*) filter (where outside) from trials`).Scan(&trials, &outside)
		if err != nil || trials == 0 || (outside == trials) != c.outside || (outside == 0) == c.outside {
			t.Errorf("%s: %d of %d trials are from outside, %v", what, outside, trials, err)
		}
	}
}

func TestDamagedFiles(t *testing.T) {
	st := open(t)
	for what, file := range map[string]string{
		"nothing": "", "text": "hello there", "other JSON": `{"a":1}`, "another format": `{"format":"x/1","sections":{}}`,
		"cut off":         `{"format":"roster-catalogue/1","sections":{"makers":[{"id":"00000000-0000-7000-8000-000000000001","slug":"a","name":"A","manufacturer":"A"},`,
		"unknown section": `{"format":"roster-catalogue/1","sections":{"makers":[],"passwords":[{"a":1}]}}`,
		"wrong order":     `{"format":"roster-catalogue/1","sections":{"models":[],"makers":[{"id":"00000000-0000-7000-8000-000000000001","slug":"a","name":"A","manufacturer":"A"}],"models":[{"id":"00000000-0000-7000-8000-000000000001"}]}}`,
		"a hostile slug":  `{"format":"roster-catalogue/1","sections":{"makers":[{"id":"00000000-0000-7000-8000-000000000001","slug":"../../etc","name":"A","manufacturer":"A"}]}}`,
		"a broken zip":    "PK\x03\x04 and no more",
	} {
		if err := exchange.Read(t.Context(), st.Store, strings.NewReader(file), int64(len(file))); err == nil {
			t.Errorf("%s was read", what)
		}
		var n int
		if err := st.conn.QueryRow(t.Context(), `select count(*) from makers`).Scan(&n); err != nil || n != 0 {
			t.Errorf("%s: %d makers were left, %v", what, n, err)
		}
	}
}
