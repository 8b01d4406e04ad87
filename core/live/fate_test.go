package live

import (
	"strings"
	"testing"
)

func TestFate(t *testing.T) {
	t.Parallel()
	for want, got := range map[string]string{
		"prints once that is back; whoever needs it now":    Fate(Serving, Gone, false, true),
		"prints once that is back; nothing else serves":     Fate(Drained, Gone, true, false),
		"until the queue is started on the server; whoever": Fate(Drained, Up, true, true),
		"prints there before the server is empty":           Fate(Drained, Up, false, true),
		"is not proven":         Fate(Serving, Unproven, false, true),
		"it prints in its turn": Fate(Serving, Up, false, true),
	} {
		if !strings.Contains(got, want) {
			t.Errorf("%q lacks %q", got, want)
		}
	}
}
