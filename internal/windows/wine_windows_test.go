package windows_test

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"cirque/internal/testkit/conform"
	"cirque/internal/testkit/windowsparts"
	"cirque/internal/windows"
	"cirque/internal/winspool"
)

// These run under Wine, on a spooler of the system's own: make test-windows. What Wine's spooler lacks stands in; which
// that is says docs/reference/windows.md.

// parts are this system's, with stand-ins for what Wine lacks: rights and commands of queues (SetPrinter, levels 0 and
// 3), what follows jobs, sessions and connections, and the monitors of network ports. mine is who this account is.
func parts(in *windowsparts.System, mine string) windows.Parts {
	p, lacking := windows.OfSystem(), in.Parts()
	p.Ports = windows.LocalPorts()
	p.Rights, p.Jobs, p.Connections = lacking.Rights, followed{lacking.Jobs, p.Jobs}, lacking.Connections
	p.People = people{lacking.People, p.People, mine}
	return p
}

// followed prints in the system's spooler, and has jobs followed in memory.
type followed struct {
	windows.Jobs
	real windows.Jobs
}

func (f followed) Print(called, title string, lines []string, raw bool) (uint32, error) {
	return f.real.Print(called, title, lines, raw)
}

// people has one of them be this account.
type people struct {
	windows.People
	real windows.People
	mine string
}

func (p people) who(login string) (windows.People, string) {
	own, _, err := windows.Own()
	if err == nil && strings.EqualFold(login, p.mine) {
		return p.real, own
	}
	return p.People, login
}

func (p people) SID(login string) (string, error) { of, l := p.who(login); return of.SID(l) }

func (p people) Default(login string) (string, error) { of, l := p.who(login); return of.Default(l) }

func (p people) SetDefault(login, called string) error {
	of, l := p.who(login)
	return of.SetDefault(l, called)
}

func (p people) Connections(login string) ([]string, error) {
	of, l := p.who(login)
	return of.Connections(l)
}

// TestWineConforms holds the adapter to the suite of spoolers, on the system's own spooler.
func TestWineConforms(t *testing.T) {
	conform.TestSpooler(t, func(t *testing.T) conform.Spooler {
		p := empty(t)
		s := windows.New(p, windows.Platform())
		s.PackagesFrom(loose)
		return conform.Spooler{Spooler: s, Foreign: func(t *testing.T, queue string) { byHand(t, p, queue) },
			Spoils: func(t *testing.T, _ string) { spoil(t, p) }}
	})
}

// empty clears the spooler, and sees to it that it has the driver of the system.
func empty(t *testing.T) windows.Parts {
	t.Helper()
	p := parts(windowsparts.New(nil, everyone), "mira.solvang")
	all, err := winspool.Printers()
	if err != nil {
		t.Fatal(err)
	}
	for _, q := range all {
		if err := winspool.DeletePrinter(q.Name); err != nil {
			t.Fatal(err)
		}
	}
	if err := windows.Forget(); err != nil {
		t.Fatal(err)
	}
	// Everything that Wine can be given is a PostScript driver; this one takes the place of the system's.
	if err := p.Drivers.Install(packageOf(t.Context(), driverless)); err != nil {
		t.Fatal(err)
	}
	return p
}

func loose(ctx context.Context, exact string) (windows.Package, error) {
	if exact != conform.ExactDriver {
		return windows.Package{}, fmt.Errorf("the driver %q is not here", exact)
	}
	return packageOf(ctx, exact), nil
}

const ppd = `*PPD-Adobe: "4.3"
*FormatVersion: "4.3"
*Manufacturer: "Skerrymark"
*ModelName: "Mono 40"
*NickName: "Mono 40"
*ColorDevice: %s
*OpenUI *PageSize/Media Size: PickOne
*DefaultPageSize: A4
*PageSize A4/A4: "<</PageSize[595 842]>>setpagedevice"
%s*CloseUI: *PageSize
*DefaultPaperDimension: A4
*PaperDimension A4/A4: "595 842"
*PaperDimension A5/A5: "420 595"
*DefaultImageableArea: A4
*ImageableArea A4/A4: "12 12 583 830"
*ImageableArea A5/A5: "12 12 408 583"
%s`

const duplexer = `*OpenUI *Duplex/Duplex: PickOne
*DefaultDuplex: None
*Duplex None/Off: "<</Duplex false>>setpagedevice"
*Duplex DuplexNoTumble/Long edge: "<</Duplex true/Tumble false>>setpagedevice"
*Duplex DuplexTumble/Short edge: "<</Duplex true/Tumble true>>setpagedevice"
*CloseUI: *Duplex
`

// packageOf writes a driver's package of three files to the disk: one that knows A5 and both sides, or, under the exact
// name of the suite, neither.
func packageOf(_ context.Context, exact string) windows.Package {
	dir := filepath.Join(os.TempDir(), fmt.Sprintf("package-%x", exact))
	describe := fmt.Sprintf(ppd, "True", "*PageSize A5/A5: \"<</PageSize[420 595]>>setpagedevice\"\n", duplexer)
	if exact == conform.ExactDriver {
		describe = fmt.Sprintf(ppd, "False", "", "")
	}
	data := fmt.Sprintf("%x.ppd", exact[:4])
	inf := fmt.Sprintf("[Version]\r\nSignature=\"$Windows NT$\"\r\nClass=Printer\r\n[Manufacturer]\r\n"+
		"\"Skerrymark\"=Models,NTamd64\r\n[Models.NTamd64]\r\n\"%s\"=ONE\r\n[ONE]\r\nDriverFile=wineps.drv\r\nDataFile=%s\r\n",
		exact, data)
	drawer, err := os.ReadFile(`C:\windows\system32\spool\prtprocs\x64\wineps.drv`)
	if err != nil {
		panic(err)
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		panic(err)
	}
	for called, b := range map[string][]byte{"one.inf": []byte(inf), data: []byte(describe), "wineps.drv": drawer} {
		if err := os.WriteFile(filepath.Join(dir, called), b, 0o644); err != nil {
			panic(err)
		}
	}
	return windows.Package{Exact: exact, Digest: "d1", Dir: dir, SetUp: "one.inf"}
}

// TestWinePrints: a test page goes through the driver and out of the port.
func TestWinePrints(t *testing.T) {
	p := empty(t)
	out := filepath.Join(os.TempDir(), "out.prn")
	if err := winspool.AddPort(winspool.MonitorLocal, winspool.PortName(out)); err != nil {
		t.Fatal(err)
	}
	if err := p.Queues.Add(winspool.Printer{Name: "Here", Port: out, Driver: driverless}); err != nil {
		t.Fatal(err)
	}
	s := windows.New(p, windows.Platform())
	for _, raw := range []bool{false, true} {
		_ = os.Remove(out) // what is printed there is laid over what was
		says, done, err := s.TestPage(t.Context(), "Here", "", []string{"Row 7, desk 112"}, raw)
		if err != nil || !done {
			t.Fatal(says, done, err)
		}
		b, err := os.ReadFile(out)
		if err != nil || raw != (string(b) == "Row 7, desk 112\r\n\f") || !raw && !strings.HasPrefix(string(b), "%!PS-Adobe") {
			t.Errorf("raw %v: %d octets, %v", raw, len(b), err)
		}
	}
}

// TestWineCalls: single calls that the suite does not reach, as they are.
func TestWineCalls(t *testing.T) {
	p := empty(t)
	monitors, err := winspool.Monitors()
	if err != nil || !slices.Contains(monitors, winspool.MonitorLocal) {
		t.Error(monitors, err)
	}
	byHand(t, p, "Here")
	if _, there, err := winspool.GetPrinter("Here"); !there || err != nil {
		t.Error("GetPrinter:", there, err)
	}
	if _, there, err := winspool.GetPrinter("Not here"); there || err != nil {
		t.Error("GetPrinter of none:", there, err)
	}
	if s, err := winspool.Data("Here", "Cirque", "None"); s != "" || err != nil {
		t.Error("GetPrinterDataEx of none:", s, err)
	}
	long := strings.Repeat("é", 6000)
	if err := winspool.SetData("Here", "Cirque", "Long", long); err != nil {
		t.Error(err)
	}
	if s, err := winspool.Data("Here", "Cirque", "Long"); s != long || err != nil {
		t.Error("GetPrinterDataEx of a long one:", len(s), err)
	}
	if _, err := winspool.Signer(`C:\windows\system32\spool\prtprocs\x64\wineps.drv`); err == nil {
		t.Error("what nobody signed is signed")
	}
	ticket := windows.TicketFor(map[string]any{"sides": "two-sided-short-edge", "copies": 3, "orientation-requested": 4})
	with, err := winspool.ModeOfTicket("Here", ticket)
	if m := winspool.ReadMode(with); err != nil || m.Orientation != 2 || m.Copies != 3 {
		t.Errorf("the ticket gives %+v, %v", m, err)
	}
	list, err := p.Drivers.Installed()
	if err != nil || !slices.ContainsFunc(list, func(d winspool.Driver) bool { return d.Name == driverless && d.Path != "" }) {
		t.Error(list, err)
	}
	if own, sid, err := windows.Own(); own == "" || !strings.HasPrefix(sid, "S-1-5-") || err != nil || windows.AsSystem() {
		t.Error(own, sid, err)
	}
	if user := winspool.SessionText(0xffffffff, 5); user == "" {
		t.Error("WTSQuerySessionInformation does not tell the user")
	}
	if list, err := winspool.Sessions(); len(list) != 0 || err != nil {
		t.Error("Wine has sessions now: the stand-in may go", list, err)
	}
}

// TestWineReady leaves the spooler as an agent finds it that is run under Wine: with the driver of the system, and every
// port through the one monitor that there is.
func TestWineReady(t *testing.T) {
	empty(t)
	if err := windows.ThroughLocal(); err != nil {
		t.Fatal(err)
	}
	p := windows.OfSystem()
	if err := p.Drivers.Install(packageOf(t.Context(), "Skerrymark Mono 40 PCL6")); err != nil {
		t.Fatal(err)
	}
	port, err := windows.LocalPorts().Make("ipp://192.0.2.1/ipp/print")
	if err == nil {
		err = p.Queues.Add(winspool.Printer{Name: "Front desk", Port: port, Driver: "Skerrymark Mono 40 PCL6"})
	}
	if err != nil {
		t.Fatal(err)
	}
}

// TestWineGiven: what an installer was given is looked for once, beside it unless it was told of another place.
func TestWineGiven(t *testing.T) {
	dir := os.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	write := func(name string) {
		if err := os.WriteFile(at(name), nil, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	write("agent.yaml")
	write("other.yaml")
	for _, c := range []struct{ told, from, want string }{
		{"", at("agent.msi"), at("agent.yaml")}, {"other.yaml", at("agent.msi"), at("other.yaml")},
		{at("other.yaml"), "", at("other.yaml")}, {at("none.yaml"), at("agent.msi"), ""}, {"other.yaml", "", ""}, {"", "", ""},
	} {
		if err := windows.Given(c.told, c.from); err != nil {
			t.Fatal(err)
		}
		if got := windows.GivenSetUp(); got != c.want {
			t.Errorf("told %q, from %q: %q", c.told, c.from, got)
		}
		if again := windows.GivenSetUp(); again != "" {
			t.Errorf("it is looked for again: %q", again)
		}
	}
}
