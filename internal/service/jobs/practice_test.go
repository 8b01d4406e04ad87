package jobs

import (
	"io"
	"strings"
	"testing"

	"cirque/core/directory"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/internal/testkit/rooms"
)

// TestPractice: a queue for practice takes jobs and prints nothing; one for work without a device is refused.
func TestPractice(t *testing.T) {
	w := rooms.New(t, `
estate: 1
queues:
  - {name: classroom, purpose: practice, paths: [{gateway: true}]}
  - {name: hall, paths: [{gateway: true}]}
  - {name: fair, paths: [{gateway: true}], until: 2026-11-01}
`, directory.Records{})
	s := New(Config{Present: w.Present, Now: w.Now, Log: rooms.Quiet})
	r, err := job.RouteOf(w.Present.View().World, "classroom", w.Now())
	if err != nil {
		t.Fatal(err)
	}
	var sheet io.Reader
	out, to, err := s.first(t.Context(), r, job.Document{}, func(h job.Hop) (io.Reader, error) {
		sheet = strings.NewReader(h.Device)
		return sheet, nil
	})
	if err != nil || to != "nothing" || out.State != "completed" || !strings.Contains(out.Says, "nothing is printed") {
		t.Error(out, to, err)
	}
	if _, err := job.RouteOf(w.Present.View().World, "hall", w.Now()); !fault.Is(err, fault.Unavailable) {
		t.Errorf("a queue without a device: %v", err)
	}
	if _, err := job.RouteOf(w.Present.View().World, "fair", w.Now()); !fault.Is(err, fault.Denied) {
		t.Errorf("a queue that has ended: %v", err)
	}
}
