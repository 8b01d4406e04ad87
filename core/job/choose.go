package job

import (
	"cmp"
	"slices"
	"time"
)

// A Candidate is a device to which a job may go, and what is known of it.
type Candidate struct {
	Device  string
	Down    bool      // it counts as down
	Refuses bool      // its last reading says that it takes no jobs
	Busy    int       // jobs of ours in processing or processing-stopped there, over all services and queues
	Began   time.Time // when the first byte of the latest job of ours went there; zero where none ever has
}

// Choose gives the candidates that can take a job, in the order in which they are tried: fewest jobs of ours first,
// then the one that began its latest longest ago, one that never had any before all, then by name.
func Choose(list []Candidate) []string {
	fit := slices.DeleteFunc(slices.Clone(list), func(c Candidate) bool { return c.Down || c.Refuses })
	slices.SortFunc(fit, func(a, b Candidate) int {
		return cmp.Or(cmp.Compare(a.Busy, b.Busy), a.Began.Compare(b.Began), cmp.Compare(a.Device, b.Device))
	})
	out := make([]string, len(fit))
	for i, c := range fit {
		out[i] = c.Device
	}
	return out
}
