package document

import (
	"runtime"
	"strings"
	"testing"
)

// TestBombs: documents made to exhaust memory are refused, with their place, before much is built of them.
func TestBombs(t *testing.T) { //nolint:paralleltest // it measures memory
	for what, c := range map[string]struct{ text, says string }{
		"aliases":      {"a: &a x\nb: [" + strings.Repeat("*a,", 3<<20) + "]", "d.yaml:2: too many aliases"},
		"long aliases": {"a: &abcdefgh x\nb: [" + strings.Repeat("*abcdefgh,", 1<<20) + "]", "d.yaml:2: too many aliases"},
		"zeros":        {"estate: 1\nqueues: [" + strings.Repeat("0,", 5<<20) + "]", "d.yaml:2: too dense"},
		"in a comment": {"# '\nqueues: [" + strings.Repeat("0,", 5<<20) + "]", "d.yaml:2: too dense"},
		"JSON":         {`{"queues":[` + strings.Repeat("0,", 5<<20) + "0]}", "d.yaml:1: too dense"},
		"lists":        {strings.Repeat(strings.Repeat("- ", 60)+"\n", 100_000), "too dense"},
		"keys":         {strings.Repeat("? ", 5<<20), "too dense"},
		"documents":    {strings.Repeat("---\n", 3<<20), "too dense"},
		"depth":        {strings.Repeat("[", 5<<20), "too dense"},
		"large":        {"queues:\n" + strings.Repeat("- a name of some length\n", maxNodes/2), "too large"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		var r Reader
		r.Read(File{Name: "d.yaml", Text: c.text})
		runtime.ReadMemStats(&after)
		got := ""
		first, _ := r.Problems()
		for _, d := range first {
			got += d.Place + ": " + d.What + "\n"
		}
		if !strings.Contains(got, c.says) {
			t.Errorf("%s: %s", what, got)
		}
		if used := after.TotalAlloc - before.TotalAlloc; used > 2*uint64(len(c.text))+1<<20 {
			t.Errorf("%s: %d bytes for %d", what, used, len(c.text))
		}
	}
}

// TestFirstProblems: of very many the first fifty are told, in the order of their lines, and how many more there are.
func TestFirstProblems(t *testing.T) {
	t.Parallel()
	var r Reader
	docs := r.Read(File{Name: "d.yaml", Text: "x: [" + strings.Repeat("\n y,", 5000) + "\n]"})
	list, _ := docs[0].Object(nil)
	all := list.fields["x"].List()
	for i := range all { // the last first
		all[len(all)-1-i].Complain("", "wrong")
	}
	if got, n := r.Problems(); n != 5000 || len(got) != maxProblems || got[0].Place != "d.yaml:2" ||
		got[maxProblems-1].Place != "d.yaml:51" {
		t.Errorf("%d problems of %d: %v, %v", len(got), n, got[0], got[len(got)-1])
	}
}
