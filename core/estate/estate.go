// Package estate holds the estate: everything that the administrator has decided, as one document of lists. It reads
// the document strictly, checks it as a whole, and writes it back in a stable order.
package estate

import (
	"net/netip"

	"cirque/core/span"
)

// Version is the format's version, the value of the key "estate".
const Version = 1

// A Document is a whole estate. Lists keep the order in which they were written; Sorted brings them into the order of
// export.
type Document struct {
	Estate     int         `json:"estate" yaml:"estate"`
	Locations  []Location  `json:"locations,omitempty" yaml:"locations,omitempty"`
	Subnets    []Subnet    `json:"subnets,omitempty" yaml:"subnets,omitempty"`
	Stations   []Station   `json:"stations,omitempty" yaml:"stations,omitempty"`
	Drivers    []Driver    `json:"drivers,omitempty" yaml:"drivers,omitempty"`
	Servers    []Server    `json:"servers,omitempty" yaml:"servers,omitempty"`
	ServerSets []ServerSet `json:"server_sets,omitempty" yaml:"server_sets,omitempty"`
	Devices    []Device    `json:"devices,omitempty" yaml:"devices,omitempty"`
	Queues     []Queue     `json:"queues,omitempty" yaml:"queues,omitempty"`
	Grants     []Grant     `json:"grants,omitempty" yaml:"grants,omitempty"`
	Notices    []Notice    `json:"notices,omitempty" yaml:"notices,omitempty"`
	Promises   []Promise   `json:"promises,omitempty" yaml:"promises,omitempty"`
	Charges    []Charge    `json:"charges,omitempty" yaml:"charges,omitempty"`
	Allowances []Allowance `json:"allowances,omitempty" yaml:"allowances,omitempty"`
	Settings   *Settings   `json:"settings,omitempty" yaml:"settings,omitempty"`
}

// A Location is one node of the tree of places; the first segment of its path is the site.
type Location struct {
	Path     string    `json:"path" yaml:"path" doc:"Segments divided by slashes; the first is the site."`
	Title    string    `json:"title,omitempty" yaml:"title,omitempty"`
	Timezone string    `json:"timezone,omitempty" yaml:"timezone,omitempty" doc:"IANA name; sites only, else UTC."`
	Cut      span.Span `json:"cut,omitempty" yaml:"cut,omitempty" doc:"For how long the site's line may be cut at most, 1d to 365d; sites only. Agents' certificates there last at least so long."`
	Note     string    `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Subnet ties a range of addresses to a location.
type Subnet struct {
	CIDR     netip.Prefix `json:"cidr" yaml:"cidr"`
	Location string       `json:"location" yaml:"location"`
	Note     string       `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Station is a machine that no directory knows.
type Station struct {
	Name      string       `json:"name" yaml:"name"`
	Title     string       `json:"title,omitempty" yaml:"title,omitempty"`
	Addresses []netip.Addr `json:"addresses,omitempty" yaml:"addresses,flow,omitempty"`
	Location  string       `json:"location,omitempty" yaml:"location,omitempty"`
	Platform  string       `json:"platform,omitempty" yaml:"platform,omitempty" doc:"os/arch, such as linux/x64."`
	Note      string       `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Driver is one exact driver name on one platform.
type Driver struct {
	Name     string `json:"name" yaml:"name"`
	Title    string `json:"title,omitempty" yaml:"title,omitempty"`
	Exact    string `json:"exact" yaml:"exact" doc:"The name to the letter, as the system knows it."`
	Platform string `json:"platform" yaml:"platform" doc:"os or os/arch."`
	Note     string `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Server is a print server.
type Server struct {
	Name      string  `json:"name" yaml:"name"`
	Title     string  `json:"title,omitempty" yaml:"title,omitempty"`
	URI       string  `json:"uri" yaml:"uri"`
	QueueRoot *string `json:"queue_root,omitempty" yaml:"queue_root,omitempty" doc:"What stands between the server's URI and a queue's name; printers/ when absent."`
	Location  string  `json:"location,omitempty" yaml:"location,omitempty"`
	Kept      bool    `json:"kept,omitempty" yaml:"kept,omitempty" doc:"Cirque's agent makes and holds its shared queues."`
	Machine   string  `json:"machine,omitempty" yaml:"machine,omitempty" doc:"Whose agent keeps it; the server's name when absent."`
	Platform  string  `json:"platform,omitempty" yaml:"platform,omitempty" doc:"For the drivers on it, os/arch; linux/x64 when absent."`
	Others    string  `json:"others,omitempty" yaml:"others,omitempty" enum:"leave,report" doc:"Queues on it that Cirque did not make: leave (when absent), or report as differences."`
	Note      string  `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Style says how the members of a server set share the work.
type Style string

// The styles.
const (
	Standby Style = "standby" // one at a time, in order
	Spread  Style = "spread"  // all share
)

// A ServerSet is servers that carry the same queues.
type ServerSet struct {
	Name    string   `json:"name" yaml:"name"`
	Title   string   `json:"title,omitempty" yaml:"title,omitempty"`
	Style   Style    `json:"style" yaml:"style" enum:"standby,spread"`
	Members []string `json:"members" yaml:"members,flow"`
	Note    string   `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Device is a printer.
type Device struct {
	Name          string `json:"name" yaml:"name"`
	Title         string `json:"title,omitempty" yaml:"title,omitempty"`
	URI           string `json:"uri" yaml:"uri"`
	Machine       string `json:"machine,omitempty" yaml:"machine,omitempty" doc:"Into which it is plugged; of one on the network none."`
	MAC           string `json:"mac,omitempty" yaml:"mac,omitempty" doc:"Hardware address, six pairs of hex digits."`
	AddressKeptBy string `json:"address_kept_by,omitempty" yaml:"address_kept_by,omitempty" enum:"reservation,static,unknown"`
	Location      string `json:"location,omitempty" yaml:"location,omitempty"`
	Note          string `json:"note,omitempty" yaml:"note,omitempty"`
}

// A Queue is what people print to.
type Queue struct {
	Name     string            `json:"name" yaml:"name"`
	Title    string            `json:"title,omitempty" yaml:"title,omitempty"`
	Formerly []string          `json:"formerly,omitempty" yaml:"formerly,flow,omitempty" doc:"Old names that still lead here."`
	Location string            `json:"location,omitempty" yaml:"location,omitempty"`
	Labels   []string          `json:"labels,omitempty" yaml:"labels,flow,omitempty"`
	Devices  []string          `json:"devices,omitempty" yaml:"devices,flow,omitempty" doc:"More than one is a pool."`
	Paths    []Path            `json:"paths,omitempty" yaml:"paths,omitempty" doc:"In order of preference."`
	Drivers  map[string]string `json:"drivers,omitempty" yaml:"drivers,omitempty" doc:"By platform, os or *: a driver's name or driverless."`
	Defaults map[string]any    `json:"defaults,omitempty" yaml:"defaults,omitempty" doc:"Queue options by their IPP names."`
	Access   *Access           `json:"access,omitempty" yaml:"access,omitempty"`
	Units    *Units            `json:"units,omitempty" yaml:"units,omitempty" doc:"What is fitted to its printer."`

	OnServers *OnServers `json:"on_servers,omitempty" yaml:"on_servers,omitempty" doc:"How kept servers run it."`

	Jobs *QueueJobs `json:"jobs,omitempty" yaml:"jobs,omitempty" doc:"What the gateway does with its jobs; it streams them when absent."`

	Open    []Window `json:"open,omitempty" yaml:"open,omitempty" doc:"When it takes jobs, by the clock of its site; always when absent."`
	Listed  bool     `json:"listed,omitempty" yaml:"listed,omitempty" doc:"Written into the directory."`
	Paused  bool     `json:"paused,omitempty" yaml:"paused,omitempty"`
	Retired bool     `json:"retired,omitempty" yaml:"retired,omitempty"`
	Until   string   `json:"until,omitempty" yaml:"until,omitempty" doc:"The last day on which it is not retired, by the clock of its site, such as 2026-12-31, or a time with its offset."`
	Purpose string   `json:"purpose,omitempty" yaml:"purpose,omitempty" enum:"practice,helper" doc:"practice: for teaching and tests, counted nowhere; helper: for programs alone, on nobody's list. Neither is ever the default."`
	Note    string   `json:"note,omitempty" yaml:"note,omitempty"`
}

// What a queue can be for besides people's work.
const (
	Practice = "practice"
	Helper   = "helper"
)

// Driverless is the reserved driver: none but what IPP Everywhere gives.
const Driverless = "driverless"

// A Window is some hours of some days, by the clock of the site of the queue concerned.
type Window struct {
	Days []string `json:"days,omitempty" yaml:"days,flow,omitempty" doc:"mon to sun; every day when absent."`
	From string   `json:"from" yaml:"from" doc:"HH:MM."`
	To   string   `json:"to" yaml:"to" doc:"HH:MM, not included; at or before from runs past midnight and belongs to the day on which it began."`
}

// A Path is one way to a queue; exactly one of Device, Server, Set and Gateway is set.
type Path struct {
	Device     string   `json:"device,omitempty" yaml:"device,omitempty"`
	Server     string   `json:"server,omitempty" yaml:"server,omitempty"`
	Set        string   `json:"set,omitempty" yaml:"set,omitempty" doc:"A server set."`
	Gateway    bool     `json:"gateway,omitempty" yaml:"gateway,omitempty"`
	RemoteName string   `json:"remote_name,omitempty" yaml:"remote_name,omitempty" doc:"The queue's name on the server, when it differs."`
	At         []string `json:"at,omitempty" yaml:"at,flow,omitempty"`
	Sessions   []string `json:"sessions,omitempty" yaml:"sessions,flow,omitempty"`
}

// Access says who may print; entries as in a grant's except.
type Access struct {
	Allow []string `json:"allow,omitempty" yaml:"allow,flow,omitempty"`
	Deny  []string `json:"deny,omitempty" yaml:"deny,flow,omitempty"`
}

// An Effect is what a grant does.
type Effect string

// The effects.
const (
	Place    Effect = "place"    // installed for them
	Offer    Effect = "offer"    // theirs to pick up
	Withhold Effect = "withhold" // kept away
)

// IfRemoved says what happens to a placed queue that somebody removed on the endpoint.
type IfRemoved string

// The choices; the empty value means Restore.
const (
	Restore IfRemoved = "restore"
	Leave   IfRemoved = "leave"
)

// A Grant is one rule: these queues, to these people, at these places, on these machines, in these sessions, at these
// hours.
type Grant struct {
	Name      string    `json:"name" yaml:"name"`
	Title     string    `json:"title,omitempty" yaml:"title,omitempty"`
	Effect    Effect    `json:"effect" yaml:"effect" enum:"place,offer,withhold"`
	Queues    []string  `json:"queues" yaml:"queues,flow" doc:"Names, label:a+b or within:LOCATION."`
	Nearest   int       `json:"nearest,omitempty" yaml:"nearest,omitempty" minimum:"0" doc:"Only the so many nearest of the queues; 0 for all."`
	To        []string  `json:"to,omitempty" yaml:"to,flow,omitempty"`
	Except    []string  `json:"except,omitempty" yaml:"except,flow,omitempty"`
	At        []string  `json:"at,omitempty" yaml:"at,flow,omitempty"`
	On        []string  `json:"on,omitempty" yaml:"on,flow,omitempty"`
	Sessions  []string  `json:"sessions,omitempty" yaml:"sessions,flow,omitempty"`
	Platforms []string  `json:"platforms,omitempty" yaml:"platforms,flow,omitempty"`
	Open      []Window  `json:"open,omitempty" yaml:"open,omitempty" doc:"When it holds, by the clock of each queue's site; always when absent."`
	Until     string    `json:"until,omitempty" yaml:"until,omitempty" doc:"The last day on which it holds, by the clock of each queue's site, such as 2026-12-31, or a time with its offset."`
	Default   int       `json:"default,omitempty" yaml:"default,omitempty" minimum:"0" maximum:"1000" doc:"Weight as the default; 0 for none."`
	Insist    bool      `json:"insist,omitempty" yaml:"insist,omitempty"`
	IfRemoved IfRemoved `json:"if_removed,omitempty" yaml:"if_removed,omitempty" enum:"restore,leave"`
	Note      string    `json:"note,omitempty" yaml:"note,omitempty"`
}

// MachineWide says whether the grant also holds with nobody signed in.
func (g Grant) MachineWide() bool { return len(g.To) == 0 }

// Counts gives how many objects each list has.
func (d *Document) Counts() map[string]int {
	return map[string]int{"locations": len(d.Locations), "subnets": len(d.Subnets), "stations": len(d.Stations),
		"drivers": len(d.Drivers),
		"servers": len(d.Servers), "server_sets": len(d.ServerSets), "devices": len(d.Devices), "queues": len(d.Queues),
		"grants": len(d.Grants), "notices": len(d.Notices), "promises": len(d.Promises),
		"charges": len(d.Charges), "allowances": len(d.Allowances)}
}
