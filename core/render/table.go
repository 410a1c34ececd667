package render

import "strings"

// Cell makes text safe as a cell of a CSV file that somebody opens in a
// spreadsheet: text that a spreadsheet would take for a formula gets an
// apostrophe in front, which it shows as text.
func Cell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}
