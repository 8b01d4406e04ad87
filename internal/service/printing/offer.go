package printing

import (
	"context"
	"maps"
	"slices"

	"cirque/core/access"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/job"
	"cirque/core/lineup"
	"cirque/core/stock"
	"cirque/internal/pages"
)

// An Offer is what a queue can do, as far as the devices behind it say.
type Offer struct {
	Formats  []string
	Able     map[string][]string // values by option
	Own      map[string]any      // what is done where nothing is asked: the queue's, else the first device's
	Models   []string
	Supplies []stock.Supply // of the only device
	Colour   bool
	Stopped  bool
	Reasons  []string
	Read     bool // at least one device has been read
}

// basic is what a queue offers of whose devices nothing is known.
var basic = map[string][]string{"copies": {"1-99"}, "sides": {"one-sided", "two-sided-long-edge",
	"two-sided-short-edge"}, "media": {"iso_a4_210x297mm", "na_letter_8.5x11in"}, "print-color-mode": {"auto", "color",
	"monochrome"}, "print-quality": {"3", "4", "5"}, "orientation-requested": {"3", "4", "5", "6"}, "finishings": {"3"},
	"media-col": {"media-size"}}

// Offer gives what a queue can do: what all of its devices can that have been read, and a basic set where none has.
func (r *Room) Offer(d *Door) Offer {
	st := r.present.Stock()
	var out Offer
	var able []map[string][]string
	usable, stopped := 0, 0
	for _, h := range d.Hops {
		k := st.Device(h.Device)
		if k.Device == nil {
			continue
		}
		v := k.Device
		out.add(v, r.takesOf(v), &able)
		if h.Down {
			continue
		}
		if usable++; k.Check.OK && v.State == "stopped" {
			if stopped++; stopped == 1 {
				out.Reasons = slices.Clone(v.Reasons)
			} else {
				out.Reasons = slices.DeleteFunc(out.Reasons, func(s string) bool { return !slices.Contains(v.Reasons, s) })
			}
		}
	}
	if out.Stopped = usable > 0 && stopped == usable && usable == len(d.Hops); !out.Stopped {
		out.Reasons = nil
	}
	out.Able = job.Common(able)
	if !out.Read {
		out.Formats = []string{pages.PDF, pages.PWG, pages.URF, pages.JPEG, pages.PostScript, pages.Text}
		out.Able, out.Colour, out.Own = maps.Clone(basic), true, map[string]any{}
	}
	if !slices.Contains(out.Formats, pages.Unsaid) { // what it is, the document says
		out.Formats = append(out.Formats, pages.Unsaid)
	}
	own := map[string]any{}
	for _, from := range []map[string]any{out.Own, d.Queue.Defaults} {
		for k, v := range from {
			if out.Able[k] == nil || job.Able(out.Able, k, v) {
				own[k] = v
			}
		}
	}
	out.Own = own
	return out
}

// add takes what a device can into what all can.
func (o *Offer) add(v *stock.Device, formats []string, able *[]map[string][]string) {
	values := v.Able
	if values == nil {
		values = v.Supported // as older versions read it
	}
	if values != nil {
		*able = append(*able, values)
	}
	if v.Model != "" && !slices.Contains(o.Models, v.Model) {
		o.Models = append(o.Models, v.Model)
	}
	colour := v.Colour != nil && *v.Colour
	if !o.Read {
		o.Read, o.Formats, o.Own, o.Colour, o.Supplies = true, formats, v.Defaults, colour, v.Supplies
		return
	}
	o.Supplies, o.Colour = nil, o.Colour && colour
	o.Formats = slices.DeleteFunc(slices.Clone(o.Formats), func(f string) bool { return !slices.Contains(formats, f) })
}

// takesOf are the formats that a device takes, with PDF where that can be made into one of them.
func (r *Room) takesOf(v *stock.Device) []string {
	out := slices.Clone(v.Formats)
	if len(out) == 0 {
		out = []string{pages.PDF, pages.PWG, pages.URF, pages.JPEG, pages.PostScript, pages.Text}
	}
	if r.cfg.Converter != nil && !slices.Contains(out, pages.PDF) && slices.ContainsFunc(r.cfg.Converter.Formats(),
		func(f string) bool { return slices.Contains(out, f) }) {
		out = append(out, pages.PDF)
	}
	return out
}

// Waiting counts the jobs of a queue that have not ended, so many at most.
func (r *Room) Waiting(ctx context.Context, d *Door) int {
	n, err := r.store.JobCount(ctx, job.Filter{Queues: append([]string{d.Queue.Name}, d.Queue.Formerly...), Open: true},
		9999)
	if err != nil {
		return 0
	}
	return n
}

// Charges gives what whoever stands there may charge jobs to.
func (r *Room) Charges(d *Door) []estate.Charge {
	list, err := lineup.Charges(r.present.View().World, d.context)
	if err != nil {
		return nil
	}
	return list
}

// Identify has the devices of a queue show which they are.
func (r *Room) Identify(ctx context.Context, d *Door, says string) error {
	if err := access.Check(d.By, access.Print); err != nil {
		return err
	}
	did := 0
	var last error
	for _, h := range d.Hops {
		if err := r.cfg.Devices.Identify(ctx, h.URI, r.signIn(h.Device, h.URI), says); err != nil {
			last = err
			continue
		}
		did++
	}
	if did == 0 && last != nil {
		return fault.New(fault.Unavailable, "not-identified", "go and look", "no device behind %s shows which it is",
			d.Queue.Name).Because(last)
	}
	return nil
}
