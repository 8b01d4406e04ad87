package windowsparts

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"cirque/internal/windows"
	"cirque/internal/winspool"
)

// Drivers stand for EnumPrinterDrivers, InstallPrinterDriverFromPackage and the print tickets' calls.
type Drivers struct{ *System }

// Installed lists them.
func (d Drivers) Installed() ([]winspool.Driver, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	return slices.Clone(d.drivers), d.Broken["Installed"]
}

// Install has one installed.
func (d Drivers) Install(p windows.Package) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	if err := d.did("Install", p.Exact); err != nil {
		return err
	}
	d.drivers = append(d.drivers, winspool.Driver{Name: p.Exact})
	return nil
}

// Signed says of every package that it is.
func (d Drivers) Signed(windows.Package) string { return "signed by Skerrymark Test" }

// OfTheSystem has one installed that comes along.
func (d Drivers) OfTheSystem(exact string) error {
	return d.Install(windows.Package{Exact: exact})
}

// Ticket is what a driver says that takes no tickets.
func (d Drivers) Ticket(called string, _ []byte) ([]byte, error) {
	return nil, fmt.Errorf("PTOpenProvider of %s: the driver takes no print tickets", called)
}

// Jobs stand for StartDoc, GetJob and EnumJobs.
type Jobs struct{ *System }

// Print makes a job that waits.
func (j Jobs) Print(called, title string, _ []string, _ bool) (uint32, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if err := j.did("Print", called); err != nil {
		return 0, err
	}
	if strings.Contains(j.rights[called], "(D;;SW;;;WD)") {
		return 0, errors.New("StartDocW: access is denied (5)")
	}
	j.next++
	j.jobs[called] = append(j.jobs[called], winspool.Job{ID: j.next, Document: title, Text: "", Pages: 1,
		User: "SYSTEM", Status: winspool.JobPrinting})
	return j.next, nil
}

// Job reads one.
func (j Jobs) Job(called string, id uint32) (winspool.Job, bool, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	for _, job := range j.jobs[called] {
		if job.ID == id {
			return job, true, nil
		}
	}
	return winspool.Job{}, false, j.Broken["Job"]
}

// List reads all of a queue.
func (j Jobs) List(called string) ([]winspool.Job, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	return slices.Clone(j.jobs[called]), j.Broken["List"]
}

// Ends gives a queue's jobs a state; with 0 they are gone.
func (s *System) Ends(called string, status uint32) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if status == 0 {
		delete(s.jobs, called)
	}
	for i := range s.jobs[called] {
		s.jobs[called][i].Status = status
	}
}

// People stand for the terminal services' sessions and what each person's own profile says.
type People struct{ *System }

func (p People) of(login string) (*person, error) {
	if one, ok := p.people[strings.ToLower(login)]; ok {
		return one, nil
	}
	return nil, fmt.Errorf("nobody is signed in as %s", login)
}

// SID tells by what the system knows somebody.
func (p People) SID(login string) (string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	one, err := p.of(login)
	if err != nil {
		return "", err
	}
	return one.sid, nil
}

// Default tells what somebody prints to.
func (p People) Default(login string) (string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	one, err := p.of(login)
	if err != nil {
		return "", err
	}
	if _, gone := p.find(one.preferred); gone != nil && !slices.Contains(one.connections, one.preferred) {
		return "", nil // the system has another one by then
	}
	return one.preferred, nil
}

// SetDefault makes a queue somebody's default.
func (p People) SetDefault(login, called string) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	if err := p.did("SetDefault", login, called); err != nil {
		return err
	}
	one, err := p.of(login)
	if err == nil {
		one.preferred = called
	}
	return err
}

// Connections lists those of somebody.
func (p People) Connections(login string) ([]string, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	one, err := p.of(login)
	if err != nil {
		return nil, err
	}
	return slices.Clone(one.connections), nil
}

// Connections stand for AddPrinterConnection and DeletePrinterConnection in a person's session.
type Connections struct{ *System }

// Connect makes one.
func (c Connections) Connect(login, to string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := c.did("Connect", login, to); err != nil {
		return err
	}
	one, err := People(c).of(login)
	if err == nil && !slices.Contains(one.connections, to) {
		one.connections = append(one.connections, to)
	}
	return err
}

// Disconnect takes one away.
func (c Connections) Disconnect(login, to string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if err := c.did("Disconnect", login, to); err != nil {
		return err
	}
	one, err := People(c).of(login)
	if err == nil {
		one.connections = slices.DeleteFunc(one.connections, func(x string) bool { return x == to })
	}
	return err
}

// Memory stands for a value of the registry.
type Memory struct{ *System }

// Load reads it.
func (m Memory) Load() (string, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.memory, m.Broken["Load"]
}

// Save writes it.
func (m Memory) Save(text string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if err := m.Broken["Save"]; err != nil {
		return err
	}
	m.memory = text
	return nil
}
