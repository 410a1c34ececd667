package store_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/jackc/pgx/v5"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/people"
	"roster/core/profile"
	"roster/core/run"
)

// valuesOf makes a list of any vocabulary's values.
func valuesOf[T ~string](values []T) (list []string) {
	for _, v := range values {
		list = append(list, string(v))
	}
	return list
}

// TestVocabularies compares what the database takes in a column with the values
// that the program has for it, either way.
func TestVocabularies(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	for column, want := range map[string][]string{
		"people.role":        valuesOf(people.Roles),
		"invitations.role":   valuesOf(people.Roles),
		"changes.state":      valuesOf(change.States),
		"edits.state":        valuesOf(change.EditStates),
		"edits.scope_kind":   valuesOf(catalog.ScopeKinds),
		"publications.state": valuesOf(profile.PublicationStates),
		"releases.state":     valuesOf(profile.ReleaseStates),
		"runs.state":         valuesOf(run.RunStates),
		"run_steps.state":    valuesOf(run.StepStates),
	} {
		table, name, _ := strings.Cut(column, ".")
		var definition string
		err := w.Pool().QueryRow(w.ctx, `
			select pg_get_constraintdef(oid)
			from pg_constraint
			where conname = $1 and conrelid = $2::regclass`,
			fmt.Sprintf("%s_%s_check", table, name), table).Scan(&definition)
		if err != nil {
			t.Errorf("%s: %v", column, err)
			continue
		}
		var got []string
		for _, found := range regexp.MustCompile(`'([^']*)'::text`).FindAllStringSubmatch(definition, -1) {
			got = append(got, found[1])
		}
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Errorf("%s: the database takes %q, the program has %q", column, got, want)
		}
	}
}

var (
	comparedWith = regexp.MustCompile(`(?:\b\w+\.)?\b(\w+) (?:=|<>|is distinct from|is not distinct from|` +
		`(?:not )?in) ('[^'\n]*'|\('[^)\n]*'\))`)
	quoted = regexp.MustCompile(`'([^']*)'`)
)

// TestWordsInStatements looks at every comparison with a word in the
// statements: a state that no column can have would find nothing, unseen.
func TestWordsInStatements(t *testing.T) {
	t.Parallel()
	w := newWorld(t)
	known := map[string][]string{
		"load": valuesOf(evidence.Loads), "standing": valuesOf(evidence.Standings),
		"outcome": valuesOf(evidence.Outcomes), "method": valuesOf(evidence.Methods),
		"origin": valuesOf(catalog.Origins),
	}
	rows, err := w.Pool().Query(w.ctx, `
		select a.attname::text, pg_get_constraintdef(c.oid)
		from pg_constraint c join pg_attribute a on a.attrelid = c.conrelid and a.attnum = any(c.conkey)
		where c.contype = 'c' and cardinality(c.conkey) = 1`)
	if err != nil {
		t.Fatal(err)
	}
	var column, definition string
	if _, err := pgx.ForEachRow(rows, []any{&column, &definition}, func() error {
		for _, found := range regexp.MustCompile(`'([^']*)'::text`).FindAllStringSubmatch(definition, -1) {
			known[column] = append(known[column], found[1])
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	delete(known, "kind") // of some tables alone
	files, err := filepath.Glob("*.go")
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	for _, name := range files {
		source, err := os.ReadFile(name)
		if err != nil || strings.HasSuffix(name, "_test.go") {
			continue
		}
		for i, line := range strings.Split(string(source), "\n") {
			for _, found := range comparedWith.FindAllStringSubmatch(line, -1) {
				values, ok := known[found[1]]
				for _, word := range quoted.FindAllStringSubmatch(found[2], -1) {
					if !ok || word[1] == "" {
						continue
					}
					if seen++; !slices.Contains(values, word[1]) {
						t.Errorf("%s:%d: %s is compared with %q, which it can not be", name, i+1, found[1], word[1])
					}
				}
			}
		}
	}
	if seen < 100 {
		t.Errorf("only %d words were looked at", seen)
	}
}
