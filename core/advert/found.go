package advert

import (
	"fmt"
	"net/url"
	"path"
	"strings"
	"time"
)

// A Seek says which printer entries of a directory are looked for; all of it must hold.
type Seek struct {
	Words    []string // each in the name, an old name, the description, the location or the model
	Place    string   // in the location
	Colour   bool
	TwoSided bool
	URI      string // exactly
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
	// Server gives what was read of the print server at an authority such as ps-1.example:631; ok is false where none
	// is known there, or it was not read well the last time.
	Server func(authority string) (s Server, ok bool)
	// Device says whether a device is known at an authority, and how it was called.
	Device func(authority string) (name string, ok bool)
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
	at := authority(u)
	if s, ok := known.Server(at); ok {
		queue := path.Base(u.Path)
		if s.Has(queue) {
			f.State, f.Says = Leads, fmt.Sprintf("%s had the queue %s when it was read %s", s.Name, queue, age(s.At, now))
			return
		}
		f.State, f.Says = Gone, fmt.Sprintf("%s has no queue %s, by its reading of %s", s.Name, queue, age(s.At, now))
		return
	}
	if name, ok := known.Device(at); ok {
		f.State, f.Says = Leads, "straight to the device "+name
	}
}

func age(at, now time.Time) string {
	return fmt.Sprintf("%s ago", now.Sub(at).Round(time.Second))
}

// Authority is the host and port of a printer's URI, with the port that its scheme stands for.
func Authority(uri string) string {
	u, err := url.Parse(uri)
	if err != nil {
		return ""
	}
	return authority(u)
}

func authority(u *url.URL) string {
	port := u.Port()
	if port == "" {
		port = map[string]string{"http": "80", "https": "443", "socket": "9100", "lpd": "515"}[u.Scheme]
	}
	if port == "" {
		port = "631"
	}
	return strings.ToLower(u.Hostname()) + ":" + port
}
