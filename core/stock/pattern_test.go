package stock

import (
	"strings"
	"testing"
)

func TestPattern(t *testing.T) {
	t.Parallel()
	words := []string{"place", "model", "n"}
	for pattern, want := range map[string]string{"{place}-{model}-{n}": "", "plain": "",
		"{plac}-{n}": "did you mean {place}?", "{x}": "write {place}, {model}, {n}",
		"{place": "did you mean {place}?", "n}{": "write {place}", "{}": "write {place}"} {
		err := CheckPattern(pattern, words, "a device")
		if (want == "") != (err == nil) || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", pattern, err)
		}
	}
	// What stands in for a word is not read as a pattern again.
	if got := Fill("{place}-{n}", map[string]string{"place": "{n}", "n": "2"}); got != "{n}-2" {
		t.Error(got)
	}
}
