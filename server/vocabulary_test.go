package server_test

import (
	"encoding/json"
	"slices"
	"testing"

	"roster/core/catalog"
	"roster/core/change"
	"roster/core/evidence"
	"roster/core/people"
	"roster/core/profile"
	"roster/core/run"
	"roster/server"
)

func valuesOf[T ~string](values []T) (list []string) {
	for _, v := range values {
		list = append(list, string(v))
	}
	slices.Sort(list)
	return list
}

// TestVocabularies compares what the API says that a field can be with the
// values that the program has for it. The browser's types are made from there.
func TestVocabularies(t *testing.T) {
	t.Parallel()
	raw, err := server.Describe("test")
	if err != nil {
		t.Fatal(err)
	}
	var doc struct {
		Components struct {
			Schemas map[string]struct {
				Properties map[string]struct {
					Enum []any
				}
			}
		}
	}
	if err := json.Unmarshal(raw, &doc); err != nil {
		t.Fatal(err)
	}
	for field, want := range map[[2]string][]string{
		{"Person", "role"}:             valuesOf(people.Roles),
		{"PersonRow", "role"}:          valuesOf(people.Roles),
		{"RoleInputBody", "role"}:      valuesOf(people.Roles),
		{"InviteInputBody", "role"}:    valuesOf(people.Roles),
		{"Change", "state"}:            valuesOf(change.States),
		{"ReviewedChange", "state"}:    valuesOf(change.States),
		{"Edit", "state"}:              valuesOf(change.EditStates),
		{"ReviewedEdit", "state"}:      valuesOf(change.EditStates),
		{"Publication", "state"}:       valuesOf(profile.PublicationStates),
		{"ReleaseLine", "state"}:       valuesOf(profile.ReleaseStates),
		{"ListedRelease", "state"}:     valuesOf(profile.ReleaseStates),
		{"Run", "state"}:               valuesOf(run.RunStates),
		{"RunLine", "state"}:           valuesOf(run.RunStates),
		{"RunStep", "state"}:           valuesOf(run.StepStates),
		{"Scope", "kind"}:              valuesOf(catalog.ScopeKinds),
		{"Grade", "load"}:              valuesOf(evidence.Loads),
		{"LedgerRow", "load"}:          valuesOf(evidence.Loads),
		{"ByMethod", "method"}:         valuesOf(evidence.Methods),
		{"ByMethod", "standing"}:       valuesOf(evidence.Standings),
		{"TrialValue", "method"}:       valuesOf(evidence.Methods),
		{"TrialValue", "outcome"}:      valuesOf(evidence.Outcomes),
		{"TrialsInputBody", "outcome"}: valuesOf(evidence.Outcomes),
	} {
		var got []string
		for _, value := range doc.Components.Schemas[field[0]].Properties[field[1]].Enum {
			got = append(got, value.(string))
		}
		if slices.Sort(got); !slices.Equal(got, want) {
			t.Errorf("%s.%s: the API says %q, the program has %q", field[0], field[1], got, want)
		}
	}
}
