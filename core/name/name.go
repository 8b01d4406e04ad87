// Package name holds the rules for names that come from a directory: which are valid, which are the same, and how the
// paths of units are made of them.
package name

import (
	"net/netip"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Fold brings a name to the form under which names are compared: Unicode simple case folding (Unicode 15, section 3.13,
// statuses C and S). Two names are one when their folds are equal, which is strings.EqualFold as a key.
func Fold(s string) string {
	for i := 0; i < len(s); i++ {
		if c := s[i]; c >= utf8.RuneSelf || 'A' <= c && c <= 'Z' {
			return strings.Map(foldRune, s)
		}
	}
	return s
}

func foldRune(r rune) rune {
	if r < utf8.RuneSelf {
		if 'A' <= r && r <= 'Z' {
			r += 'a' - 'A'
		}
		return r
	}
	low := r
	for x := unicode.SimpleFold(r); x != r; x = unicode.SimpleFold(x) {
		low = min(low, x)
	}
	if low >= 0x13a0 && low <= 0x13f5 {
		return low // Cherokee folds to its upper case
	}
	if low == r && unicode.SimpleFold(r) == r {
		return r
	}
	return unicode.ToLower(unicode.ToUpper(low))
}

// Valid says whether s may name a user, group or machine: free text without control characters.
func Valid(s string) bool {
	return s != "" && len(s) <= 256 && !strings.ContainsFunc(s, func(r rune) bool {
		return r < 0x20 || r >= 0x7f && r < 0xa0 || r == utf8.RuneError
	})
}

// ValidUnit says whether s is a unit's path: names divided by slashes, none of them empty; a slash inside a name is
// written \/.
func ValidUnit(s string) bool {
	for {
		parent, ok := UnitParent(s)
		last := s
		if ok {
			last = s[len(parent)+1:]
		}
		if !Valid(last) || last[0] == '/' {
			return false
		}
		if !ok {
			return true
		}
		s = parent
	}
}

// UnitParent gives the path above a unit's path.
func UnitParent(path string) (string, bool) {
	for i := len(path) - 1; i >= 0; i-- {
		if path[i] == '/' && (i == 0 || path[i-1] != '\\') {
			return path[:i], true
		}
	}
	return "", false
}

// Loopback says whether a host is this machine itself, by name or address.
func Loopback(host string) bool {
	a, err := netip.ParseAddr(host)
	return err == nil && a.IsLoopback() || host == "localhost"
}

// BareMachine gives a machine's folded name without a trailing $ and without its domain; an address stays as it is.
func BareMachine(folded string) string {
	folded = strings.TrimSuffix(folded, "$")
	if host, domain, ok := strings.Cut(folded, "."); ok && host != "" && domain != "" {
		if _, err := netip.ParseAddr(folded); err != nil {
			return host
		}
	}
	return folded
}
