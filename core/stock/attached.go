package stock

import "cirque/core/fault"

// OnNetwork gives a Conflict fault where the service cannot reach a device, because it is plugged into a machine.
func (w Watch) OnNetwork() error {
	if w.Machine == "" {
		return nil
	}
	return fault.New(fault.Conflict, "device-attached", "what its machine tells: cirque endpoint attached "+w.Machine+
		"; a page through it: cirque endpoint checkup "+w.Machine+" --queue NAME",
		"the device %s is plugged into %s, and nothing but that machine reaches it", w.Name, w.Machine)
}
