package job

import (
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
)

// An Origin is where a job came from, as far as that is known.
type Origin struct {
	Machine   string   `json:"machine,omitempty"`
	Host      string   `json:"host,omitempty" doc:"The session host."`
	Session   string   `json:"session,omitempty"`
	Addresses []string `json:"addresses,omitempty"`
	System    string   `json:"system,omitempty" doc:"What kind of system sent it, as it says of itself."`
	Strict    bool     `json:"strict,omitempty" doc:"It is printed as asked for, or not at all."`
	Named     string   `json:"named,omitempty" doc:"Whom the job itself names (requesting-user-name); it counts for nothing."`
}

// A Far is a job as the device that has it numbers it.
type Far struct {
	URI string
	ID  int
	Up  *time.Time // since when the device has been up; nil where it does not say
}

// A Replaced option is one that the device could not do as asked.
type Replaced struct {
	Option string `json:"option"`
	Asked  any    `json:"asked"`
	Done   any    `json:"done,omitempty" doc:"What was done instead; absent where it was left out."`
}

// A Job is one that the gateway has taken.
type Job struct {
	ID     int64  `json:"id"`
	Queue  string `json:"queue" doc:"Its queue, by the name that it had when the job came."`
	Owner  string `json:"owner" doc:"The person who was authenticated."`
	Known  bool   `json:"known" doc:"The directory knows its owner."`
	Name   string `json:"name"`
	Format string `json:"format"`
	Bytes  int64  `json:"bytes"`
	Pages  *int   `json:"pages" doc:"Impressions that it is estimated to come to; null where that is not known."`
	Take   string `json:"take" enum:"stream,keep,hold"`

	State    State      `json:"state"`
	Reasons  []string   `json:"reasons"`
	Says     string     `json:"says" doc:"A sentence for people."`
	Device   string     `json:"device,omitempty" doc:"Where it is printed."`
	Asked    Options    `json:"asked" doc:"Options as its owner chose them."`
	Defaults Options    `json:"defaults" doc:"What its queue filled in."`
	To       string     `json:"to,omitempty" doc:"The one device to which it was released."`
	Did      Options    `json:"done" doc:"What went to the device."`
	Replaced []Replaced `json:"replaced"`

	Impressions *int       `json:"impressions" doc:"What the device says to have printed; null where it says nothing."`
	Charge      string     `json:"charge,omitempty"`
	From        Origin     `json:"from"`
	At          time.Time  `json:"at"`
	Changed     time.Time  `json:"changed"`
	Began       *time.Time `json:"began" doc:"When its first byte went to the device."`
	Sent        *time.Time `json:"sent" doc:"When its last byte had."`
	Ended       *time.Time `json:"ended"`
	Due         *time.Time `json:"due" doc:"When it has waited too long."`
	Wakes       *time.Time `json:"wakes" doc:"When it is looked at again."`
	Kept        bool       `json:"kept" doc:"Its document is there."`
	Unknown     bool       `json:"unknown" doc:"It is not known whether it printed: somebody decides."`

	Raw      []byte     `json:"-"` // the job attributes as they came (RFC 8010)
	Far      Far        `json:"-"`
	EraseAt  *time.Time `json:"-"` // when the document of a finished job goes
	Tries    int        `json:"-"`
	Stopping bool       `json:"-"` // it is to be cancelled at the device
	Sender   string     `json:"-"` // the process that has it, and the number of its lease
	Fence    int64      `json:"-"`
	Held     bool       `json:"-"` // that lease has not ended
}

// Options are job template attributes by their IPP names: texts, whole numbers, truths, and lists of these.
type Options map[string]any

// Happen has an event happen to the job, with its reasons and a sentence. The error is a *TransitionError, and the job
// is as it was.
func (j *Job) Happen(e Event, says string, reasons ...string) error {
	to, err := j.State.On(e)
	if err != nil {
		return err
	}
	if len(reasons) == 0 {
		reasons = []string{"none"}
	}
	j.State, j.Reasons, j.Says = to, reasons, says
	return nil
}

// Unsent forgets where the job was sent, so that it is sent anew from its beginning.
func (j *Job) Unsent() {
	j.Device, j.Began, j.Sent, j.Far, j.Impressions = "", nil, nil, Far{}, nil
}

// NotThere is the Unknown fault for a job that is not there, or not there for whoever asks.
func NotThere(called any) error {
	return fault.New(fault.Unknown, "job-unknown", "see cirque job list", "there is no job %v", called)
}

// A Happening is written down beside what it made of a job.
type Happening struct {
	Event  Event
	Person string // who did it; "" where nobody did
	Says   string // instead of the job's own sentence
	// Take has a sender take the job for so long, under a new number; Free has it given up.
	Take   time.Duration
	Sender string
	Free   bool
	// Document is kept with the job; Erase has the one that there is erased.
	Document *Stored
	Erase    bool
	// Began says that the first byte is about to go to the device, and AllSent that the last one has.
	Began, AllSent bool
	// Quiet writes no event: only numbers have changed.
	Quiet bool
}

// A Change makes of a job what is to become of it, and says what happened; an Event of "" changes nothing.
type Change func(j *Job, reserve Reserve) (Happening, error)

// A Stored document lies on stable storage, enciphered.
type Stored struct {
	Key   []byte // its own, wrapped
	Place string // where it lies: file or database
	Bytes int64
}

// Reserve holds a job against balances of a person and, where all have room, reserves its pages there; what it had
// reserved before is given back first.
type Reserve func(person string, windows []Window, pages *int) (Judgement, error)

// A Load is how much a device has to do for us, over all services.
type Load struct {
	Busy   int // in processing or processing-stopped
	Active int // of these, the ones that a sender has in hand
	Began  time.Time
}

// A Past event of a job.
type Past struct {
	At      time.Time `json:"at"`
	Event   Event     `json:"event"`
	State   State     `json:"state"`
	Reasons []string  `json:"reasons"`
	Says    string    `json:"says"`
	Person  string    `json:"person,omitempty"`
	Device  string    `json:"device,omitempty"`
}

// A Window is a balance that a job is to be held against.
type Window struct {
	Allowance estate.Allowance
	Begins    string
	Next      *time.Time // when the next one begins
}

// A Lease is a sender's hold of a job.
type Lease struct {
	Fence    int64
	Stopping bool // somebody wants it cancelled
}

// A Filter narrows a list of jobs. Zero values do not.
type Filter struct {
	Queues       []string // by any of the names
	Device       string
	Owners       []string
	States       []State
	Open, Ended  bool
	Since, Until *time.Time
	Before       int64 // jobs with smaller numbers
	After        int64 // jobs with larger ones
	Oldest       bool  // first
	Limit        int
}
