// Package adopt says what found queues and devices would be in the estate: names, locations, drivers, paths. In
// go what was read and the estate, out come proposals, and edits of a draft.
package adopt

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"cirque/core/driver"
	"cirque/core/estate"
	"cirque/core/stock"
)

// A Found is one queue that may become estate: on a server, on a reference machine, or a device by itself.
type Found struct {
	From   string      // the server's, the reference machine's or the device's name
	Kind   string      // server, capture or device
	Queue  stock.Queue // of a device: what stands for it
	Device *stock.Device
	Watch  *stock.Watch // of a server or device that the estate does not know yet
}

// A Proposal is what a found queue would be in the estate. Whoever adopts it may change any of it.
type Proposal struct {
	From    string          `json:"from"`
	Kind    string          `json:"kind" enum:"server,capture,device,second,attached"`
	Found   string          `json:"found" doc:"The queue's or device's name as it was found."`
	Already string          `json:"already,omitempty" doc:"The estate's queue that leads there already."`
	Queue   estate.Queue    `json:"queue"`
	Device  *estate.Device  `json:"device,omitempty" doc:"To be added besides."`
	Server  *estate.Server  `json:"server,omitempty" doc:"To be added besides."`
	Drivers []estate.Driver `json:"drivers,omitempty" doc:"To be added besides."`
	Remarks []string        `json:"remarks" doc:"What whoever adopts it should look at."`
}

// A Proposer proposes estate for what was found; it is made once for an estate, its stock and its packages.
type Proposer struct {
	doc        *estate.Document
	placed     stock.Placed
	queues     map[string]bool // names taken
	devices    map[string]bool
	byHost     map[string]string // device names by host
	drivers    map[string]bool
	places     map[string]string          // location paths by slug of title and of path
	models     map[string][]driver.Model  // by exact name
	exact      map[string][]estate.Driver // the estate's drivers by exact name
	names      []string                   // all exact names
	readings   map[string]*stock.Server   // of servers, for finding out what is on all members of a set
	platforms  map[string]bool            // that machines have; nil for all
	registered map[string]stock.Watch     // devices, by host
	newDevices map[string]estate.Device   // proposed, by name
	newDrivers map[string]estate.Driver
	packages   []driver.Package
	choices    map[string][]driver.Choice // by model
	pattern    string                     // of names; empty for names as they were found
}

// NewProposer prepares proposals on top of a document. Drivers are proposed for the platforms that machines have, for
// all where that is not known. A device that is registered enters the estate as it was registered.
func NewProposer(doc *estate.Document, packages []driver.Package, readings map[string]*stock.Server,
	machines map[string]int,
	registered []stock.Watch) *Proposer {
	p := &Proposer{doc: doc, placed: stock.NewPlaced(doc), queues: map[string]bool{}, devices: map[string]bool{},
		byHost: map[string]string{}, drivers: map[string]bool{}, places: map[string]string{},
		models: map[string][]driver.Model{}, exact: map[string][]estate.Driver{}, readings: readings,
		registered: map[string]stock.Watch{}, newDevices: map[string]estate.Device{}, newDrivers: map[string]estate.Driver{},
		choices: map[string][]driver.Choice{}}
	for _, w := range registered {
		if h := stock.Host(w.URI); h != "" && w.Kind == stock.KindDevice {
			p.registered[h] = w
		}
	}
	for platform := range machines {
		if p.platforms == nil {
			p.platforms = map[string]bool{}
		}
		p.platforms[platform] = true
	}
	for _, q := range doc.Queues {
		p.queues[q.Name] = true
		for _, f := range q.Formerly {
			p.queues[f] = true
		}
	}
	for _, d := range doc.Devices {
		p.devices[d.Name] = true
		if h := stock.Host(d.URI); h != "" {
			p.byHost[h] = d.Name
		} else if d.Machine != "" {
			p.byHost[pluggedKey(d.Machine, d.URI)] = d.Name
		}
	}
	for _, d := range doc.Drivers {
		p.drivers[d.Name] = true
		p.exact[d.Exact] = append(p.exact[d.Exact], d)
		p.names = append(p.names, d.Exact)
	}
	p.packages = packages
	for _, k := range packages {
		for _, m := range k.Models {
			if _, there := p.models[m.Exact]; !there {
				p.names = append(p.names, m.Exact)
			}
			p.models[m.Exact] = append(p.models[m.Exact], m)
		}
	}
	slices.Sort(p.names)
	for _, l := range doc.Locations {
		p.places[stock.Slug(l.Path)] = l.Path
		last := l.Path[strings.LastIndexByte(l.Path, '/')+1:]
		for _, s := range []string{stock.Slug(l.Title), stock.Slug(last)} {
			if was, twice := p.places[s]; twice && was != l.Path {
				p.places[s] = "" // two places have the name: it tells nothing
			} else if s != "" {
				p.places[s] = l.Path
			}
		}
	}
	return p
}

// Propose proposes one. Names are unique among all proposals of one Proposer.
func (p *Proposer) Propose(f Found) Proposal {
	q := f.Queue
	out := Proposal{From: f.From, Kind: f.Kind, Found: q.Name, Remarks: []string{}}
	remark := func(format string, args ...any) { out.Remarks = append(out.Remarks, fmt.Sprintf(format, args...)) }
	title := strings.TrimSpace(q.Title)
	if title == "" {
		title = q.Name
	}
	called := p.called(f)
	out.Queue = estate.Queue{Name: p.unique(p.queues, called, f.From), Title: title}
	if f.Kind == stock.KindServer {
		if names := stock.Through(p.doc, f.From)[q.Name]; len(names) > 0 {
			out.Already = names[0]
		}
	}
	address := p.device(f, called, &out, remark)
	out.Queue.Location = p.location(q, f, address, remark)
	if d := out.Device; d != nil {
		if d.Location == "" {
			d.Location = out.Queue.Location
		}
		p.newDevices[d.Name] = *d
	}
	p.paths(f, &out, remark)
	p.driversFor(q, &out, remark)
	if f.Kind == stock.KindDevice && len(out.Queue.Drivers) == 0 {
		p.driversForModel(q.Model, &out, remark)
	}
	var colour *bool
	if f.Device != nil {
		colour = f.Device.Colour
	}
	supported := q.Supported
	if f.Device != nil && len(f.Device.Supported) > 0 {
		supported = f.Device.Supported
	}
	out.Queue.Labels = stock.Labels(supported, colour)
	out.Queue.Defaults = stock.Defaults(q.Defaults)
	if bad := stock.Refused(out.Queue.Defaults, supported); len(bad) > 0 {
		remark("the device does not take %s", strings.Join(bad, ", "))
	}
	return out
}

// device finds the estate's device behind a queue, or proposes it.
func (p *Proposer) device(f Found, called string, out *Proposal, remark func(string, ...any)) (address netip.Addr) {
	uri := f.Queue.Device
	host := stock.Host(uri)
	if f.plugged() {
		host = pluggedKey(f.From, uri)
	}
	if host == "" {
		if uri != "" {
			remark("the device is reached by %s, which leads over no network", stock.Scheme(uri))
		}
		return address
	}
	address, _ = stock.Address(uri)
	if known, ok := p.byHost[host]; ok {
		out.Queue.Devices = []string{known}
		// Whichever of the queues are adopted in the end, the device comes with them.
		if d, also := p.newDevices[known]; also {
			out.Device = &d
		}
		return address
	}
	d := estate.Device{URI: uri, AddressKeptBy: "unknown"}
	if f.plugged() {
		d.Machine, d.AddressKeptBy = f.From, ""
	}
	if w, ok := p.registered[host]; ok && !p.devices[w.Name] {
		p.devices[w.Name] = true
		d.Name, d.Title, d.URI, d.Note, d.MAC = w.Name, w.Title, w.URI, w.Note, w.MAC
		if w.AddressKeptBy != "" {
			d.AddressKeptBy = w.AddressKeptBy
		}
		if slices.ContainsFunc(p.doc.Locations, func(l estate.Location) bool { return l.Path == w.Location }) {
			d.Location = w.Location
		}
	} else {
		d.Name = p.unique(p.devices, called, f.From)
	}
	if f.Device != nil {
		if d.MAC == "" {
			d.MAC = f.Device.MAC
		}
		if f.Device.URI != "" {
			d.URI = f.Device.URI
		}
		if d.Note == "" {
			d.Note = f.Device.Model
		}
	} else if d.Note == "" {
		d.Note = f.Queue.Model
	}
	if d.AddressKeptBy == "unknown" && address.IsValid() {
		remark("nobody knows yet what keeps the address %s", address)
	}
	p.byHost[host] = d.Name
	out.Device = &d
	out.Queue.Devices = []string{d.Name}
	return address
}

// location takes what the found says where it names a place of the estate, else that of the device's subnet, else that
// of the server.
func (p *Proposer) location(q stock.Queue, f Found, address netip.Addr, remark func(string, ...any)) string {
	said := []string{q.Location}
	if f.Device != nil {
		said = append(said, f.Device.Location)
	}
	if f.Watch != nil {
		said = append(said, f.Watch.Location)
	}
	for _, s := range said {
		if path := p.places[stock.Slug(s)]; path != "" && s != "" {
			return path
		}
	}
	for _, s := range said {
		if s != "" {
			remark("no location of the estate is called %q", s)
			break
		}
	}
	if address.IsValid() {
		if path, _, ok := p.placed.At(address); ok {
			return path
		}
	}
	for _, s := range p.doc.Servers {
		if s.Name == f.From && f.Kind == stock.KindServer {
			return s.Location
		}
	}
	return ""
}

// paths leads through the server, or through its set where the queue is on every member; then straight to the device.
func (p *Proposer) paths(f Found, out *Proposal, remark func(string, ...any)) {
	remote := ""
	if f.Queue.Name != out.Queue.Name {
		remote = f.Queue.Name
	}
	if f.Kind == stock.KindServer {
		through := estate.Path{Server: f.From, RemoteName: remote}
		for _, s := range p.doc.ServerSets {
			if !slices.Contains(s.Members, f.From) {
				continue
			}
			if lacks := p.lacking(s, f.Queue.Name); len(lacks) > 0 {
				remark("the set %s cannot carry it: it is not on %s", s.Name, strings.Join(lacks, ", "))
				continue
			}
			through = estate.Path{Set: s.Name, RemoteName: remote}
			break
		}
		out.Queue.Paths = append(out.Queue.Paths, through)
		if p.doc.Server(f.From) == nil && f.Watch != nil {
			out.Server = &estate.Server{Name: f.From, Title: f.Watch.Title, URI: f.Watch.URI, Note: f.Watch.Note}
			if loc := p.places[stock.Slug(f.Watch.Location)]; loc != "" && f.Watch.Location != "" {
				out.Server.Location = loc
			}
		}
	}
	if len(out.Queue.Devices) == 0 {
		if f.Kind != stock.KindServer {
			remark("there is no way to it: add a path")
		}
		return
	}
	uri := ""
	if out.Device != nil {
		uri = out.Device.URI
	} else {
		for _, d := range p.doc.Devices {
			if d.Name == out.Queue.Devices[0] {
				uri = d.URI
			}
		}
	}
	if strings.HasPrefix(uri, "ipp") || f.Kind != stock.KindServer {
		out.Queue.Paths = append(out.Queue.Paths, estate.Path{Device: out.Queue.Devices[0]})
	}
}

func (p *Proposer) lacking(s estate.ServerSet, queue string) []string {
	var out []string
	for _, m := range s.Members {
		if p.readings[m].Find(queue) == nil {
			out = append(out, m)
		}
	}
	return out
}

// unique makes a name that is not taken, and takes it.
func (p *Proposer) unique(taken map[string]bool, text, from string) string {
	base := stock.Slug(text)
	if base == "" {
		base = "queue"
	}
	name := base
	if taken[name] && from != "" {
		name = stock.Slug(from + " " + base)
	}
	for n := 2; taken[name]; n++ {
		suffix := fmt.Sprintf("-%d", n)
		name = strings.TrimRight(base[:min(len(base), 63-len(suffix))], "-") + suffix
	}
	taken[name] = true
	return name
}

// Edits turns proposals into edits of a draft. An object that several bring is added once.
func Edits(list []Proposal) ([]estate.Edit, error) {
	var out []estate.Edit
	seen := map[estate.Ref]bool{}
	add := func(list, name string, object any) error {
		r := estate.Ref{List: list, Name: name}
		if seen[r] {
			return nil
		}
		seen[r] = true
		b, err := json.Marshal(object)
		out = append(out, estate.Edit{Ref: r, Object: b})
		return err
	}
	for _, p := range list {
		if p.Server != nil {
			if err := add("servers", p.Server.Name, p.Server); err != nil {
				return nil, err
			}
		}
		if p.Device != nil {
			if err := add("devices", p.Device.Name, p.Device); err != nil {
				return nil, err
			}
		}
		for _, d := range p.Drivers {
			if err := add("drivers", d.Name, d); err != nil {
				return nil, err
			}
		}
		if err := add("queues", p.Queue.Name, p.Queue); err != nil {
			return nil, err
		}
	}
	return out, nil
}
