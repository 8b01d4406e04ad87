// Package stock is what was found: print servers with their queues, devices with what they can do, their identity, and
// how all of it differs from the estate. It turns what was found into estate. It reaches nothing itself.
package stock

import (
	"maps"
	"slices"
	"strings"
	"time"
)

// Kinds of what is watched.
const (
	KindServer = "server"
	KindDevice = "device"
)

// A Watch is a server or device that somebody registered; what the estate names is watched besides.
type Watch struct {
	Kind          string     `json:"kind" enum:"server,device"`
	Name          string     `json:"name"`
	Title         string     `json:"title,omitempty"`
	URI           string     `json:"uri"`
	Location      string     `json:"location,omitempty"`
	MAC           string     `json:"mac,omitempty"`
	AddressKeptBy string     `json:"address_kept_by,omitempty" enum:"reservation,static,unknown"`
	Machine       string     `json:"machine,omitempty" doc:"Into which it is plugged; of what is on the network none."`
	Credential    string     `json:"credential,omitempty" doc:"The stored sign-in or key that is used; the one that is for it when absent."`
	Entered       string     `json:"-"` // the URI for which the credential was named
	Note          string     `json:"note,omitempty"`
	Author        string     `json:"author"`
	At            *time.Time `json:"at" doc:"When it was registered; null where the estate alone names it."`
}

// A Check is the last try to read something, in plain words.
type Check struct {
	At       time.Time  `json:"at"`
	OK       bool       `json:"ok"`
	Code     string     `json:"code,omitempty" doc:"Of the failure, such as name-not-found, refused, silent, not-ipp, certificate or sign-in."`
	Says     string     `json:"says"`
	Fix      string     `json:"fix,omitempty"`
	Since    time.Time  `json:"since" doc:"Since when it has been so."`
	Answered *time.Time `json:"answered" doc:"When it last answered."`
	Millis   int        `json:"millis" doc:"How long it took."`
}

// A Server is one reading of a print server.
type Server struct {
	At       time.Time  `json:"at"`
	Product  string     `json:"product,omitempty" doc:"What the server says it is."`
	Listing  string     `json:"listing" enum:"system,spooler,single" doc:"How it listed its queues: by the system service (PWG 5100.22), by the operation of the common Unix spooler, or as the one queue at the address."`
	Started  *time.Time `json:"started" doc:"Since when it has been up; null where it does not say."`
	Restarts int        `json:"restarts" doc:"How often it was seen to have started anew."`
	Default  string     `json:"default,omitempty" doc:"Its own default queue."`
	Queues   []Queue    `json:"queues"`
	Waiting  []Job      `json:"waiting,omitempty" doc:"Jobs that wait on it, as far as they were asked about."`
}

// A Queue is a queue as a server has it.
type Queue struct {
	Name      string              `json:"name"`
	Title     string              `json:"title,omitempty"`
	Location  string              `json:"location,omitempty"`
	Model     string              `json:"model,omitempty" doc:"Make and model, as the server's driver names it."`
	Device    string              `json:"device,omitempty" doc:"The device's URI."`
	URI       string              `json:"uri"`
	State     string              `json:"state" enum:"idle,processing,stopped,unknown"`
	Reasons   []string            `json:"reasons,omitempty"`
	Message   string              `json:"message,omitempty"`
	Accepting bool                `json:"accepting"`
	Shared    *bool               `json:"shared,omitempty"`
	Jobs      int                 `json:"jobs" doc:"Waiting jobs."`
	Defaults  map[string]any      `json:"defaults,omitempty" doc:"Options that it was given, by their IPP names."`
	Supported map[string][]string `json:"supported,omitempty" doc:"The values that options take."`
	Formats   []string            `json:"formats,omitempty"`
	Allowed   []string            `json:"allowed,omitempty" doc:"Who alone may print, by name; everybody when absent."`
	Denied    []string            `json:"denied,omitempty" doc:"Who may not print, by name."`
	Package   string              `json:"package,omitempty" doc:"The digest of the driver package that it was set up with, where Cirque keeps the server."`
	Units     string              `json:"units,omitempty" doc:"What is fitted, in words, where Cirque keeps the server."`
	Changed   int                 `json:"changed,omitempty" doc:"When its settings changed, in seconds of the server's up time or of the epoch: equal means unchanged."`
}

// Ready says whether a queue prints just now.
func (q Queue) Ready() bool { return q.State != "stopped" && q.Accepting }

// A Device is one reading of a device.
type Device struct {
	At        time.Time           `json:"at"`
	Answers   []Answer            `json:"answers" doc:"What was asked over which protocol, in order."`
	Maker     string              `json:"maker,omitempty"`
	Model     string              `json:"model,omitempty"`
	Serial    string              `json:"serial,omitempty"`
	UUID      string              `json:"uuid,omitempty"`
	MAC       string              `json:"mac,omitempty"`
	Name      string              `json:"name,omitempty" doc:"What it calls itself."`
	Location  string              `json:"location,omitempty" doc:"Where it says it is."`
	Firmware  string              `json:"firmware,omitempty"`
	State     string              `json:"state" enum:"idle,processing,stopped,unknown"`
	Reasons   []string            `json:"reasons,omitempty"`
	Message   string              `json:"message,omitempty"`
	Formats   []string            `json:"formats,omitempty"`
	Languages []string            `json:"languages,omitempty" doc:"Page languages, where the device says."`
	Colour    *bool               `json:"colour,omitempty"`
	TwoSided  *bool               `json:"two_sided,omitempty"`
	Trays     []string            `json:"trays,omitempty" doc:"By its own names, else as media sources."`
	Dots      []string            `json:"dots,omitempty" doc:"Resolutions, such as 600x600dpi."`
	Defaults  map[string]any      `json:"defaults,omitempty"`
	Supported map[string][]string `json:"supported,omitempty"`
	Able      map[string][]string `json:"able,omitempty" doc:"All that a driverless client may ask of it, by option."`
	Refuses   bool                `json:"refuses,omitempty" doc:"It takes no jobs."`
	Supplies  []Supply            `json:"supplies,omitempty"`
	Pages     int                 `json:"pages,omitempty" doc:"Its page counter."`
	Jobs      int                 `json:"jobs"`
	URI       string              `json:"uri,omitempty" doc:"Where it answered IPP."`
}

// An Answer is what came of asking over one protocol. Nothing proven is a third result beside yes and no.
type Answer struct {
	Protocol string `json:"protocol" enum:"ipp,snmp,raw"`
	Result   string `json:"result" enum:"yes,no,unproven"`
	Says     string `json:"says"`
}

// A Supply is toner, ink, labels and the like.
type Supply struct {
	Name  string `json:"name"`
	Level *int   `json:"level" doc:"Percent; null where the device does not know."`
}

// Ready says whether a device prints just now.
func (d Device) Ready() bool { return d.State == "idle" || d.State == "processing" }

// A Counter of the found, for the heads of lists.
type Counter struct {
	Queues   int `json:"queues"`
	NotReady int `json:"not_ready"`
	WithJobs int `json:"with_jobs"`
	Jobs     int `json:"jobs"`
}

// Count counts a server's queues.
func (s *Server) Count() Counter {
	var c Counter
	if s == nil {
		return c
	}
	c.Queues = len(s.Queues)
	for _, q := range s.Queues {
		if !q.Ready() {
			c.NotReady++
		}
		if q.Jobs > 0 {
			c.WithJobs++
			c.Jobs += q.Jobs
		}
	}
	return c
}

// Find gives a queue by its name on the server.
func (s *Server) Find(name string) *Queue {
	if s == nil {
		return nil
	}
	for i := range s.Queues { // by place: a queue is long to copy
		if s.Queues[i].Name == name {
			return &s.Queues[i]
		}
	}
	return nil
}

// ByName gives its queues by their names, for whoever looks for many.
func (s *Server) ByName() map[string]*Queue {
	out := map[string]*Queue{}
	if s == nil {
		return out
	}
	for i := range s.Queues {
		if out[s.Queues[i].Name] == nil {
			out[s.Queues[i].Name] = &s.Queues[i]
		}
	}
	return out
}

// Names gives the names of its queues, sorted. whole says that it told of all that it has: one that answered as the one
// queue at an address did not.
func (s *Server) Names() (names []string, whole bool) {
	names = make([]string, 0, len(s.Queues))
	for i := range s.Queues {
		names = append(names, s.Queues[i].Name)
	}
	slices.Sort(names)
	return slices.Compact(names), s.Listing != "single"
}

// sameOptions compares options as they read; numbers of any type are the same where they are written the same.
func sameOptions(a, b map[string]any) bool {
	return maps.EqualFunc(a, b, func(x, y any) bool { return Text(x) == Text(y) })
}

// Slug turns free text into a name of the estate: small letters, digits and dashes, at most 63; "" where nothing is
// left.
func Slug(s string) string {
	var b strings.Builder
	dash := false
	for _, r := range strings.ToLower(s) {
		if plain, ok := plainLetters[r]; ok {
			r = plain
		}
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			if dash && b.Len() > 0 {
				b.WriteByte('-')
			}
			dash = false
			b.WriteRune(r)
			continue
		}
		dash = true
	}
	out := b.String()
	return strings.Trim(out[:min(len(out), 63)], "-")
}

var plainLetters = map[rune]rune{'å': 'a', 'ä': 'a', 'á': 'a', 'à': 'a', 'â': 'a', 'ã': 'a', 'æ': 'a', 'ç': 'c',
	'é': 'e', 'è': 'e', 'ê': 'e', 'ë': 'e', 'í': 'i', 'ì': 'i', 'î': 'i', 'ï': 'i',
	'ñ': 'n', 'ó': 'o', 'ò': 'o', 'ô': 'o', 'ö': 'o', 'õ': 'o', 'ø': 'o', 'ú': 'u', 'ù': 'u', 'û': 'u', 'ü': 'u',
	'ý': 'y', 'ß': 's'}
