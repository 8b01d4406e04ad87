package continuity

import (
	"strings"
	"testing"

	"cirque/core/live"
)

func TestFate(t *testing.T) {
	t.Parallel()
	for want, got := range map[string]string{
		"prints once that is back; whoever needs it now":    Fate(live.Serving, Gone, false, true),
		"prints once that is back; nothing else serves":     Fate(live.Drained, Gone, true, false),
		"until the queue is started on the server; whoever": Fate(live.Drained, Up, true, true),
		"prints there before the server is empty":           Fate(live.Drained, Up, false, true),
		"is not proven":         Fate(live.Serving, Unproven, false, true),
		"it prints in its turn": Fate(live.Serving, Up, false, true),
	} {
		if !strings.Contains(got, want) {
			t.Errorf("%q lacks %q", got, want)
		}
	}
}
