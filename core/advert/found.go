package advert

import (
	"fmt"
	"net/url"
	"path"
	"time"

	"cirque/core/words"
)

// A Seek says which printer entries of a directory are looked for; all of it must hold.
type Seek struct {
	Words    []string // each in the name, an old name, the description, the location or the model
	Place    string   // in the location
	Colour   bool
	TwoSided bool
	DN       string // this one alone
}

// A Found is a printer entry as it stands in a directory, whoever wrote it.
type Found struct {
	Source   string `json:"source"`
	DN       string `json:"dn"`
	Name     string `json:"name"`
	URI      string `json:"uri,omitempty"`
	Location string `json:"location,omitempty"`
	Info     string `json:"info,omitempty"`
	Model    string `json:"model,omitempty"`
	Colour   bool   `json:"colour"`
	TwoSided bool   `json:"two_sided"`
	State    State  `json:"state" enum:"ours,leads,gone,unknown"`
	Says     string `json:"says" doc:"What is known of where it leads, with its age."`
}

// A State is what is known of where an entry leads.
type State string

// The states. Unknown is nothing proven: nobody has read what it leads to.
const (
	Ours    State = "ours"    // Cirque wrote it, and keeps it
	Leads   State = "leads"   // to a queue or device that answered when it was last read
	Gone    State = "gone"    // to a server that was read, and has no such queue
	Unknown State = "unknown" // to something that nobody has read
)

// Known is what is known of servers and devices.
type Known struct {
	Ours func(dn string) bool
	// Server gives what was read of the print server to which a URI leads; ok is false where none is known there, or it
	// was not read well the last time.
	Server func(uri string) (s Server, ok bool)
	// Device says whether a device is known where a URI leads, and how it is called.
	Device func(uri string) (name string, ok bool)
}

// A Server is a print server as it was read.
type Server struct {
	Name string
	At   time.Time
	Has  func(queue string) bool
}

// Judge says what is known of where an entry leads.
func (f *Found) Judge(known Known, now time.Time) {
	f.State, f.Says = Unknown, "nobody has read what it leads to"
	u, err := url.Parse(f.URI)
	switch {
	case known.Ours(f.DN):
		f.State, f.Says = Ours, "written by Cirque, which keeps it as the estate says"
		return
	case f.URI == "" || err != nil || u.Host == "":
		f.Says = "it names no address"
		return
	}
	if s, ok := known.Server(f.URI); ok {
		queue, age := path.Base(u.Path), words.Span(now.Sub(s.At))
		if s.Has(queue) {
			f.State, f.Says = Leads, fmt.Sprintf("%s had the queue %s when it was read %s ago", s.Name, queue, age)
			return
		}
		f.State, f.Says = Gone, fmt.Sprintf("%s has no queue %s, by its reading of %s ago", s.Name, queue, age)
		return
	}
	if name, ok := known.Device(f.URI); ok {
		f.State, f.Says = Leads, "straight to the device "+name
	}
}
