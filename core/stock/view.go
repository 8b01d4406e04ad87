package stock

import (
	"time"
)

// A ServerView is a print server with how it stands.
type ServerView struct {
	Watch
	InEstate    bool       `json:"in_estate" doc:"The published estate names it."`
	Kept        bool       `json:"kept" doc:"Cirque makes and holds its queues."`
	Registered  bool       `json:"registered" doc:"Somebody registered it by hand."`
	Duty        string     `json:"duty" enum:"serving,drained,down"`
	Sets        []string   `json:"sets" doc:"The server sets in which it is a member."`
	Check       *Check     `json:"check" doc:"The last try to read it; null before the first."`
	Count       Counter    `json:"count"`
	Listing     string     `json:"listing,omitempty"`
	Started     *time.Time `json:"started"`
	Restarts    int        `json:"restarts"`
	Drivers     int        `json:"drivers" doc:"How many different drivers its queues have."`
	Differences int        `json:"differences" doc:"To the estate, without mere notes."`
}

// A QueueView is a queue on a server, with the estate's queues that lead there.
type QueueView struct {
	Queue
	Server string    `json:"server"`
	Leads  []string  `json:"leads" doc:"The estate's queues that lead to it."`
	Read   time.Time `json:"read" doc:"When it was read."`
}

// A ServerSheet is all about one server.
type ServerSheet struct {
	ServerView
	Queues  []QueueView  `json:"queues"`
	Differs []Difference `json:"differs"`
}

// A DeviceView is a device with how it stands.
type DeviceView struct {
	Watch
	InEstate   bool         `json:"in_estate"`
	Registered bool         `json:"registered"`
	Check      *Check       `json:"check"`
	Reading    *Device      `json:"reading" doc:"The last that it told; null before the first."`
	Identity   Identity     `json:"identity" doc:"By which it is recognised."`
	Queues     []string     `json:"queues" doc:"The estate's queues behind which it is."`
	Differs    []Difference `json:"differs"`
	Driverless bool         `json:"driverless" doc:"It takes a format that every driverless client can make."`
}

// A TestSheet says where a test page went, and what became of it.
type TestSheet struct {
	Kind   string `json:"kind" enum:"server,device"`
	Name   string `json:"name"`
	Queue  string `json:"queue,omitempty"`
	SentTo string `json:"sent_to"`
	Format string `json:"format"`
	Job    Job    `json:"job"`
	Result string `json:"result" enum:"yes,no,unproven" doc:"yes: the job is completed; no: it ended otherwise, or the printer says why it does not go on; unproven: neither within the time."`
	Says   string `json:"says"`
	// Recorded says that it is in the audit.
	Recorded bool `json:"recorded" doc:"It is in the audit; false where that could not be written."`
}
