// Package starter has the starter catalogue: what the open-source platform's own
// packages are, for an installation that has captured nothing yet. It is a file
// of edits as people send them, of descriptions, functions, sources and a few
// loads. It has no trials: what nobody tried stays untried.
package starter

import (
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"

	"go.yaml.in/yaml/v3"

	"roster/core/android"
	"roster/core/catalog"
	"roster/core/change"
)

//go:embed starter.yaml
var file []byte

// What the change is called that takes it in, and what it says it is from.
const (
	Title = "What the platform's own packages are"
	From  = "the starter catalogue"
)

// Edit is one edit of the starter catalogue, everywhere.
type Edit struct {
	Package android.PackageName
	Field   change.Field
	Value   json.RawMessage
	Reason  string
}

// Edits reads the starter catalogue. The error names the edit that is none.
func Edits() ([]Edit, error) { return read(file) }

func read(raw []byte) ([]Edit, error) {
	var document struct {
		Edits []struct {
			Package string
			Field   change.Field
			Value   any
			Reason  string
		}
	}
	if err := yaml.Unmarshal(raw, &document); err != nil {
		return nil, err
	}
	edits := make([]Edit, len(document.Edits))
	for i, e := range document.Edits {
		name, err := android.ParsePackageName(e.Package)
		if err != nil {
			return nil, fmt.Errorf("edit %d: %w", i+1, err)
		}
		value, err := json.Marshal(e.Value)
		if err != nil {
			return nil, fmt.Errorf("edit %d, %s of %s: %w", i+1, e.Field, name, err)
		}
		if e.Field == change.Trial {
			return nil, fmt.Errorf("edit %d, of %s: %w", i+1, name, errTrial)
		}
		if _, value, err = change.Canonical(e.Field, catalog.Scope{Kind: catalog.Everywhere}, value); err != nil {
			return nil, fmt.Errorf("edit %d, %s of %s: %w", i+1, e.Field, name, err)
		}
		edits[i] = Edit{name, e.Field, value, e.Reason}
	}
	return edits, nil
}

var errTrial = errors.New("the starter catalogue has no trials: nobody made any")
