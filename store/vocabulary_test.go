package store_test

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"roster/core/catalog"
	"roster/core/change"
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
