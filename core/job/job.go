// Package job describes documents on their way to a device, and what the far end says of them.
package job

// A Document says what is being sent; the bytes travel beside it.
type Document struct {
	Name   string
	Owner  string // the person whose job it is
	Format string // MIME type
}

// An Outcome is what the far end answered.
type Outcome struct {
	JobID int    `json:"job_id" doc:"The number that the device gave the job."`
	State string `json:"state" doc:"The job's state there (RFC 8011, section 5.3.7)."`
	Says  string `json:"says" doc:"The device's status, in its own words."`
}
