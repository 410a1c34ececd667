package catalog

import (
	"cmp"
	"fmt"
	"regexp"
	"strings"
)

var versionParts = regexp.MustCompile(`[0-9]+|[^0-9]+`)

// CompareVersions orders firmware versions as their makers count: the numbers
// in them by value, what lies between them as text, so that 15.0.10 comes after
// 15.0.9. It returns -1, 0 or 1.
func CompareVersions(a, b string) int { return cmp.Compare(versionKey(a), versionKey(b)) }

// versionKey is a text that sorts as versions do. The database makes the same of
// them: version_key in its migrations.
func versionKey(version string) string {
	var key strings.Builder
	for _, part := range versionParts.FindAllString(version, -1) {
		if number := strings.TrimLeft(part, "0"); part[0] >= '0' && part[0] <= '9' {
			fmt.Fprintf(&key, "%03d", len(number))
			part = number
		}
		key.WriteString(part)
	}
	return key.String()
}
