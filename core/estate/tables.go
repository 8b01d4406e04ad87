package estate

import (
	"cmp"
	"maps"
	"reflect"
	"slices"
)

// tables are all lists of a document.
var tables = []table{
	column[Location]{"locations", "location", func(d *Document) *[]Location {
		return &d.Locations
	}, func(o *Location) string { return o.Path }, nil, equal[Location]},
	column[Subnet]{"subnets", "subnet", func(d *Document) *[]Subnet { return &d.Subnets }, func(o *Subnet) string {
		return o.CIDR.String()
	}, func(a, b *Subnet) int {
		return cmp.Or(a.CIDR.Addr().Compare(b.CIDR.Addr()), cmp.Compare(a.CIDR.Bits(), b.CIDR.Bits()))
	}, equal[Subnet]},
	column[Station]{"stations", "station", func(d *Document) *[]Station { return &d.Stations }, func(o *Station) string {
		return o.Name
	}, nil, deepEqual[Station]},
	column[Driver]{"drivers", "driver", func(d *Document) *[]Driver { return &d.Drivers }, func(o *Driver) string {
		return o.Name
	}, nil, equal[Driver]},
	column[Server]{"servers", "server", func(d *Document) *[]Server { return &d.Servers }, func(o *Server) string {
		return o.Name
	}, nil, deepEqual[Server]},
	column[ServerSet]{"server_sets", "server set", func(d *Document) *[]ServerSet {
		return &d.ServerSets
	}, func(o *ServerSet) string { return o.Name }, nil, deepEqual[ServerSet]},
	column[Device]{"devices", "device", func(d *Document) *[]Device { return &d.Devices }, func(o *Device) string {
		return o.Name
	}, nil, equal[Device]},
	column[Queue]{"queues", "queue", func(d *Document) *[]Queue { return &d.Queues }, func(o *Queue) string {
		return o.Name
	}, nil, SameQueue},
	column[Grant]{"grants", "grant", func(d *Document) *[]Grant { return &d.Grants }, func(o *Grant) string {
		return o.Name
	}, nil, SameGrant},
	column[Notice]{"notices", "notice", func(d *Document) *[]Notice { return &d.Notices }, func(o *Notice) string {
		return o.Name
	}, nil, deepEqual[Notice]},
	column[Promise]{"promises", "promise", func(d *Document) *[]Promise { return &d.Promises }, func(o *Promise) string {
		return o.Name
	}, nil, deepEqual[Promise]},
	column[Charge]{"charges", "charge", func(d *Document) *[]Charge { return &d.Charges }, func(o *Charge) string {
		return o.Name
	}, nil, deepEqual[Charge]},
	column[Allowance]{"allowances", "allowance", func(d *Document) *[]Allowance { return &d.Allowances },
		func(o *Allowance) string { return o.Name }, nil, deepEqual[Allowance]},
	settingsTable{},
}

func equal[T comparable](a, b *T) bool { return *a == *b }

func deepEqual[T any](a, b *T) bool { return reflect.DeepEqual(a, b) }

// SameQueue and SameGrant compare what there are thousands of, without reflection; a test sees to it that they look at
// every field.
func SameQueue(a, b *Queue) bool {
	return a.Name == b.Name && a.Title == b.Title && a.Location == b.Location && a.Listed == b.Listed &&
		a.Paused == b.Paused && a.Retired == b.Retired && a.Until == b.Until && a.Purpose == b.Purpose && a.Note == b.Note &&
		slices.Equal(a.Formerly, b.Formerly) && slices.Equal(a.Labels, b.Labels) && slices.Equal(a.Devices, b.Devices) &&
		slices.EqualFunc(a.Paths, b.Paths, SamePath) &&
		maps.Equal(a.Drivers, b.Drivers) && (len(a.Defaults) == 0 && len(b.Defaults) == 0 || reflect.DeepEqual(a.Defaults,
		b.Defaults)) &&
		sameAccess(a.Access, b.Access) && sameUnits(a.Units, b.Units) && sameValue(a.OnServers, b.OnServers) &&
		sameJobs(a.Jobs, b.Jobs) &&
		slices.EqualFunc(a.Open, b.Open, sameWindow)
}

// SamePath says whether two paths say the same.
func SamePath(a, b Path) bool {
	return a.Device == b.Device && a.Server == b.Server && a.Set == b.Set && a.Gateway == b.Gateway &&
		a.RemoteName == b.RemoteName && slices.Equal(a.At, b.At) && slices.Equal(a.Sessions, b.Sessions)
}

func sameAccess(a, b *Access) bool {
	return a == b || a != nil && b != nil && slices.Equal(a.Allow, b.Allow) && slices.Equal(a.Deny, b.Deny)
}

func sameUnits(a, b *Units) bool {
	return a == b || a != nil && b != nil && sameValue(a.TwoSided, b.TwoSided) && slices.Equal(a.Trays, b.Trays) &&
		slices.Equal(a.Finishings, b.Finishings)
}

func sameValue[T comparable](a, b *T) bool { return a == b || a != nil && b != nil && *a == *b }

func sameWindow(a, b Window) bool {
	return a.From == b.From && a.To == b.To && slices.Equal(a.Days, b.Days)
}

// SameGrant says whether two grants say the same.
func SameGrant(a, b *Grant) bool {
	return a.Name == b.Name && a.Title == b.Title && a.Effect == b.Effect && a.Nearest == b.Nearest &&
		a.Default == b.Default && a.Insist == b.Insist && a.IfRemoved == b.IfRemoved && a.Until == b.Until &&
		a.Note == b.Note &&
		slices.Equal(a.Queues, b.Queues) && slices.Equal(a.To, b.To) && slices.Equal(a.Except, b.Except) && slices.Equal(a.At,
		b.At) && slices.Equal(a.On, b.On) &&
		slices.Equal(a.Sessions, b.Sessions) && slices.Equal(a.Platforms, b.Platforms) && slices.EqualFunc(a.Open,
		b.Open, sameWindow)
}
