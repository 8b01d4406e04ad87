package driver

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"cirque/core/fault"
)

// MaxSetUpFile bounds one set-up file, in bytes; longer ones are refused unread.
const MaxSetUpFile = 8 << 20

// What can be wrong with a set-up file as a whole.
var (
	ErrTooLong  = errors.New("the file is longer than any set-up file")
	ErrEncoding = errors.New("the file is neither UTF-16 nor 8-bit text")
)

// A FormatError says where reading a set-up file stopped.
type FormatError struct {
	Line int // from 1; 0 for the file as a whole
	What string
}

func (e *FormatError) Error() string {
	if e.Line == 0 {
		return e.What
	}
	return fmt.Sprintf("line %d: %s", e.Line, e.What)
}

// text decodes a set-up file: UTF-16 with a byte-order mark or, without one, where every other byte is zero; UTF-8;
// else Windows code page 1252, which is ISO 8859-1 but for a few marks.
func text(b []byte) (string, error) {
	if len(b) > MaxSetUpFile {
		return "", ErrTooLong
	}
	switch {
	case len(b) >= 2 && b[0] == 0xff && b[1] == 0xfe:
		return wide(b[2:], false)
	case len(b) >= 2 && b[0] == 0xfe && b[1] == 0xff:
		return wide(b[2:], true)
	case len(b) >= 4 && b[0] != 0 && b[1] == 0 && b[3] == 0:
		return wide(b, false)
	case len(b) >= 4 && b[0] == 0 && b[2] == 0 && b[1] != 0:
		return wide(b, true)
	}
	s := strings.TrimPrefix(string(b), "\ufeff")
	if strings.ContainsRune(s, 0) {
		return "", ErrEncoding
	}
	if utf8.ValidString(s) {
		return s, nil
	}
	return latin(b), nil
}

func wide(b []byte, big bool) (string, error) {
	if len(b)%2 != 0 {
		return "", ErrEncoding
	}
	units := make([]uint16, len(b)/2)
	for i := range units {
		if big {
			units[i] = uint16(b[2*i])<<8 | uint16(b[2*i+1])
		} else {
			units[i] = uint16(b[2*i+1])<<8 | uint16(b[2*i])
		}
		if units[i] == 0 {
			return "", ErrEncoding
		}
	}
	return string(utf16.Decode(units)), nil
}

// high is what code page 1252 has from 0x80 to 0x9f.
const high = "€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ"

var highRunes = []rune(high)

func latin(b []byte) string {
	var out strings.Builder
	out.Grow(len(b) + len(b)/8)
	for _, c := range b {
		if c >= 0x80 && c < 0xa0 {
			out.WriteRune(highRunes[c-0x80])
		} else {
			out.WriteRune(rune(c))
		}
	}
	return out.String()
}

// asFault puts a failure to read a file into words.
func asFault(path string, err error) fault.Detail {
	return fault.Detail{Place: path, What: err.Error(), Fix: "ask the maker for a sound copy of the package"}
}
