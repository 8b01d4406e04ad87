package directory

import (
	"encoding/json"
	"time"
)

// A PastRow is what a source said of a user for a while.
type PastRow struct {
	Source     string          `json:"source"`
	ExternalID string          `json:"external_id"`
	Name       string          `json:"name"`
	Attributes json.RawMessage `json:"attributes"`
	From       time.Time       `json:"from"`
	To         *time.Time      `json:"to" doc:"Null for what holds now."`
}

// A PastPick is a queue that somebody had picked for a while.
type PastPick struct {
	Person string     `json:"person"`
	Queue  string     `json:"queue"`
	From   time.Time  `json:"from"`
	To     *time.Time `json:"to"`
}

// PersonData is what the directory and its history hold of a person.
type PersonData struct {
	Directory []PastRow      `json:"directory"`
	Picks     []PastPick     `json:"picks"`
	Links     []Link         `json:"links"`
	Notes     []WrittenNote  `json:"notes" doc:"What is written down about them."`
	Printing  []PastPrinting `json:"printing" doc:"Through which queues of print servers they printed."`
	Jobs      []PastJob      `json:"jobs" doc:"What they printed through the gateway."`
}

// PastJob is what is kept of a job at the gateway.
type PastJob struct {
	ID     int64      `json:"id"`
	Queue  string     `json:"queue"`
	Name   string     `json:"name"`
	State  string     `json:"state"`
	Device string     `json:"device,omitempty"`
	Pages  int        `json:"pages"`
	Bytes  int64      `json:"bytes"`
	Kept   bool       `json:"kept" doc:"Its document is there still."`
	Charge string     `json:"charge,omitempty"`
	At     time.Time  `json:"at"`
	Ended  *time.Time `json:"ended"`
}

// PastPrinting is what is kept of somebody's printing through one queue of a print server.
type PastPrinting struct {
	Server string    `json:"server"`
	Queue  string    `json:"queue"`
	From   string    `json:"from,omitempty" doc:"The machine."`
	Jobs   int       `json:"jobs"`
	First  time.Time `json:"first"`
	Last   time.Time `json:"last"`
}
