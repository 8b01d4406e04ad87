package guide

import (
	"strings"
	"testing"
)

const sample = "# Guide\n\nText.\n\n```console\n$ cirque why q   # exit code 8\nIt has not.\n…\n$ cirque a \\\n    --b\n" +
	"$ cat > f <<'END'\none\nEND\n```\n<!-- by hand: first account -->\n```yaml f.yaml\nestate: 1\n```\n```text\n" +
	"cirque serve --data DIR\n```\n"

func TestParse(t *testing.T) {
	t.Parallel()
	steps, err := Parse(sample)
	if err != nil || len(steps) != 5 {
		t.Fatalf("%+v %v", steps, err)
	}
	if s := steps[0]; s.Line != 6 || s.Exit != 8 || len(s.Shown) != 2 || s.From != 6 || s.To != 8 ||
		!strings.HasPrefix(s.Command, "cirque why q") {
		t.Errorf("%+v", s)
	}
	if s := steps[1]; s.Command != "cirque a --b" || s.Shown != nil || s.Exit != 0 {
		t.Errorf("%+v", s)
	}
	if s := steps[2]; s.Command != "cat > f <<'END'\none\nEND" || s.Shown != nil {
		t.Errorf("%+v", s)
	}
	if steps[3].ByHand != "first account" || steps[4].File != "f.yaml" || steps[4].Text != "estate: 1\n" {
		t.Errorf("%+v", steps[3:])
	}
	for _, bad := range []string{"    cirque lineup\n", "```sh\ncirque lineup\n```\n", "```console\n", "```console\ncirque\n```\n"} {
		if _, err := Parse(bad); err == nil {
			t.Errorf("%q is taken", bad)
		}
	}
}

func TestShown(t *testing.T) {
	t.Parallel()
	long := strings.Repeat("word ", 40)
	printed := strings.Repeat(long+"\n", 20)
	shown := Shown(printed)
	if len(shown) != 9 || shown[8] != "…" || len([]rune(shown[0])) > 126 {
		t.Errorf("%q", shown)
	}
	if differs := Compare(shown, printed); differs != "" {
		t.Error(differs)
	}
	if got := Shown("one\ntwo\n"); len(got) != 2 || got[1] != "two" {
		t.Errorf("%q", got)
	}
}

func TestCompare(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		shown, printed string
		alike          bool
	}{
		{"a", "a\n", true},
		{"a  b", "a b\n", true},
		{"a", "b\n", false},
		{"a", "a\nb\n", false},
		{"a\nb", "a\n", false},
		{"a\n…", "a\nb\nc\n", true},
		{"a\n…\nc", "a\nb\nb\nc\n", true},
		{"a\n…\nc", "a\nb\n", false},
		{"a\n…\nc", "a\nc\nd\n", false},
		{"a … c", "a b b c\n", true},
		{"a … c", "a b d\n", false},
		{"since 2026-11-30 10:00 UTC, 3 s ago", "since 2027-01-02 03:04 CET, 12 min ago\n", true},
		{"at https://127.0.0.1:8631", "at https://127.0.0.1:41233\n", true},
		{"until Mon 30 November 23:46 CET.", "until Tue 1 December 00:09 CET.", true},
		{"on 30 November 2026", "on 1 December 2027", true},
		{"at 30 doors", "at 1 door", false},
		{"erased-person-51 stands", "erased-person-52 stands", true},
		{"2 queues", "3 queues\n", false},
		{"1 page (once)", "1 page (once)\n", true},
	} {
		if got := Compare(strings.Split(c.shown, "\n"), c.printed); (got == "") != c.alike {
			t.Errorf("%q, %q: %q", c.shown, c.printed, got)
		}
	}
	if Compare(nil, "anything\n") != "" {
		t.Error("nothing is shown")
	}
}
