package job

import "time"

// An About is what a device says of itself before a job goes there.
type About struct {
	Up        *time.Time // since when it has been up; nil where it does not say
	Stopped   bool
	Refuses   bool // it takes no jobs
	Reasons   []string
	Creates   bool // it takes jobs by Create-Job and Send-Document
	Answers   bool // it can be asked about its jobs
	Formats   []string
	Able      map[string][]string // values by option
	Own       map[string]any      // its own defaults
	Compress  bool                // it takes gzip
	Connected string              // the URI at which it answered
}

// A Ticket is what goes to a device with a document.
type Ticket struct {
	Name    string
	Owner   string
	Format  string
	Options Options
	Raw     []byte // attributes as they came: those whose values are still the same go on as they are
}

// A Status is what a device says of a job.
type Status struct {
	ID          int
	Name        string
	State       State
	Reasons     []string
	Impressions *int // completed so far; nil where it says nothing
	Says        string
}

// SameBoot says whether two times since which a device has been up are those of one start: it counts in seconds, and
// clocks wander.
func SameBoot(a, b *time.Time) bool {
	return a != nil && b != nil && a.Sub(*b).Abs() <= 2*time.Second
}
