// Package password says which passwords are too weak to take, beyond being too short: those that everybody tries first
// (NIST SP 800-63B, section 5.1.1.2).
package password

import (
	"bytes"
	"crypto/sha256"
	_ "embed" // the common ones
	"sort"
	"strings"
	"unicode"
)

// common are the first five octets of the SHA-256 of common passwords in lower case, in order: long ones whole, and of
// the shorter ones those of letters alone, as parts of longer ones. scripts/common-passwords makes it of a list of
// words; it holds no words, since such lists are not fit to be read.
//
//go:embed common.bin
var common []byte

const prefix = 5

// isCommon says whether a text in lower case is one of the common ones.
func isCommon(s string) bool {
	sum := sha256.Sum256([]byte(s))
	n := len(common) / prefix
	i := sort.Search(n, func(i int) bool { return bytes.Compare(common[i*prefix:(i+1)*prefix], sum[:prefix]) >= 0 })
	return i < n && bytes.Equal(common[i*prefix:(i+1)*prefix], sum[:prefix])
}

// rows are what fingers run along; a part of one of them, in either direction, is no password.
var rows = []string{"abcdefghijklmnopqrstuvwxyz", "1234567890", "qwertyuiopasdfghjklzxcvbnm",
	"qwertzuiopasdfghjklyxcvbnm",
	"azertyuiopqsdfghjklmwxcvbn", "1qaz2wsx3edc4rfv5tgb6yhn7ujm"}

// least is how much has to be left of a password once a name is taken out of it.
const least = 8

// Weak gives why a password is too weak for an account of a name; "" where it is not.
func Weak(account, password string) (why string) {
	p := strings.ToLower(strings.TrimSpace(password))
	letters := strings.TrimFunc(p, func(r rune) bool { return !unicode.IsLetter(r) })
	switch {
	case p == "":
		return "it is empty"
	case isCommon(p):
		return "it is among the passwords that are tried first"
	case len(letters) >= 4 && isCommon(letters):
		return "it is a common password with figures and signs around it"
	case repeats(p):
		return "it repeats itself"
	case runs(p):
		return "it runs along the keyboard, the alphabet or the figures"
	}
	for _, name := range []string{strings.ToLower(account), "cirque"} {
		if len(name) >= 4 && strings.Contains(p, name) && len(strings.ReplaceAll(p, name, "")) < least {
			return "it is hardly more than a name"
		}
	}
	return ""
}

// repeats says whether a text is one part again and again, also where the last time is cut short.
func repeats(s string) bool {
	for n := 1; n <= len(s)/2; n++ {
		if strings.HasPrefix(strings.Repeat(s[:n], len(s)/n+1), s) {
			return true
		}
	}
	return false
}

// runs says whether a text is a part of a row, or of a row again and again.
func runs(s string) bool {
	for _, row := range rows {
		long := strings.Repeat(row, len(s)/len(row)+2)
		if strings.Contains(long, s) || strings.Contains(reverse(long), s) {
			return true
		}
	}
	return false
}

func reverse(s string) string {
	b := []byte(s)
	for i, j := 0, len(b)-1; i < j; i, j = i+1, j-1 {
		b[i], b[j] = b[j], b[i]
	}
	return string(b)
}
