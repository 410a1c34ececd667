package android

import (
	"errors"
	"fmt"
	"strings"
)

// MaxPackageName is the platform's limit on the length of a package name, in
// bytes.
const MaxPackageName = 255

// PackageName is an application id that has passed ParsePackageName. Code
// that hands a name to a phone, a script or a path takes this type and checks
// it again with Valid, because Go lets any string be converted.
type PackageName string

// ErrPackageName is wrapped by every error of ParsePackageName.
var ErrPackageName = errors.New("not a package name")

// ParsePackageName accepts exactly the platform's grammar: two or more
// segments joined by dots, each a letter followed by letters, digits or
// underscores, at most 255 bytes in all; and "android", the platform itself.
// The error says what is wrong without repeating hostile text unquoted.
func ParsePackageName(s string) (PackageName, error) {
	if s == "android" {
		return PackageName(s), nil
	}
	if s == "" {
		return "", fmt.Errorf("%w: it is empty", ErrPackageName)
	}
	if len(s) > MaxPackageName {
		return "", fmt.Errorf("%w: %d bytes, at most %d", ErrPackageName, len(s), MaxPackageName)
	}
	dots, start := 0, true
	for i := 0; i < len(s); i++ {
		c := s[i]
		letter := c|0x20 >= 'a' && c|0x20 <= 'z'
		switch {
		case start && letter:
			start = false
		case start:
			return "", fmt.Errorf("%w: %q at byte %d where a letter must stand", ErrPackageName, c, i+1)
		case c == '.':
			dots++
			start = true
		case letter, c >= '0' && c <= '9', c == '_':
		default:
			return "", fmt.Errorf("%w: %q at byte %d is not allowed", ErrPackageName, c, i+1)
		}
	}
	if start {
		return "", fmt.Errorf("%w: it ends with a dot", ErrPackageName)
	}
	if dots == 0 {
		return "", fmt.Errorf("%w: it has no dot", ErrPackageName)
	}
	return PackageName(s), nil
}

// Valid reports whether the name keeps to the platform's grammar.
func (n PackageName) Valid() bool {
	_, err := ParsePackageName(string(n))
	return err == nil
}

// Namespace is the first two segments of the name, the part that packages of
// one maker usually share: "com.brannock" for "com.brannock.tips".
func (n PackageName) Namespace() string {
	first := strings.IndexByte(string(n), '.')
	if first < 0 {
		return string(n)
	}
	second := strings.IndexByte(string(n)[first+1:], '.')
	if second < 0 {
		return string(n)
	}
	return string(n)[:first+1+second]
}
