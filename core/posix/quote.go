package posix

import "strings"

// Quote makes one word of a POSIX shell of any text without NUL bytes: what
// the shell hands on is the text itself. Words of plain letters, digits and
// a few harmless signs are left bare.
func Quote(s string) string {
	if s == "" {
		return "''"
	}
	bare := true
	for i := 0; i < len(s); i++ {
		c := s[i]
		if c|0x20 >= 'a' && c|0x20 <= 'z' || c >= '0' && c <= '9' || c == '.' || c == '_' || c == '/' || c == '-' && i > 0 {
			continue
		}
		bare = false
		break
	}
	if bare {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}
