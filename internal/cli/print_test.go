package cli

import (
	"strings"
	"testing"

	"cirque/internal/cmdline"
)

// TestPlainCells: a cell is one line, whatever is in it, and columns stay where they are.
func TestPlainCells(t *testing.T) {
	t.Parallel()
	r := &root{}
	tab := r.table("WHO", "WHAT")
	tab.add("a\nFORGED LINE", "x")
	tab.add("b", "y")
	var b strings.Builder
	tab.write(&b)
	if want := "WHO             WHAT\na\\nFORGED LINE  x\nb               y\n"; b.String() != want {
		t.Errorf("%q", b.String())
	}
}

// TestNarrow: on a terminal of 80 columns the main cell is whole, and of the others nothing is lost: they go on below.
func TestNarrow(t *testing.T) {
	t.Parallel()
	r := &root{screen: screen{width: 80}}
	tab := r.table("QUEUE", "ADDRESS", "STATE", "WHAT IS WRONG", "TO MEND IT")
	const name, address = "ardholm-booking-hall-mono-two-sided", "ipp://ps-ardholm-1.skerry.example:631/printers/hall"
	const wrong = "the queue is not ready, for the device behind it does not answer at its address"
	tab.add(name, address, "stopped", wrong, "look whether it has power")
	tab.add("b", "", "idle", "", "")
	var b strings.Builder
	tab.write(&b)
	var joined []string
	for line := range strings.Lines(b.String()) {
		line = strings.TrimRight(line, "\n")
		if n := len([]rune(line)); n > 80 {
			t.Errorf("%d columns: %q", n, line)
		}
		joined = append(joined, strings.Fields(line)...)
	}
	if !strings.Contains(b.String(), name) {
		t.Errorf("the main cell is cut:\n%s", b.String())
	}
	all := " " + strings.Join(joined, " ") + " "
	for _, word := range strings.Fields(wrong) {
		if !strings.Contains(all, " "+word+" ") {
			t.Errorf("%q is lost:\n%s", word, b.String())
		}
	}
	if wide := (&root{}).table("QUEUE"); wide.width != 0 {
		t.Error("what is piped is cut")
	}
}

// TestExactNames: blanks are shown where a person looks, and are copied as they are.
func TestExactNames(t *testing.T) {
	t.Parallel()
	if got := (&screen{width: 80}).exact("Mono 40"); got != "Mono·40" {
		t.Error(got)
	}
	if got := (&screen{}).exact("Mono 40"); got != "Mono 40" {
		t.Error(got)
	}
}

// TestProgressMovesTheCursor: what a command tells of its progress comes to the terminal as it is; what it answers has
// its control characters written out.
func TestProgressMovesTheCursor(t *testing.T) {
	t.Parallel()
	var out, errs strings.Builder
	c := wired(&root{env: func(string) string { return "" }}, cmdline.Streams{Out: &out, Err: &errs})
	c.PrintErr("\r3 of 9\r\x1b[K")
	if _, err := c.OutOrStdout().Write([]byte("a\x1b[Kb")); err != nil {
		t.Fatal(err)
	}
	if errs.String() != "\r3 of 9\r\x1b[K" || out.String() != "a\\u001b[Kb" {
		t.Errorf("%q %q", errs.String(), out.String())
	}
}
