package stock

import (
	"context"
	"slices"

	"cirque/core/access"
	"cirque/core/decommission"
	"cirque/core/estate"
	"cirque/core/event"
	"cirque/core/fault"
	"cirque/core/stock"
	"cirque/core/words"
	"cirque/internal/service/present"
)

// AddDevice registers a device after having questioned it.
func (s *Room) AddDevice(ctx context.Context, p *access.Principal, w stock.Watch,
	anyway bool) (stock.DeviceView, error) {
	w.Kind = stock.KindDevice
	w, err := s.register(ctx, p, w, anyway)
	if err != nil {
		return stock.DeviceView{}, err
	}
	return s.Device(ctx, p, w.Name)
}

// Devices lists all devices, the estate's and those registered by hand.
func (s *Room) Devices(_ context.Context, p *access.Principal) ([]stock.DeviceView, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	st := s.present.Stock()
	doc := s.present.View().Document()
	behind := map[string][]string{}
	for _, q := range doc.Queues {
		for _, d := range q.Devices {
			behind[d] = append(behind[d], q.Name)
		}
	}
	list := s.present.Watched(stock.KindDevice)
	differs := stock.DeviceDifferences(doc, list, st.Sightings(), st.Reservations)
	out := make([]stock.DeviceView, 0, len(list))
	for _, l := range list {
		_, registered := st.Watches[present.Watched{Kind: stock.KindDevice, Name: l.Name}]
		v := stock.DeviceView{Watch: l.Watch, InEstate: l.InEstate, Registered: registered, Check: l.Check,
			Reading: l.Reading, Identity: l.Identity, Queues: behind[l.Name], Differs: differs[l.Name]}
		if l.Machine != "" {
			v.Identity.Serial = estate.SerialOf(l.URI)
		}
		if v.Queues == nil {
			v.Queues = []string{}
		}
		if v.Differs == nil {
			v.Differs = []stock.Difference{}
		}
		v.Driverless = l.Reading != nil && decommission.Driverless(*l.Reading)
		out = append(out, v)
	}
	return out, nil
}

// Device gives one device.
func (s *Room) Device(ctx context.Context, p *access.Principal, name string) (stock.DeviceView, error) {
	all, err := s.Devices(ctx, p)
	if err != nil {
		return stock.DeviceView{}, err
	}
	i := slices.IndexFunc(all, func(d stock.DeviceView) bool { return d.Name == name })
	if i < 0 {
		return stock.DeviceView{}, fault.New(fault.Unknown, "device-unknown", "see cirque device list",
			"there is no device %q", name)
	}
	return all[i], nil
}

// Recognise takes the device that answers now for the one that is meant: a change of device was intended.
func (s *Room) Recognise(ctx context.Context, p *access.Principal, name string) (stock.DeviceView, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return stock.DeviceView{}, err
	}
	k := s.present.Stock().Device(name)
	if k.Device == nil || !k.Check.OK {
		return stock.DeviceView{}, fault.New(fault.Conflict, "nothing-seen", "read it first",
			"nothing answers at the address of %s", name)
	}
	k.Identity = stock.IdentityOf(*k.Device)
	e := event.Event{Kind: event.Found, Subject: name, Author: p.Name}.Saying(
		"The device {name} is now the one with {identity}", "name", name, "identity", k.Identity.String())
	if err := s.store.SaveReading(ctx, k, true, []event.Event{e}); err != nil {
		return stock.DeviceView{}, err
	}
	s.present.Keep(k)
	return s.Device(ctx, p, name)
}

// FoundDevices lists what scans found and nobody listed.
func (s *Room) FoundDevices(_ context.Context, p *access.Principal) ([]stock.Unlisted, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return nil, err
	}
	out := []stock.Unlisted{}
	listed := s.listedHosts()
	for _, f := range s.present.Stock().Found {
		if !listed[f.Address] {
			out = append(out, f)
		}
	}
	return out, nil
}

// listedHosts are the hosts of all that is watched.
func (s *Room) listedHosts() map[string]bool {
	out := map[string]bool{}
	for _, kind := range []string{stock.KindServer, stock.KindDevice} {
		for _, l := range s.present.Watched(kind) {
			out[stock.Host(l.URI)] = true
		}
	}
	return out
}

// ForgetFound takes addresses off the list of what was found.
func (s *Room) ForgetFound(ctx context.Context, p *access.Principal, addresses []string) error {
	if err := access.Check(p, access.KeepStock); err != nil {
		return err
	}
	found := s.present.Stock().Found
	for _, a := range addresses {
		if !slices.ContainsFunc(found, func(u stock.Unlisted) bool { return u.Address == a }) {
			return fault.New(fault.Unknown, "found-unknown", "see cirque device found", "no scan has found anything at %q", a)
		}
	}
	if err := s.store.Forget(ctx, addresses, p.Name); err != nil {
		return err
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "found"})
	return nil
}

// Reservations gives the reservations that the devices need, as CSV or as the common open DHCP server's JSON, and the
// devices for which none can be made.
func (s *Room) Reservations(_ context.Context, p *access.Principal, format string) (string, []fault.Detail, error) {
	if err := access.Check(p, access.ReadStock); err != nil {
		return "", nil, err
	}
	list, lacking := stock.Reservations(s.present.Watched(stock.KindDevice))
	if format == "json" {
		text, err := s.cfg.DHCP.Write(stock.BySubnet(s.present.View().Document(), list))
		return text, lacking, err
	}
	return stock.ReservationsCSV(list), lacking, nil
}

// ImportReservations takes in what a DHCP server reserves, to compare devices with; with dry it only reads it.
func (s *Room) ImportReservations(ctx context.Context, p *access.Principal, name, text string,
	dry bool) (int, error) {
	if err := access.Check(p, access.KeepStock); err != nil {
		return 0, err
	}
	list, err := stock.ParseReservations(name, text, s.cfg.DHCP.Read)
	if err != nil || dry {
		return len(list), err
	}
	if err := s.store.SetReservations(ctx, list, event.Event{Kind: event.Reserved, Subject: name, Author: p.Name}.Saying(
		"{reservations} were imported from {name}", "reservations", words.Count(len(list), "reservation"), "name",
		name)); err != nil {
		return 0, err
	}
	s.present.Show(ctx, event.Signal{What: event.Stock, Subject: "reservations"})
	return len(list), nil
}
