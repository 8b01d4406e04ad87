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
	r, err := s.route("classroom")
	if err != nil {
		t.Fatal(err)
	}
	out, err := s.Deliver(t.Context(), r, job.Document{Name: "x"}, strings.NewReader("a page"))
	if err != nil || out.State != "completed" || !strings.Contains(out.Says, "6 bytes were taken, and nothing is printed") {
		t.Errorf("%+v %v", out, err)
	}
	var sheet io.Reader
	_, to, err := s.first(t.Context(), r, job.Document{}, func(h Hop) (io.Reader, error) {
		sheet = strings.NewReader(h.Device)
		return sheet, nil
	})
	if err != nil || to != "nothing" {
		t.Error(to, err)
	}
	if _, err := s.route("hall"); !fault.Is(err, fault.Unavailable) {
		t.Errorf("a queue without a device: %v", err)
	}
	if _, err := s.route("fair"); !fault.Is(err, fault.Denied) {
		t.Errorf("a queue that has ended: %v", err)
	}
}
