package starter

import (
	"strings"
	"testing"
)

func TestStarterSaysWhatIsWrong(t *testing.T) {
	for text, want := range map[string]string{
		"edits:\n- {package: 'a b', field: description, value: x}":           "edit 1",
		"edits:\n- {package: android, field: trial, value: {}}":              "no trials",
		"edits:\n- {package: android, field: load, value: {load: light}}":    "load of android",
		"edits:\n- {package: android, field: description, value: {text: x}}": "description of android",
		"edits: [": "yaml",
		"edits:\n- {package: android, field: source, value: {title: x, claim: a}}": "source of android",
	} {
		if _, err := read([]byte(text)); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", text, err)
		}
	}
}
