package render

import (
	"bytes"
	"fmt"
	"strings"

	"roster/core/android"
	"roster/core/evidence"
	"roster/core/profile"
)

// QuotePowerShell makes one literal of PowerShell of any text: inside single
// quotes nothing is special but the quotes, of which PowerShell knows five.
func QuotePowerShell(s string) string {
	return "'" + singleQuotes.Replace(android.Printable(s, 1000)) + "'"
}

var singleQuotes = strings.NewReplacer("'", "''", "\u2018", "\u2018\u2018", "\u2019", "\u2019\u2019", "\u201a", "\u201a\u201a", "\u201b", "\u201b\u201b")

// batchText makes text harmless after echo in a batch file, where nearly every
// sign may be special: what is not plain stands as a question mark.
func batchText(s string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= 'A' && r <= 'Z', r >= '0' && r <= '9', strings.ContainsRune(" .,:;_/-'+", r):
			return r
		}
		return '?'
	}, android.Printable(s, 300))
}

// PowerShell writes the script for a Windows computer with adb.
func PowerShell(d *profile.Document, a About) ([]byte, error) {
	return windows("remove.ps1.tmpl", d, a, ".undo.ps1", false)
}

// PowerShellUndo writes what puts back what PowerShell's script took off.
func PowerShellUndo(d *profile.Document, a About) ([]byte, error) {
	return windows("remove.ps1.tmpl", d, a, "", true)
}

// Batch writes the script for the command prompt of Windows, with adb.
func Batch(d *profile.Document, a About) ([]byte, error) {
	return windows("remove.bat.tmpl", d, a, ".undo.bat", false)
}

// BatchUndo writes what puts back what Batch's script took off.
func BatchUndo(d *profile.Document, a About) ([]byte, error) {
	return windows("remove.bat.tmpl", d, a, "", true)
}

// forUser removes for the user what the release takes out of the image: these scripts
// do nothing as root.
func (p *plan) forUser() {
	for _, list := range [][]profile.Step{p.Removals, p.Ordered} {
		for i := range list {
			if list[i].Method == evidence.RemoveFromImage {
				list[i].Method = evidence.RemoveForUser
			}
		}
	}
}

// windows writes a script with the line ends of Windows.
func windows(name string, d *profile.Document, a About, undoEnding string, undo bool) ([]byte, error) {
	p, err := newPlan(d, a)
	if err != nil {
		return nil, err
	}
	p.Undo, p.UndoFile = undo, a.File+undoEnding
	p.forUser()
	for _, m := range d.Models() {
		if batchText(m.Device) != m.Device || strings.ContainsRune(m.Device, ' ') {
			return nil, fmt.Errorf("the device name %q can't stand in a script for Windows", android.Printable(m.Device, 60))
		}
	}
	for _, b := range d.Builds {
		if batchText(b.Fingerprint) != b.Fingerprint {
			return nil, fmt.Errorf("the fingerprint %q can't stand in a script for Windows", android.Printable(b.Fingerprint, 120))
		}
	}
	for _, n := range a.NotFor {
		if batchText(n.Fingerprint) != n.Fingerprint {
			return nil, fmt.Errorf("the fingerprint %q can't stand in a script for Windows", android.Printable(n.Fingerprint, 120))
		}
	}
	var out bytes.Buffer
	if err := scripts(a.Language).ExecuteTemplate(&out, name, p); err != nil {
		return nil, err
	}
	text := bytes.ReplaceAll(out.Bytes(), []byte("\n"), []byte("\r\n"))
	if bytes.ContainsFunc(text, func(r rune) bool { return r > 127 }) {
		text = append([]byte("\ufeff"), text...) // without it Windows reads the signs of its own region
	}
	return text, nil
}
