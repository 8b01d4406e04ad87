package directory

import (
	"strings"
	"testing"

	"cirque/core/fault"
)

func TestNoteCheck(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		n    WrittenNote
		code string
	}{
		{WrittenNote{Kind: "person", Name: "mira", Says: "  on leave \n"}, ""},
		{WrittenNote{Kind: "machine", Name: "till-7"}, ""},
		{WrittenNote{Kind: "queue", Name: "x", Says: "y"}, "note-kind"},
		{WrittenNote{Kind: "person", Name: " ", Says: "y"}, "note-name"},
		{WrittenNote{Kind: "person", Name: "mira", Says: strings.Repeat("ä", 2001)}, "note-long"},
		{WrittenNote{Kind: "person", Name: "mira", Says: strings.Repeat("ä", 2000)}, ""},
	} {
		err := c.n.Check()
		if code := func() string {
			if err == nil {
				return ""
			}
			return fault.As(err).Code
		}(); code != c.code {
			t.Errorf("%+v: %q", c.n, code)
		}
		if c.code == "" && strings.TrimSpace(c.n.Says) != c.n.Says {
			t.Errorf("%q", c.n.Says)
		}
	}
}
