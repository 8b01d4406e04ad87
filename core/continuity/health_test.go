package continuity

import (
	"strings"
	"testing"
	"time"

	"cirque/core/live"
)

var rule = Rule{Every: 10 * time.Second, DownAfter: 2, UpAfter: 3, FlapMost: 3, FlapWithin: 10 * time.Minute}

// TestHealth: a probe a second; + answers, - does not. Below stands the verdict after each: ? unproven, U up, D down, h
// held.
func TestHealth(t *testing.T) {
	t.Parallel()
	for _, c := range [][2]string{
		{"----", "????"}, // never answered: nothing is proven
		{"-+--", "?UUD"},
		{"+-+-+-", "UUUUUU"}, // never twice in a row
		{"+--+-+++", "UUDDDDDU"},
		{"+--+++--+++--+++", "UUDDDUUDDDUUDDDh"},
	} {
		var h Health
		now := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
		var got strings.Builder
		for _, p := range c[0] {
			now = now.Add(time.Second)
			h, _ = h.Step(Probe{OK: p == '+', Says: "refused"}, now, rule)
			switch {
			case h.Held:
				got.WriteByte('h')
			default:
				got.WriteByte(map[Verdict]byte{Unproven: '?', Up: 'U', Gone: 'D'}[h.Verdict])
			}
		}
		if got.String() != c[1] {
			t.Errorf("%s gives %s, want %s", c[0], got.String(), c[1])
		}
	}
}

// TestHealthHeldEnds: what was held comes up once its changes lie far enough back, and not before.
func TestHealthHeldEnds(t *testing.T) {
	t.Parallel()
	var h Health
	now := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for _, p := range "+--+++--+++--+++" {
		now = now.Add(time.Second)
		h, _ = h.Step(Probe{OK: p == '+', Says: ""}, now, rule)
	}
	if !h.Held {
		t.Fatal("not held")
	}
	held := now
	for changed := false; !changed; {
		now = now.Add(rule.Every)
		if h, changed = h.Step(Probe{OK: true, Says: ""}, now, rule); now.Sub(held) > time.Hour {
			t.Fatal("it never comes back")
		}
	}
	if now.Sub(held) < rule.FlapWithin-time.Minute {
		t.Error("back after", now.Sub(held))
	}
}

func TestGrown(t *testing.T) {
	t.Parallel()
	begun := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	until := begun.Add(10 * time.Minute)
	n := live.Note{Duty: live.Serving, Begun: &begun, Until: &until}
	before := 0.0
	for s := 0; s <= 600; s++ {
		g := n.Grown(begun.Add(time.Duration(s) * time.Second))
		if g < before || g <= 0 || g > 1 || g > float64(s)/600+0.051 {
			t.Fatalf("after %d s: %v after %v", s, g, before)
		}
		before = g
	}
	if before != 1 || (live.Note{Duty: live.Serving}).Grown(begun) != 1 {
		t.Error("not whole at the end")
	}
	if d := (live.Note{Duty: live.Drained, Until: &until}); d.Ends(until.Add(-1)) || !d.Ends(until) {
		t.Error("the end of a drain")
	}
}

func TestUptime(t *testing.T) {
	t.Parallel()
	at := func(h int) time.Time { return time.Date(2026, 1, 1, h, 0, 0, 0, time.UTC) }
	for says, c := range map[string]struct {
		turns []Turn
		part  float64
		ok    bool
	}{
		"nothing known":             {nil, 0, false},
		"up before, and ever since": {[]Turn{{Up, "", at(-5)}}, 1, true},
		"down for two of ten hours": {[]Turn{{Up, "", at(-5)}, {Gone, "refused", at(3)}, {Up, "", at(5)}}, 0.8, true},
		"known for half the time":   {[]Turn{{Up, "", at(5)}, {Gone, "", at(9)}}, 0.8, true},
		"unproven does not count":   {[]Turn{{Unproven, "", at(0)}, {Up, "", at(9)}}, 1, true},
	} {
		if part, ok := Uptime(c.turns, at(0), at(10)); ok != c.ok || part < c.part-1e-9 || part > c.part+1e-9 {
			t.Errorf("%s: %v %v", says, part, ok)
		}
	}
}

// TestAged: a verdict that nobody renews is unproven, says what it was, and tells its age all the while.
func TestAged(t *testing.T) {
	t.Parallel()
	at := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	kept := []Health{{Name: "ps-1", Verdict: Up, Since: at, Checked: at}, {Name: "ps-2", Verdict: Gone, Since: at,
		Checked: at, Says: "refused"}}
	for after, want := range map[time.Duration][]Verdict{0: {Up, Gone}, 45 * time.Second: {Up, Gone},
		46 * time.Second: {Unproven, Unproven}, time.Hour: {Unproven, Unproven}} {
		got := Aged(kept, at.Add(after), 10*time.Second)
		for i, h := range got {
			if h.Verdict != want[i] || *h.Age != int(after/time.Second) {
				t.Errorf("after %v: %+v", after, h)
			}
			if h.Verdict == Unproven && (h.Last != kept[i].Verdict || !strings.Contains(h.Says, "nobody has probed it for")) {
				t.Errorf("after %v it does not say what it was: %+v", after, h)
			}
		}
	}
	if kept[0].Verdict != Up || kept[0].Age != nil {
		t.Error("what is kept was changed")
	}
}
