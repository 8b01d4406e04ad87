// Package windowsparts stands in for what the spooler of Windows has its callers do, part by part, in memory: each
// behaves as the system's documentation says of the calls that it stands for. Tests use all of them where there is no
// such system, and single ones where a system lacks a call.
package windowsparts

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"cirque/internal/windows"
	"cirque/internal/winspool"
)

// A System is a machine in memory.
type System struct {
	mu       sync.Mutex // guards all
	printers []*printer
	ports    map[string]string // URI by name
	drivers  []winspool.Driver
	rights   map[string]string
	jobs     map[string][]winspool.Job
	next     uint32
	memory   string
	people   map[string]*person // by login

	// Loads says of which options a driver takes a DEVMODE's members (dmFields); one that is not here takes all.
	Loads map[string]uint32
	// Broken names calls that fail, with what they say.
	Broken map[string]error
	// Calls are those that changed something, in order.
	Calls []string
}

type printer struct {
	winspool.Printer
	mark string
}

type person struct {
	sid, preferred string
	connections    []string
}

// New makes an empty machine on which some drivers are installed, and some people signed in.
func New(drivers, people []string) *System {
	s := &System{ports: map[string]string{}, rights: map[string]string{}, jobs: map[string][]winspool.Job{},
		people: map[string]*person{}, Loads: map[string]uint32{}, Broken: map[string]error{}}
	for _, d := range drivers {
		s.drivers = append(s.drivers, winspool.Driver{Name: d})
	}
	for i, p := range people {
		s.people[p] = &person{sid: fmt.Sprintf("S-1-5-21-1-2-3-%d", 1001+i)}
	}
	return s
}

// Parts gives it all.
func (s *System) Parts() windows.Parts {
	return windows.Parts{Queues: Queues{s}, Rights: Rights{s}, Ports: Ports{s}, Drivers: Drivers{s}, Jobs: Jobs{s},
		People: People{s}, Connections: Connections{s}, Memory: Memory{s}}
}

// did notes a call, and gives the error that it is to have.
func (s *System) did(call string, of ...string) error {
	s.Calls = append(s.Calls, strings.TrimSpace(call+" "+strings.Join(of, " ")))
	return s.Broken[call]
}

func (s *System) find(called string) (*printer, error) {
	i := slices.IndexFunc(s.printers, func(p *printer) bool { return strings.EqualFold(p.Name, called) })
	if i < 0 {
		return nil, fmt.Errorf("OpenPrinterW of %s: the printer name is invalid: %w", called, winspool.ErrGone)
	}
	return s.printers[i], nil
}

// Queues stand for EnumPrinters, AddPrinter, SetPrinter (levels 2 and 8), DeletePrinter, DocumentProperties,
// GetPrinterDataEx and SetPrinterDataEx.
type Queues struct{ *System }

// Printers lists them.
func (q Queues) Printers() ([]winspool.Printer, error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	var out []winspool.Printer
	for _, p := range q.printers {
		out = append(out, p.Printer)
	}
	return out, q.Broken["Printers"]
}

// Add makes one: its port and its driver have to be there.
func (q Queues) Add(p winspool.Printer) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	if err := q.did("Add", p.Name); err != nil {
		return err
	}
	if _, err := q.find(p.Name); err == nil {
		return fmt.Errorf("AddPrinterW of %s: the printer already exists (1802)", p.Name)
	}
	if err := q.fits(p); err != nil {
		return err
	}
	p.Mode = q.fresh(p.Driver)
	q.rights[p.Name] = p.Security
	q.printers = append(q.printers, &printer{Printer: p})
	return nil
}

func (q Queues) fits(p winspool.Printer) error {
	if _, there := q.ports[p.Port]; !there && !strings.HasSuffix(p.Port, ":") {
		return fmt.Errorf("AddPrinterW of %s: the port is unknown (1796)", p.Name)
	}
	if !slices.ContainsFunc(q.drivers, func(d winspool.Driver) bool { return d.Name == p.Driver }) {
		return fmt.Errorf("AddPrinterW of %s: the printer driver is unknown (1797)", p.Name)
	}
	return nil
}

// Set alters one.
func (q Queues) Set(called string, p winspool.Printer) error { return q.alter("Set", called, p) }

// Rename gives one another name; what is kept with it stays.
func (q Queues) Rename(called, to string, p winspool.Printer) error {
	p.Name = to
	return q.alter("Rename", called, p)
}

func (q Queues) alter(call, called string, p winspool.Printer) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	if err := q.did(call, called, p.Name); err != nil {
		return err
	}
	is, err := q.find(called)
	if err != nil {
		return err
	}
	if other, err := q.find(p.Name); err == nil && other != is {
		return fmt.Errorf("SetPrinterW of %s: the printer already exists (1802)", p.Name)
	}
	if err := q.fits(p); err != nil {
		return err
	}
	rights, mode := q.rights[is.Name], is.Mode
	delete(q.rights, is.Name)
	q.rights[p.Name] = rights
	if p.Driver != is.Driver || p.Mode == nil {
		mode = q.fresh(p.Driver)
	}
	is.Printer = p
	is.Mode = mode
	return nil
}

// Delete takes one away.
func (q Queues) Delete(called string) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	if err := q.did("Delete", called); err != nil {
		return err
	}
	q.printers = slices.DeleteFunc(q.printers, func(p *printer) bool { return strings.EqualFold(p.Name, called) })
	delete(q.rights, called)
	return nil
}

// everything are the members of a DEVMODE that a driver takes which takes all.
const everything = winspool.HasOrientation | winspool.HasPaper | winspool.HasLength | winspool.HasWidth |
	winspool.HasCopies | winspool.HasSource | winspool.HasQuality | winspool.HasColor | winspool.HasDuplex |
	winspool.HasCollate

func (s *System) loads(driver string) uint32 {
	if l, ok := s.Loads[driver]; ok {
		return l
	}
	return everything
}

func (s *System) fresh(driver string) []byte {
	return winspool.Mode{Has: s.loads(driver) &^ (winspool.HasLength | winspool.HasWidth), Orientation: 1, Paper: 9,
		Copies: 1, Source: 7, Quality: -3, Color: 2, Duplex: 1}.Put(winspool.Fresh("standin"))
}

// Mode gives a driver's DEVMODE, with those members of another that the driver takes.
func (q Queues) Mode(called string, in []byte) ([]byte, error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	p, err := q.find(called)
	if err != nil {
		return nil, err
	}
	out := q.fresh(p.Driver)
	if in != nil {
		m := winspool.ReadMode(in)
		m.Has &= q.loads(p.Driver)
		out = m.Put(out)
	}
	return out, q.Broken["Mode"]
}

// SetMode keeps a queue's default.
func (q Queues) SetMode(called string, mode []byte) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	if err := q.did("SetMode", called); err != nil {
		return err
	}
	p, err := q.find(called)
	if err == nil {
		p.Mode = slices.Clone(mode)
	}
	return err
}

// Mark reads what is kept with a queue.
func (q Queues) Mark(called string) (string, error) {
	q.mu.Lock()
	defer q.mu.Unlock()
	p, err := q.find(called)
	if err != nil {
		return "", err
	}
	return p.mark, nil
}

// SetMark keeps a text with a queue.
func (q Queues) SetMark(called, text string) error {
	q.mu.Lock()
	defer q.mu.Unlock()
	if err := q.did("SetMark", called); err != nil {
		return err
	}
	p, err := q.find(called)
	if err == nil {
		p.mark = text
	}
	return err
}

// Rights stand for SetPrinter's level 3 and its commands, for queues of whatever system.
type Rights struct{ *System }

// Secure keeps who may use a queue.
func (r Rights) Secure(called, sddl string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if err := r.did("Secure", called); err != nil {
		return err
	}
	r.rights[called] = sddl
	return nil
}

// Rights tells who may.
func (r Rights) Rights(called string) (string, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.rights[called], r.Broken["Rights"]
}

// Resume has a paused queue go on.
func (r Rights) Resume(called string) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	if err := r.did("Resume", called); err != nil {
		return err
	}
	p, err := r.find(called)
	if err == nil {
		p.Status &^= winspool.StatusPaused
	}
	return err
}

// Ports stand for the monitors that a system has, and XcvData of them.
type Ports struct{ *System }

// Make makes the port that a URI needs.
func (p Ports) Make(uri string) (string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if err := p.did("Make", uri); err != nil {
		return "", err
	}
	called, err := windows.PortName(uri)
	if err == nil {
		p.ports[called] = uri
	}
	return called, err
}

// Leads tells of each port where it leads.
func (p Ports) Leads(map[string]string) (map[string]string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return maps.Clone(p.ports), p.Broken["Leads"]
}

// Delete takes one away that no queue uses.
func (p Ports) Delete(port, _ string) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	if err := p.did("DeletePort", port); err != nil {
		return err
	}
	if slices.ContainsFunc(p.printers, func(q *printer) bool { return q.Port == port }) {
		return fmt.Errorf("XcvData DeletePort of %s: the port is in use (170)", port)
	}
	delete(p.ports, port)
	return nil
}
