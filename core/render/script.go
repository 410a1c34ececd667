package render

import (
	"bytes"
	_ "embed" // the templates
	"fmt"
	"strings"
	"text/template"

	"roster/core/android"
	"roster/core/profile"
)

//go:embed remove.sh.tmpl
var removeTemplate string

//go:embed undo.sh.tmpl
var undoTemplate string

//go:embed shared.sh.tmpl
var sharedTemplate string

var scripts = func() *template.Template {
	t := template.New("").Funcs(template.FuncMap{"quote": Quote, "comment": comment})
	template.Must(t.New("shared").Parse(sharedTemplate))
	template.Must(t.New("remove").Parse(removeTemplate))
	template.Must(t.New("undo").Parse(undoTemplate))
	return t
}()

// Shell writes the POSIX shell script that applies the release from a
// computer with adb. It fails on a package name that breaks the platform's
// grammar.
func Shell(d *profile.Document, digest string) ([]byte, error) { return script("remove", d, digest) }

// ShellUndo writes the script that puts everything back, last removal first.
func ShellUndo(d *profile.Document, digest string) ([]byte, error) { return script("undo", d, digest) }

func script(name string, d *profile.Document, digest string) ([]byte, error) {
	steps := make([]profile.Step, len(d.Steps))
	for i, s := range d.Steps {
		if _, err := android.ParsePackageName(string(s.Package)); err != nil {
			return nil, fmt.Errorf("step %d: %w", i+1, err)
		}
		if name == "undo" {
			steps[len(steps)-1-i] = s
		} else {
			steps[i] = s
		}
	}
	var out bytes.Buffer
	err := scripts.ExecuteTemplate(&out, name, struct {
		*profile.Document
		Ordered []profile.Step
		Title   string
		Digest  string
	}{d, steps, fmt.Sprintf("%s %s, %s, no. %d", d.Maker.Name, d.Model.Name, d.Edition.Name, d.Number), digest})
	return out.Bytes(), err
}

// Names writes the plain list: one package name a line, in the order of the
// release.
func Names(d *profile.Document) []byte {
	var b strings.Builder
	for _, s := range d.Steps {
		b.WriteString(string(s.Package))
		b.WriteByte('\n')
	}
	return []byte(b.String())
}
