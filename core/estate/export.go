package estate

import (
	"bytes"
	"cmp"
	"slices"

	"go.yaml.in/yaml/v3"
)

// Sorted gives a copy with every list of objects by name (subnets by address, locations by path), the order of export.
// What has an order of its own, such as a queue's paths, keeps it.
func (d *Document) Sorted() *Document {
	c := *d
	c.Locations = sorted(d.Locations, func(a, b Location) int { return cmp.Compare(a.Path, b.Path) })
	c.Subnets = sorted(d.Subnets, func(a, b Subnet) int {
		return cmp.Or(a.CIDR.Addr().Compare(b.CIDR.Addr()), cmp.Compare(a.CIDR.Bits(), b.CIDR.Bits()))
	})
	c.Stations = sorted(d.Stations, func(a, b Station) int { return cmp.Compare(a.Name, b.Name) })
	c.Drivers = sorted(d.Drivers, func(a, b Driver) int { return cmp.Compare(a.Name, b.Name) })
	c.Servers = sorted(d.Servers, func(a, b Server) int { return cmp.Compare(a.Name, b.Name) })
	c.Devices = sorted(d.Devices, func(a, b Device) int { return cmp.Compare(a.Name, b.Name) })
	c.Queues = sorted(d.Queues, func(a, b Queue) int { return cmp.Compare(a.Name, b.Name) })
	c.Grants = sorted(d.Grants, func(a, b Grant) int { return cmp.Compare(a.Name, b.Name) })
	return &c
}

func sorted[T any](list []T, by func(a, b T) int) []T {
	list = slices.Clone(list)
	slices.SortFunc(list, by)
	return list
}

// YAML writes the document in the order of export. Parse reads it back to the same document.
func (d *Document) YAML() ([]byte, error) {
	var b bytes.Buffer
	enc := yaml.NewEncoder(&b)
	enc.SetIndent(2)
	if err := enc.Encode(d.Sorted()); err != nil {
		return nil, err
	}
	return b.Bytes(), enc.Close()
}
