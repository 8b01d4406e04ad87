package snmp

import (
	"cmp"

	"cirque/core/stock"
	"cirque/internal/snmp"
)

// Describe adds what IPP did not say; what a device says over IPP of its state goes before.
func Describe(d *stock.Device, p snmp.Printer, also bool) {
	d.Model, d.Name, d.Location = cmp.Or(d.Model, p.Model, p.Descr), cmp.Or(d.Name, p.Name), cmp.Or(d.Location, p.Location)
	d.Serial, d.MAC, d.Pages, d.Languages = cmp.Or(d.Serial, p.Serial), p.MAC, cmp.Or(d.Pages, p.Pages), p.Languages
	if !also {
		d.State, d.Reasons, d.Message = p.State, p.Reasons, p.Message
	}
	if len(p.Supplies) > 0 {
		d.Supplies = nil
		for _, s := range p.Supplies {
			d.Supplies = append(d.Supplies, stock.Supply{Name: s.Name, Level: s.Percent})
		}
	}
}
