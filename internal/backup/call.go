package backup

import "time"

// A Call is what a backup is to be made with or read by.
type Call struct {
	Settings   string   // the file with the service's settings; empty where there is none
	Passphrase string   // empty where keys are used
	For        []string // public keys
	Keys       []byte   // a file that opens
	// Tell hears how far it is: what is copied, and how many octets of about how many.
	Tell func(what string, done, about int64)
}

// Told tells how far it is, where somebody listens.
func (c Call) Told(what string, done, about int64) {
	if c.Tell != nil {
		c.Tell(what, done, about)
	}
}

// A Result is what a backup holds.
type Result struct {
	Made     time.Time `json:"made"`
	By       string    `json:"by" doc:"The version of Cirque."`
	Machine  string    `json:"machine"`
	Revision int       `json:"revision"`
	Rows     int64     `json:"rows"`
	Bytes    int64     `json:"bytes" doc:"That the database takes."`
	Written  int64     `json:"written" doc:"Octets of the file."`
	Seconds  float64   `json:"seconds" doc:"How long it took."`
	Entries  []Entry   `json:"entries"`
	Beside   []string  `json:"beside,omitempty" doc:"Files that the service had elsewhere than in its data directory."`
}

// An Entry is a file or a table in a backup.
type Entry struct {
	Name string `json:"name"`
	Sum
}
