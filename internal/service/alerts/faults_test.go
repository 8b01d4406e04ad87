package alerts

import (
	"testing"
	"time"

	"cirque/core/notice"
)

// TestFaultSince: a fault lasts since it was first seen, also where what tells of it began to count anew.
func TestFaultSince(t *testing.T) {
	t.Parallel()
	now := time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)
	ago := func(m int) time.Time { return now.Add(-time.Duration(m) * time.Minute) }
	for says, c := range map[string]struct {
		says time.Time
		seen map[string]time.Time
		want time.Time
	}{
		"new, and does not know":         {time.Time{}, nil, now},
		"seen before, and does not know": {time.Time{}, map[string]time.Time{"k": ago(9)}, ago(9)},
		"it knows, and it is older":      {ago(20), map[string]time.Time{"k": ago(9)}, ago(20)},
		"it counts anew":                 {ago(1), map[string]time.Time{"k": ago(9)}, ago(9)},
		"another was seen":               {ago(1), map[string]time.Time{"other": ago(9)}, ago(1)},
	} {
		f := aFault{notice.Fault{Key: "k", Since: c.says}}
		if f.since(c.seen, now); !f.Since.Equal(c.want) {
			t.Errorf("%s: %s, want %s", says, f.Since, c.want)
		}
	}
}
