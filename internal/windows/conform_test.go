package windows_test

import (
	"context"
	"fmt"
	"testing"

	"cirque/internal/testkit/conform"
	"cirque/internal/testkit/windowsparts"
	"cirque/internal/windows"
	"cirque/internal/winspool"
)

// everyone are the sign-in names of the suite's people, and driverless the driver of the system.
var everyone = []string{"mira.solvang", "jonas berg/x"}

const driverless = "Microsoft IPP Class Driver"

// TestConforms holds the adapter to the suite of spoolers, with all of the system in memory.
func TestConforms(t *testing.T) {
	conform.TestSpooler(t, func(*testing.T) conform.Spooler {
		system := windowsparts.New([]string{driverless}, everyone)
		system.Loads[conform.ExactDriver] = winspool.HasCopies
		s := windows.New(system.Parts(), "windows/x64")
		s.PackagesFrom(packages)
		return conform.Spooler{Spooler: s, Foreign: func(t *testing.T, queue string) { byHand(t, system.Parts(), queue) },
			Spoils: func(t *testing.T, queue string) { spoil(t, system.Parts()) }}
	})
}

func packages(_ context.Context, exact string) (windows.Package, error) {
	if exact != conform.ExactDriver {
		return windows.Package{}, fmt.Errorf("the driver %q is not here", exact)
	}
	return windows.Package{Exact: exact, Digest: "d1", SetUp: "mono.inf"}, nil
}

// byHand sets a queue up as a person would.
func byHand(t *testing.T, p windows.Parts, queue string) {
	t.Helper()
	port, err := p.Ports.Make("socket://192.0.2.1")
	if err == nil {
		err = p.Queues.Add(winspool.Printer{Name: queue, Port: port, Driver: driverless})
	}
	if err != nil {
		t.Fatal(err)
	}
}

// spoil leads the only queue elsewhere, and gives it another default.
func spoil(t *testing.T, p windows.Parts) {
	t.Helper()
	all, err := p.Queues.Printers()
	if err != nil || len(all) != 1 {
		t.Fatal(all, err)
	}
	port, err := p.Ports.Make("ipp://192.0.2.9/")
	if err != nil {
		t.Fatal(err)
	}
	all[0].Port = port
	if err := p.Queues.Set(all[0].Name, all[0]); err != nil {
		t.Fatal(err)
	}
	if err := p.Queues.SetMode(all[0].Name, winspool.Mode{Has: winspool.HasDuplex, Duplex: 1}.Put(all[0].Mode)); err != nil {
		t.Fatal(err)
	}
}
