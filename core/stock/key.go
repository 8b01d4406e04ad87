package stock

import "time"

// Kinds of stored keys.
const (
	SignIn = "sign-in"  // a name and password, for servers and devices over IPP
	SNMP   = "snmp"     // a community (RFC 1901)
	SNMP3  = "snmp-usm" // a user with authentication and, where given, privacy (RFC 3414)
)

// A Key lets Cirque in somewhere. It never prints its secrets.
type Key struct {
	Name    string
	Kind    string
	User    string
	Secret  string // the password, the community, or the authentication's
	Privacy string // of snmp-usm
	Clear   bool   // may be sent where others can read it
	Outcome string // set by whoever uses it: works, refused, or nothing where it was not needed
}

// String hides what is secret.
func (k Key) String() string { return k.Kind + " " + k.Name }

// GoString hides it from %#v too.
func (k Key) GoString() string { return k.String() }

// A Credential is a stored key as it may be shown.
type Credential struct {
	Name string   `json:"name"`
	Kind string   `json:"kind" enum:"sign-in,snmp,snmp-usm"`
	User string   `json:"user,omitempty"`
	For  []string `json:"for" doc:"What it is for: server:NAME, device:NAME, notice:NAME (its posts) or mail (the mail server); of an SNMP community also the addresses and networks of scans."`
	// Bound are the addresses that those had when the key was entered.
	Bound   map[string]string `json:"bound,omitempty" doc:"The address of each when the key was entered. It goes nowhere else: where one has moved, the key is entered again."`
	Clear   bool              `json:"allow_clear,omitempty" doc:"It may be sent without TLS, where others can read it."`
	Expires *time.Time        `json:"expires" doc:"When its owner says it ends."`
	Author  string            `json:"author"`
	At      time.Time         `json:"at" doc:"When it was entered."`
	State   string            `json:"state" enum:"works,refused,unproven" doc:"What came of its last use; unproven: it could not be told."`
	Says    string            `json:"says"`
	Checked *time.Time        `json:"checked"`
}

// ExpiresSoon is how long before its end a credential is warned of.
const ExpiresSoon = 14 * 24 * time.Hour

// A Job is one that a server or device has or had.
type Job struct {
	ID      int        `json:"id"`
	Queue   string     `json:"queue"`
	Name    string     `json:"name,omitempty"`
	Owner   string     `json:"owner"`
	From    string     `json:"from,omitempty" doc:"The host that sent it, where the server says."`
	State   string     `json:"state"`
	Reasons []string   `json:"reasons,omitempty"`
	Message string     `json:"message,omitempty" doc:"What the server says of it, such as why it could not send it on."`
	KiB     int        `json:"kib,omitempty"`
	Pages   int        `json:"pages,omitempty"`
	At      *time.Time `json:"at" doc:"When it was made, or, of a finished one, finished."`
}

// Done says whether a job has ended, well or not (RFC 8011, section 5.3.7).
func (j Job) Done() bool {
	return j.State == "completed" || j.State == "canceled" || j.State == "aborted"
}

// A WaitingJob is a job that waits on a server, with what becomes of it.
type WaitingJob struct {
	Job
	Person  string `json:"person,omitempty" doc:"Whose it is, where a directory knows its owner."`
	Becomes string `json:"becomes"`
}

// Waiting is what waits on a server.
type Waiting struct {
	Server string       `json:"server"`
	Says   string       `json:"says"`
	At     *time.Time   `json:"at" doc:"When they were read; null where the server has never been read."`
	Now    bool         `json:"now" doc:"They were read just now; else it is what the server told last."`
	Total  int          `json:"total" doc:"How many jobs wait, by the server's own count; more than are listed where there are many."`
	Jobs   []WaitingJob `json:"jobs"`
}

// SignInOf gives the first key that is a name and password; nil where none is.
func SignInOf(keys []Key) *Key {
	for i := range keys {
		if keys[i].Kind == SignIn {
			return &keys[i]
		}
	}
	return nil
}
