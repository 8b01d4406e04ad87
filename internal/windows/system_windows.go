package windows

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	win "golang.org/x/sys/windows"
	"golang.org/x/sys/windows/registry"

	"cirque/core/driver"
	"cirque/internal/winspool"
)

// OfSystem are this machine's own parts.
func OfSystem() Parts {
	people := sessions{}
	return Parts{Queues: queues{}, Rights: rights{}, Ports: ports{only: onlyMonitor()},
		Drivers: drivers{platform: Platform()}, Jobs: jobs{}, People: people, Connections: people, Memory: memory{}}
}

// Platform is this machine's, in the estate's words.
func Platform() string {
	return "windows/" + map[string]string{"amd64": "x64", "386": "x86", "arm64": "arm64"}[runtime.GOARCH]
}

// queues are the spooler's.
type queues struct{}

func (queues) Printers() ([]winspool.Printer, error) { return winspool.Printers() }

func (queues) Add(p winspool.Printer) error { return winspool.AddPrinter(p) }

func (queues) Set(called string, p winspool.Printer) error { return winspool.SetPrinter(called, p) }

func (queues) Rename(called, to string, p winspool.Printer) error {
	p.Name = to
	return winspool.SetPrinter(called, p)
}

func (queues) Delete(called string) error { return winspool.DeletePrinter(called) }

func (queues) Mode(called string, in []byte) ([]byte, error) { return winspool.DefaultMode(called, in) }

func (queues) SetMode(called string, mode []byte) error { return winspool.SetMode(called, mode) }

func (queues) Mark(called string) (string, error) { return winspool.Data(called, markKey, markName) }

func (queues) SetMark(called, text string) error {
	return winspool.SetData(called, markKey, markName, text)
}

// rights are what the spooler lets whom do.
type rights struct{}

func (rights) Secure(called, sddl string) error {
	err := winspool.SetSecurity(called, sddl)
	if errors.Is(err, win.ERROR_INVALID_LEVEL) {
		return ErrNoRights
	}
	return err
}

func (rights) Rights(called string) (string, error) {
	p, there, err := winspool.GetPrinter(called)
	if err == nil && !there {
		err = fmt.Errorf("the queue %s is gone", called)
	}
	return p.Security, err
}

func (rights) Resume(called string) error { return winspool.Resume(called) }

// ports are those of the system's monitors; of one alone where it is named.
type ports struct{ only string }

// Make makes the port for a URI.
func (of ports) Make(uri string) (string, error) {
	p, err := portFor(uri)
	if err != nil {
		return "", err
	}
	switch monitor := cmp.Or(of.only, p.Monitor); monitor {
	case winspool.MonitorTCP:
		data, err := p.TCP.Encode()
		if err != nil {
			return "", err
		}
		if has, err := winspool.TCPPortSettings(p.Name); err == nil {
			if has == p.TCP {
				return p.Name, nil
			}
			return p.Name, winspool.ConfigTCPPort(p.Name, data)
		}
		return p.Name, winspool.AddPort(monitor, data)
	default:
		err := winspool.AddPort(monitor, winspool.PortName(p.Name))
		if err != nil && monitor == winspool.MonitorInternet {
			err = fmt.Errorf("this machine cannot print over IPP; add the Windows feature Internet Printing Client: %w", err)
		}
		return p.Name, err
	}
}

// Leads tells where ports lead: those of MonitorTCP by their settings, others by their names.
func (of ports) Leads(known map[string]string) (map[string]string, error) {
	list, err := winspool.Ports()
	if err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, p := range list {
		uri := known[p.Name]
		switch {
		case of.only == "" && p.TCP():
			if has, err := winspool.TCPPortSettings(p.Name); err == nil {
				uri = uriOf(p, &has)
			}
		case uri == "":
			uri = uriOf(p, nil)
		}
		if uri != "" {
			out[p.Name] = uri
		}
	}
	return out, nil
}

// Delete takes a port away.
func (of ports) Delete(port, uri string) error {
	p, err := portFor(uri)
	if err != nil {
		return err
	}
	if monitor := cmp.Or(of.only, p.Monitor); monitor != winspool.MonitorTCP {
		return winspool.DeletePort(monitor, winspool.PortName(port))
	}
	return winspool.DeletePort(winspool.MonitorTCP, winspool.DeletedTCPPort(port))
}

// drivers are those of the system.
type drivers struct{ platform string }

func (drivers) Installed() ([]winspool.Driver, error) { return winspool.Drivers() }

// Install has the system take the package into its store and install the driver out of it; a system that takes no
// packages is given the driver's files.
func (d drivers) Install(p Package) error {
	environment := winspool.Environments[runtime.GOARCH]
	err := winspool.InstallPackage(filepath.Join(p.Dir, filepath.FromSlash(p.SetUp)), p.Exact, environment)
	if !errors.Is(err, winspool.ErrNoPackages) {
		return err
	}
	setUp, err := os.ReadFile(filepath.Join(p.Dir, filepath.FromSlash(p.SetUp)))
	if err != nil {
		return err
	}
	parts, err := partsOf(setUp, p.Exact, d.platform)
	if err != nil {
		return err
	}
	to, err := winspool.DriverDirectory()
	if err != nil {
		return err
	}
	place := func(called string) (string, error) {
		at := filepath.Join(to, filepath.Base(filepath.FromSlash(called)))
		b, err := os.ReadFile(filepath.Join(p.Dir, filepath.Dir(filepath.FromSlash(p.SetUp)), called))
		if errors.Is(err, os.ErrNotExist) { // what comes with the system
			if _, there := os.Stat(at); there == nil {
				return at, nil
			}
		}
		if err != nil {
			return "", err
		}
		return at, os.WriteFile(at, b, 0o644)
	}
	one := winspool.Driver{Name: p.Exact, Environment: environment, Version: 3}
	for part, called := range map[*string]string{&one.Path: parts.Driver, &one.Data: parts.Data,
		&one.Config: parts.Config} {
		if *part, err = place(called); err != nil {
			return err
		}
	}
	return winspool.AddDriver(one)
}

// partsOf reads what a driver is loaded by out of its package, for a system that installs no packages.
func partsOf(setUp []byte, exact, platform string) (driver.Parts, error) {
	inf, err := driver.ParseINF(setUp)
	if err != nil {
		return driver.Parts{}, err
	}
	p, ok := inf.PartsOf(exact, platform)
	if !ok {
		return p, fmt.Errorf("its set-up file does not say by which files the driver %q is loaded on %s", exact, platform)
	}
	return p, nil
}

// Signed has the system check the catalogue of a package.
func (d drivers) Signed(p Package) string {
	at := filepath.Join(p.Dir, filepath.FromSlash(p.SetUp))
	setUp, err := os.ReadFile(at)
	if err != nil {
		return ""
	}
	inf, err := driver.ParseINF(setUp)
	if err != nil {
		return ""
	}
	catalog := inf.Catalog(d.platform)
	if catalog == "" {
		return "not signed: its set-up file names no catalogue"
	}
	by, err := winspool.Signer(filepath.Join(filepath.Dir(at), filepath.Base(filepath.FromSlash(catalog))))
	if err != nil {
		return fmt.Sprintf("the signature does not hold: %v", err)
	}
	return "signed by " + by
}

func (drivers) OfTheSystem(exact string) error {
	return winspool.InstallPackage("", exact, winspool.Environments[runtime.GOARCH])
}

func (drivers) Ticket(called string, ticket []byte) ([]byte, error) {
	return winspool.ModeOfTicket(called, ticket)
}

// jobs are the spooler's.
type jobs struct{}

func (jobs) Print(called, title string, lines []string, raw bool) (uint32, error) {
	if raw {
		return winspool.Print(called, title, []byte(strings.Join(lines, "\r\n")+"\r\n\f"))
	}
	return winspool.PrintText(called, title, lines)
}

func (jobs) Job(called string, id uint32) (winspool.Job, bool, error) {
	return winspool.GetJob(called, id)
}

func (jobs) List(called string) ([]winspool.Job, error) { return winspool.Jobs(called) }

// memory is a value of the registry.
type memory struct{}

const (
	memoryKey    = `SOFTWARE\Cirque\Agent`
	memoryValue  = "Kept"
	monitorValue = "PortMonitor"
)

func (memory) Load() (string, error) { return setting(memoryValue) }

// onlyMonitor is the one monitor through which all ports go, where the machine's settings name one: a system that has no
// monitor of network ports is tried so. Nothing is printed over the network then.
func onlyMonitor() string {
	only, _ := setting(monitorValue)
	return only
}

func setting(value string) (string, error) {
	k, err := registry.OpenKey(registry.LOCAL_MACHINE, memoryKey, registry.QUERY_VALUE)
	if errors.Is(err, registry.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	text, _, err := k.GetStringValue(value)
	if errors.Is(err, registry.ErrNotExist) {
		err = nil
	}
	return text, errors.Join(err, k.Close())
}

func (memory) Save(text string) error {
	k, _, err := registry.CreateKey(registry.LOCAL_MACHINE, memoryKey, registry.SET_VALUE)
	if err != nil {
		return err
	}
	return errors.Join(k.SetStringValue(memoryValue, text), k.Close())
}

// readConnections reads whose connections stand in a profile: each is a key, in which commas stand for backslashes.
func readConnections(profile registry.Key, path string) ([]string, error) {
	k, err := registry.OpenKey(profile, path, registry.ENUMERATE_SUB_KEYS)
	if errors.Is(err, registry.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	names, err := k.ReadSubKeyNames(-1)
	if err = errors.Join(err, k.Close()); err != nil {
		return nil, err
	}
	for i := range names {
		names[i] = strings.ReplaceAll(names[i], ",", `\`)
	}
	slices.Sort(names)
	return names, nil
}

// Serves says whether this machine's system is one that serves many people's sessions (VER_NT_SERVER).
func Serves() bool {
	const workstation = 1
	return win.RtlGetVersion().ProductType != workstation
}

// Installed by a package, the registry says where it was told to look for service and token, and from where it was
// installed.
const (
	setUpValue     = "SetUpFile"
	installerValue = "Installer"
)

// GivenSetUp is the file with service and token that the installer was given: the one that it was told of, else
// agent.yaml beside itself. Empty where there is none. It is looked for once: whoever may write there later has no
// say.
func GivenSetUp() string {
	told, _ := setting(setUpValue)
	from, _ := setting(installerValue)
	if told == "" && from == "" {
		return ""
	}
	if k, err := registry.OpenKey(registry.LOCAL_MACHINE, memoryKey, registry.SET_VALUE); err == nil {
		for _, v := range []string{setUpValue, installerValue} {
			if err := k.SetStringValue(v, ""); err != nil {
				return ""
			}
		}
		_ = k.Close()
	}
	told = cmp.Or(told, "agent.yaml")
	if from != "" && !filepath.IsAbs(told) {
		told = filepath.Join(filepath.Dir(from), told)
	}
	if _, err := os.Stat(told); err != nil || !filepath.IsAbs(told) {
		return ""
	}
	return told
}
