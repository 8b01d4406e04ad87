package cmdline

import (
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/spf13/cobra"

	"cirque/core/fault"
)

func tree() *cobra.Command {
	var since Moment
	var last Span
	list := &cobra.Command{Use: "list [WORD...]", Short: "List servers", Args: Args(0, -1),
		RunE: func(*cobra.Command, []string) error { return nil }}
	list.Flags().String("state", "", "only these")
	list.Flags().Int("limit", 0, "how many")
	list.Flags().Var(&since, "since", "from then on")
	list.Flags().Var(&last, "wait", "how long")
	drain := &cobra.Command{Use: "drain SERVER", Short: "Take one out of duty", Args: Args(1, 1),
		RunE: func(*cobra.Command, []string) error { return nil }}
	drain.Flags().String("reason", "", "why")
	_ = drain.MarkFlagRequired("reason")
	return Root(&cobra.Command{Use: "tool", Short: "A tool"}, 0, ParseExamples("tool drain:\n  tool drain ps\n"),
		Section{"Servers", []*cobra.Command{Group("server", "Servers", list), drain}})
}

// TestUsage: what is wrong with a call's words is said in ours, with what was meant where that can be told.
func TestUsage(t *testing.T) {
	t.Parallel()
	for line, says := range map[string]string{
		"servr":                                  `there is no command "servr"; did you mean tool server?`,
		"list":                                   `there is no command "list"; did you mean tool server list?`,
		"server lst":                             `server has no command "lst"; did you mean tool server list?`,
		"server nothing":                         `server has no command "nothing"; tool server --help lists them`,
		"server":                                 "server needs one of its own commands; tool server --help lists them",
		"server list --stat x":                   "server list has no flag --stat; did you mean --state?",
		"server list -x":                         "server list has no flag -x; see --help",
		"server list --state":                    "--state needs a value; see --help",
		"server list --limit many":               `--limit "many": that is no whole number; see --help`,
		"server list --wait 10":                  `--wait "10": 10 has no unit: write 10s, 10m, 10h or 10d; see --help`,
		"server list --since tomorrow":           `--since "tomorrow": that is no time`,
		"drain":                                  "drain takes 1 argument, and there is none; write tool drain SERVER",
		"drain a b --reason x":                   "drain takes 1 argument, and there are 2; write tool drain SERVER",
		"drain a":                                "--reason is missing; see --help",
		"help nosuch":                            `there is no command "nosuch"`,
		"help server nosuch":                     `server has no command "nosuch"`,
		"server list a b c --since 3d --wait 5m": "",
		"help server list":                       "",
	} {
		c := tree()
		var out strings.Builder
		c.SetArgs(strings.Fields(line))
		c.SetOut(&out)
		c.SetErr(&out)
		err := c.Execute()
		if says == "" {
			if err != nil {
				t.Errorf("%s: %v", line, err)
			}
			continue
		}
		var told strings.Builder
		if code := Report(&told, "tool", Table, err); err == nil || code != ExitUsage ||
			!strings.HasPrefix(told.String(), "tool: "+says) {
			t.Errorf("%s: %d %q", line, code, told.String())
		}
	}
}

// TestReport: each thing that is wrong is told once, and a program reads the same.
func TestReport(t *testing.T) {
	t.Parallel()
	two := fault.New(fault.Invalid, "estate-invalid", "mend them", "a.yaml:3: no such queue").With([]fault.Detail{
		{Place: "a.yaml:3", What: "no such queue", Fix: "write hall"}, {Place: "a.yaml:9", What: "no such site"}})
	one := fault.New(fault.Unknown, "queue-unknown", "see cirque queue list", "there is no queue \"x\"")
	for _, c := range []struct {
		err   error
		code  int
		lines []string
	}{
		{two, ExitInvalid, []string{"cirque: 2 things to mend; mend them", "  a.yaml:3: no such queue; write hall",
			"  a.yaml:9: no such site"}},
		{one, ExitUnknown, []string{"cirque: there is no queue \"x\"; see cirque queue list"}},
		{fault.New(fault.Unavailable, "x", "", "it is away").Because(errors.New("dial\nmore")), ExitUnavailable,
			[]string{"cirque: it is away (dial)"}},
		{ErrNo, ExitNo, nil},
		{errors.New("odd"), ExitFailed, []string{"cirque: odd"}},
	} {
		var b strings.Builder
		if code := Report(&b, "cirque", Table, c.err); code != c.code || b.String() != strings.Join(append(c.lines, ""), "\n") {
			t.Errorf("%v: %d\n%s", c.err, code, b.String())
		}
		b.Reset()
		var f Failure
		if code := Report(&b, "cirque", JSON, c.err); code != c.code || c.err != ErrNo && (json.Unmarshal([]byte(b.String()),
			&f) != nil || f.Detail == "" || f.Exit != code || f.Code == "") {
			t.Errorf("%v: %d %s", c.err, code, b.String())
		}
	}
}

// TestFormOf: in which form an error is wanted is known even where the words could not be read.
func TestFormOf(t *testing.T) {
	t.Parallel()
	for line, want := range map[string]string{"a -o json --nosuch": JSON, "a --output=yaml": YAML, "-ojson a": JSON,
		"a -o": Table, "a": Table, "a -o xml": Table, "a -- -o json": Table, "-o=yaml": YAML} {
		if got := FormOf(strings.Fields(line)); got != want {
			t.Errorf("%s: %s", line, got)
		}
	}
}

// TestMoments: a time is read in the zone of the clock; what is bare lies ahead or behind.
func TestMoments(t *testing.T) {
	t.Parallel()
	zone := time.FixedZone("here", 3600)
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, zone)
	for text, want := range map[string][2]string{ // ahead, behind
		"2026-11-24":           {"2026-11-24T00:00:00+01:00", "2026-11-24T00:00:00+01:00"},
		"2026-11-24 14:30":     {"2026-11-24T14:30:00+01:00", "2026-11-24T14:30:00+01:00"},
		"2026-11-24T14:30":     {"2026-11-24T14:30:00+01:00", "2026-11-24T14:30:00+01:00"},
		"2026-11-24T14:30:00Z": {"2026-11-24T14:30:00Z", "2026-11-24T14:30:00Z"},
		"14:00":                {"2026-11-23T14:00:00+01:00", "2026-11-22T14:00:00+01:00"},
		"09:00":                {"2026-11-24T09:00:00+01:00", "2026-11-23T09:00:00+01:00"},
		"2h":                   {"2026-11-23T12:00:00+01:00", "2026-11-23T08:00:00+01:00"},
		"3d":                   {"2026-11-26T10:00:00+01:00", "2026-11-20T10:00:00+01:00"},
		"now":                  {"2026-11-23T10:00:00+01:00", "2026-11-23T10:00:00+01:00"},
	} {
		for i, ahead := range []bool{true, false} {
			if at, err := ParseMoment(text, now, ahead); err != nil || at.Format(time.RFC3339) != want[i] {
				t.Errorf("%s, ahead %v: %v, %v", text, ahead, at, err)
			}
		}
	}
	for _, text := range []string{"2", "yesterday", "2026-13-01", "25:00", ""} {
		if at, err := ParseMoment(text, now, true); err == nil {
			t.Errorf("%q is read as %v", text, at)
		}
	}
	if got := (Zone{zone}).At(now); got != "2026-11-23 10:00:00 here" {
		t.Error(got)
	}
}

// TestHelp: a group lists what it holds, a command its flags; the examples of what a group holds stand for its own.
func TestHelp(t *testing.T) {
	t.Parallel()
	c := tree()
	for _, want := range []string{"Servers:\n  completion", "tool drain ps", "tool COMMAND --help"} {
		if text := Help(c, 0); !strings.Contains(text, want) {
			t.Errorf("no %q in\n%s", want, text)
		}
	}
	list, _, _ := c.Find([]string{"server", "list"})
	for _, want := range []string{"--since WHEN", "--wait SPAN", "--limit N", "--state STATE", "tool server list [WORD...]"} {
		if text := Help(list, 0); !strings.Contains(text, want) {
			t.Errorf("no %q in\n%s", want, text)
		}
	}
	if got := Break("one two  three", 9); strings.Join(got, "|") != "one two|three" {
		t.Errorf("%q", got)
	}
}
