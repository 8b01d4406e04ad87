package windows

import (
	"errors"

	"golang.org/x/sys/windows/registry"

	"cirque/internal/winspool"
)

// LocalPorts are ports of MonitorLocal alone, the one monitor that Wine has; all else of them is the system's.
func LocalPorts() Ports { return ports{only: winspool.MonitorLocal} }

// Forget empties the memory.
func Forget() error { return memory{}.Save("") }

// TicketFor writes a print ticket.
var TicketFor = ticketFor

// ThroughLocal has an agent on this machine make all ports through MonitorLocal.
func ThroughLocal() error {
	k, _, err := registry.CreateKey(registry.LOCAL_MACHINE, memoryKey, registry.SET_VALUE)
	if err != nil {
		return err
	}
	return errors.Join(k.SetStringValue(monitorValue, winspool.MonitorLocal), k.Close())
}

// Given writes what an installer leaves: the file that it was told of, and where it lay itself.
func Given(told, from string) error {
	k, _, err := registry.CreateKey(registry.LOCAL_MACHINE, memoryKey, registry.SET_VALUE)
	if err != nil {
		return err
	}
	return errors.Join(k.SetStringValue(setUpValue, told), k.SetStringValue(installerValue, from), k.Close())
}
