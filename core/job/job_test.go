package job

import (
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"cirque/core/estate"
)

// TestTransitions has the whole table: every state, every event, and where it leads; "-" cannot happen.
func TestTransitions(t *testing.T) {
	t.Parallel()
	const table = `
	                   create  arrive  hold         release send       begin      stream     return  stop               resume     note               finish    cancel   abort   expire
	(none)             pending pending pending-held -       -          -          processing -       -                  -          -                  -         -        -       -
	pending            -       pending pending-held -       processing -          -          -       -                  -          pending            -         canceled aborted aborted
	pending-held       -       -       pending-held pending -          -          -          -       -                  -          pending-held       -         canceled aborted aborted
	processing         -       -       pending-held -       -          processing -          pending processing-stopped processing processing         completed canceled aborted -
	processing-stopped -       -       pending-held -       -          -          -          pending processing-stopped processing processing-stopped completed canceled aborted aborted
	completed          -       -       -            -       -          -          -          -       -                  -          -                  -         -        -       -
	canceled           -       -       -            -       -          -          -          -       -                  -          -                  -         -        -       -
	aborted            -       -       -            -       -          -          -          -       -                  -          -                  -         -        -       -`
	lines := strings.Split(strings.TrimSpace(table), "\n")
	events := strings.Fields(lines[0])
	if len(events) != len(Events()) || len(lines)-1 != len(States())+1 {
		t.Fatalf("%d events and %d states in the table, %d and %d there are", len(events), len(lines)-1, len(Events()),
			len(States())+1)
	}
	for _, line := range lines[1:] {
		row := strings.Fields(line)
		from := State(row[0])
		if row[0] == "(none)" {
			from = None
		}
		for i, to := range row[1:] {
			got, err := from.On(Event(events[i]))
			var wrong *TransitionError
			if to == "-" && (!errors.As(err, &wrong) || got != from) || to != "-" && (err != nil || string(got) != to) {
				t.Errorf("%s, %s: %s %v, want %s", row[0], events[i], got, err, to)
			}
		}
		if from.Done() != (strings.Join(slices.Compact(row[1:]), "") == "-") {
			t.Errorf("%s: done %v", from, from.Done())
		}
	}
}

// TestSentences: every reason that is named has a sentence.
func TestSentences(t *testing.T) {
	t.Parallel()
	f, err := parser.ParseFile(token.NewFileSet(), "reason.go", nil, 0)
	if err != nil {
		t.Fatal(err)
	}
	n := 0
	ast.Inspect(f, func(node ast.Node) bool {
		spec, ok := node.(*ast.ValueSpec)
		if !ok || len(spec.Values) != 1 {
			return true
		}
		if lit, ok := spec.Values[0].(*ast.BasicLit); ok {
			n++
			if Sentence(strings.Trim(lit.Value, `"`)) == "" {
				t.Errorf("%s has no sentence", lit.Value)
			}
		}
		return true
	})
	if n < 20 || Sentence("else") != "" {
		t.Error(n, "reasons")
	}
}

// slow is Choose, as jobs.md has it, word by word.
func slow(list []Candidate) (out []string) {
	left := slices.DeleteFunc(slices.Clone(list), func(c Candidate) bool { return c.Down || c.Refuses })
	for len(left) > 0 {
		best := 0
		for i, c := range left {
			b := left[best]
			fewer := c.Busy < b.Busy
			alike := c.Busy == b.Busy
			neverHad, bHad := c.Began.IsZero(), !b.Began.IsZero()
			longer := neverHad && bHad || !neverHad && bHad && c.Began.Before(b.Began)
			same := c.Began.Equal(b.Began)
			if fewer || alike && (longer || same && c.Device < b.Device) {
				best = i
			}
		}
		out = append(out, left[best].Device)
		left = slices.Delete(left, best, best+1)
	}
	return out
}

// TestChoose holds Choose against its slow twin in random worlds.
func TestChoose(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(3, 4))
	tied := 0
	for range 5000 {
		var list []Candidate
		for _, name := range []string{"b", "a", "mail-10", "mail-2", "c"}[:1+r.IntN(5)] {
			c := Candidate{Device: name, Down: r.IntN(6) == 0, Refuses: r.IntN(6) == 0, Busy: r.IntN(3)}
			if r.IntN(3) > 0 {
				c.Began = time.Unix(int64(r.IntN(3)), 0)
			}
			list = append(list, c)
		}
		got, want := Choose(list), slow(list)
		if !slices.Equal(got, want) {
			t.Fatalf("%+v: %q, want %q", list, got, want)
		}
		if len(got) > 1 {
			tied++
		}
	}
	if tied < 1000 {
		t.Error("the worlds are too dull:", tied)
	}
}

func zone(t *testing.T, name string) *time.Location {
	t.Helper()
	z, err := time.LoadLocation(name)
	if err != nil {
		t.Fatal(err)
	}
	return z
}

// TestWindows: windows begin by the clock of the site, also where it skips midnight or repeats an hour.
func TestWindows(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		every              estate.Every
		zone, at           string
		begins, nextBegins string
	}{
		{estate.EveryDay, "UTC", "2026-11-30T23:59:59Z", "2026-11-30", "2026-12-01T00:00:00Z"},
		{estate.EveryDay, "Europe/Oslo", "2026-11-30T23:30:00Z", "2026-12-01", "2026-12-01T23:00:00Z"},
		{estate.EveryDay, "Europe/Oslo", "2026-10-25T12:00:00Z", "2026-10-25", "2026-10-25T23:00:00Z"}, // 25 hours
		{estate.EveryDay, "Europe/Oslo", "2026-03-29T12:00:00Z", "2026-03-29", "2026-03-29T22:00:00Z"}, // 23 hours
		{estate.EveryWeek, "UTC", "2026-11-29T12:00:00Z", "2026-11-23", "2026-11-30T00:00:00Z"},        // a Sunday
		{estate.EveryWeek, "UTC", "2026-11-30T00:00:00Z", "2026-11-30", "2026-12-07T00:00:00Z"},
		{estate.EveryMonth, "UTC", "2026-12-31T12:00:00Z", "2026-12-01", "2027-01-01T00:00:00Z"},
		{estate.EveryMonth, "Pacific/Auckland", "2026-11-30T11:30:00Z", "2026-12-01", "2026-12-31T11:00:00Z"},
		{estate.EveryNever, "UTC", "2026-12-31T12:00:00Z", "", ""},
		// The clock skips midnight: the day begins at one.
		{estate.EveryDay, "America/Asuncion", "2023-09-30T12:00:00Z", "2023-09-30", "2023-10-01T04:00:00Z"},
		{estate.EveryDay, "America/Asuncion", "2023-10-01T04:00:00Z", "2023-10-01", "2023-10-02T03:00:00Z"},
		{estate.EveryDay, "Africa/Cairo", "2026-04-23T20:00:00Z", "2026-04-23", "2026-04-23T22:00:00Z"},
		// The hour before midnight comes twice: the day begins after it.
		{estate.EveryDay, "America/Asuncion", "2023-03-25T12:00:00Z", "2023-03-25", "2023-03-26T04:00:00Z"},
		// A day that there never was.
		{estate.EveryDay, "Pacific/Apia", "2011-12-29T12:00:00Z", "2011-12-29", "2011-12-30T10:00:00Z"},
	} {
		at, err := time.Parse(time.RFC3339, c.at)
		if err != nil {
			t.Fatal(err)
		}
		z := zone(t, c.zone)
		if got := Begins(c.every, at, z); got != c.begins {
			t.Errorf("%s at %s in %s: %s, want %s", c.every, c.at, c.zone, got, c.begins)
		}
		next, ok := NextBegins(c.every, at, z)
		if got := next.UTC().Format(time.RFC3339); ok != (c.nextBegins != "") || ok && got != c.nextBegins {
			t.Errorf("%s after %s in %s: %s, want %s", c.every, c.at, c.zone, got, c.nextBegins)
		}
		if ok && next.Before(at) {
			t.Error("the next window has begun before")
		}
	}
	if got := Begins(estate.EveryDay, time.Unix(0, 0), nil); got != "1970-01-01" {
		t.Error(got)
	}
}

func pages(n int) *int { return &n }

func TestEstimate(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		o    Options
		n    *int
		want int
	}{
		{nil, pages(5), 5}, {Options{"copies": 3.0}, pages(5), 15}, {Options{"number-up": 2.0}, pages(5), 3},
		{Options{"number-up": 4.0, "copies": 2.0}, pages(9), 6}, {Options{"page-ranges": "2-3"}, pages(5), 2},
		{Options{"page-ranges": []any{"1-2", "4-9"}}, pages(5), 4}, {Options{"page-ranges": "7-9"}, pages(5), 0},
		{Options{"sides": "two-sided-long-edge"}, pages(5), 5}, {Options{"copies": 3.0}, nil, -1},
	} {
		got := -1
		if n := c.o.Impressions(c.n); n != nil {
			got = *n
		}
		if got != c.want {
			t.Errorf("%v: %d, want %d", c.o, got, c.want)
		}
	}
}

// TestCounts has the last part of section 5 of jobs.md, row by row.
func TestCounts(t *testing.T) {
	t.Parallel()
	for what, c := range map[string]struct {
		end  End
		want int // of 7 reserved
	}{
		"the device says":                 {End{Completed, pages(4), true, pages(5)}, 4},
		"it says more":                    {End{Completed, pages(9), true, pages(5)}, 9},
		"0 at completed is nothing told":  {End{Completed, pages(0), true, pages(5)}, 5},
		"nothing told":                    {End{Completed, nil, true, pages(5)}, 5},
		"nothing told, nothing estimated": {End{Completed, nil, true, nil}, 7},
		"cancelled with 0":                {End{Canceled, pages(0), true, pages(5)}, 0},
		"cancelled before any byte":       {End{Canceled, nil, false, pages(5)}, 0},
		"failed in the middle":            {End{Aborted, pages(2), true, pages(5)}, 2},
		"failed, nothing told":            {End{Aborted, nil, true, pages(5)}, 5},
		"failed, nothing told, not known": {End{Aborted, nil, true, nil}, 7},
	} {
		if got := c.end.Counts(7); got != c.want {
			t.Errorf("%s: %d, want %d", what, got, c.want)
		}
	}
}

// ledger is allowances and reservations, kept the slow way: each job by itself.
type ledger struct {
	pages map[string]int
	jobs  []map[string]int // what each has reserved or used
}

func (l *ledger) left(a string) int {
	n := l.pages[a]
	for _, j := range l.jobs {
		n -= j[a]
	}
	return n
}

// TestJudge holds Judge against a slow obvious twin in random worlds: what is refused never overdraws.
func TestJudge(t *testing.T) {
	t.Parallel()
	r := rand.New(rand.NewPCG(5, 6))
	seen := map[estate.Over]int{}
	for range 500 {
		l := &ledger{pages: map[string]int{}}
		overs := map[string]estate.Over{}
		names := []string{"a", "b", "c"}[:1+r.IntN(3)]
		for _, n := range names {
			l.pages[n] = r.IntN(40)
			overs[n] = []estate.Over{estate.OverRefuse, estate.OverHold, estate.OverTell}[r.IntN(3)]
		}
		for range 20 {
			var n *int
			if r.IntN(3) > 0 {
				n = pages(r.IntN(12))
			}
			var list []Balance
			for _, a := range names {
				used := 0
				for _, j := range l.jobs {
					used += j[a]
				}
				list = append(list, Balance{Allowance: a, Pages: l.pages[a], Over: overs[a], Used: used})
			}
			got := Judge(n, list)
			var want estate.Over
			for _, over := range []estate.Over{estate.OverTell, estate.OverHold, estate.OverRefuse} { // the last one wins
				for _, a := range names {
					if overs[a] == over && (n != nil && *n > l.left(a) || n == nil && l.left(a) < 1) {
						want = over
					}
				}
			}
			seen[got.Over]++
			if got.Over != want {
				t.Fatalf("%v of %+v: %q, want %q", n, list, got.Over, want)
			}
			if want == estate.OverRefuse || want == estate.OverHold {
				if got.Reserve != nil || overs[got.By] != want {
					t.Fatalf("%+v", got)
				}
				continue
			}
			j := map[string]int{}
			for i, a := range names {
				j[a] = got.Reserve[i]
				if n != nil && j[a] != *n || n == nil && j[a] != max(l.left(a), 0) {
					t.Fatalf("%v: %+v, left %d", n, got, l.left(a))
				}
			}
			l.jobs = append(l.jobs, j)
			for _, a := range names {
				if overs[a] == estate.OverRefuse && l.left(a) < 0 {
					t.Fatalf("%s is overdrawn", a)
				}
			}
		}
	}
	for _, over := range []estate.Over{"", estate.OverRefuse, estate.OverHold, estate.OverTell} {
		if seen[over] < 200 {
			t.Errorf("too dull: %v", seen)
		}
	}
}

// TestFit: options go on as they were chosen, the queue fills what was left open, and what a device cannot do is
// replaced and said.
func TestFit(t *testing.T) {
	t.Parallel()
	able := map[string][]string{"sides": {"one-sided"}, "copies": {"1-99"}, "print-quality": {"3", "4"},
		"media": {"iso_a4_210x297mm"}, "page-ranges": {"true"}, "finishings": {"3", "20"}, "media-col": {"media-size"}}
	own := map[string]any{"sides": "one-sided", "print-quality": 4.0}
	got := FitOptions(Options{"sides": "two-sided-long-edge", "copies": 2.0, "print-quality": 5.0, "x-glow": true,
		"finishings": []any{3.0, 20.0}, "page-ranges": "1-2"}, Options{"media": "iso_a4_210x297mm", "copies": 9.0,
		"output-bin": "top"}, able, own)
	if len(got.Replaced) != 3 || got.Replaced[0].Option != "print-quality" || got.Replaced[0].Done != 4.0 ||
		got.Replaced[1].Done != "one-sided" || got.Replaced[2].Done != nil {
		t.Errorf("%+v", got.Replaced)
	}
	for k, want := range map[string]any{"copies": 2.0, "sides": "one-sided", "media": "iso_a4_210x297mm",
		"page-ranges": "1-2"} {
		if got.Did[k] != want {
			t.Errorf("%s: %v, want %v", k, got.Did[k], want)
		}
	}
	if _, ok := got.Did["output-bin"]; ok || len(got.Defaults) != 1 {
		t.Errorf("%+v", got)
	}
	if all := FitOptions(Options{"x-glow": true}, nil, nil, nil); all.Did["x-glow"] != true || len(all.Replaced) > 0 {
		t.Errorf("of a device that says nothing: %+v", all)
	}
	col := FitOptions(Options{"media-col": map[string]any{"media-size": 1}}, Options{"media": "iso_a4_210x297mm"}, able, nil)
	if _, ok := col.Did["media"]; ok {
		t.Error("the queue's media stands beside the size that was asked for")
	}
}

func TestCommon(t *testing.T) {
	t.Parallel()
	got := Common([]map[string][]string{{"sides": {"one-sided", "two-sided-long-edge"}, "copies": {"1-99"}, "x": {"1"}},
		nil, {"sides": {"two-sided-long-edge"}, "copies": {"1-20"}}})
	if len(got) != 2 || !slices.Equal(got["sides"], []string{"two-sided-long-edge"}) || !slices.Equal(got["copies"],
		[]string{"1-20"}) {
		t.Error(got)
	}
	if Common(nil) != nil {
		t.Error("of nothing, nothing is known")
	}
}
