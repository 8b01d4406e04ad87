package endpoint

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/core/words"
)

// MaxAttached bounds what a report tells of printers that are plugged in.
const MaxAttached = 64

// An Attached is what a machine's spooler finds plugged into it: by USB, or a parallel or serial line.
type Attached struct {
	URI       string   `json:"uri" yaml:"uri" maxLength:"1023" doc:"Such as usb://Skerrymark/Slip%203?serial=SK-3."`
	Model     string   `json:"model,omitempty" yaml:"model,omitempty" maxLength:"256"`
	Serial    string   `json:"serial,omitempty" yaml:"serial,omitempty" maxLength:"256"`
	Languages []string `json:"languages,omitempty" yaml:"languages,omitempty" maxItems:"32" doc:"Page languages that it says it speaks."`
	Printer   *bool    `json:"printer,omitempty" yaml:"printer,omitempty" doc:"Whether it says that it is a printer; absent where it says nothing, as on a serial line."`
}

// NewAttached reads what a spooler tells of a device: its URI, what it calls the model, and the device's own words
// about itself (IEEE 1284, section 7.6: KEY:VALUE; pairs, keys long or short). ok is false where it is not plugged in.
func NewAttached(uri, model, id string) (a Attached, ok bool) {
	if !estate.Attached(uri) {
		return a, false
	}
	said := map[string]string{}
	for _, pair := range strings.Split(id, ";") {
		if k, v, ok := strings.Cut(pair, ":"); ok {
			said[strings.ToUpper(strings.TrimSpace(k))] = strings.TrimSpace(v)
		}
	}
	a = Attached{URI: uri, Model: model, Serial: cmp.Or(estate.SerialOf(uri), said["SN"], said["SERN"],
		said["SERIALNUMBER"])}
	if maker, of := cmp.Or(said["MFG"], said["MANUFACTURER"]), cmp.Or(said["MDL"], said["MODEL"]); of != "" {
		a.Model = strings.TrimSpace(maker + " " + of)
		if strings.HasPrefix(strings.ToLower(of), strings.ToLower(maker)) {
			a.Model = of
		}
	}
	if strings.EqualFold(a.Model, "unknown") {
		a.Model = ""
	}
	for _, l := range strings.Split(cmp.Or(said["CMD"], said["COMMAND SET"]), ",") {
		if l = strings.TrimSpace(l); l != "" && !slices.Contains(a.Languages, l) && len(a.Languages) < 32 {
			a.Languages = append(a.Languages, l)
		}
	}
	if class := cmp.Or(said["CLS"], said["CLASS"]); class != "" {
		is := strings.EqualFold(class, "PRINTER")
		a.Printer = &is
	}
	words.Clean(&a) // what a device calls itself is somebody's text
	a.Model, a.Serial = a.Model[:min(len(a.Model), 256)], a.Serial[:min(len(a.Serial), 256)]
	return a, true
}

// AttachedFor is for how long a look holds what is plugged in: agents look every ten minutes.
const AttachedFor = 30 * time.Minute

// Looked gives how long ago a machine looked what is plugged in; ok is false where it does not tell, or told too long
// ago for it to prove anything.
func (r Report) Looked(now time.Time) (ago time.Duration, ok bool) {
	if r.Attached == nil || r.AttachedAt == nil {
		return 0, false
	}
	ago = max(now.Sub(*r.AttachedAt), 0) // its clock may be ahead
	return ago, ago <= AttachedFor
}

// PluggedIn checks by what a machine told, where it did, whether a device is plugged into it as an estate says.
func PluggedIn(r Report, d estate.Device, now time.Time) Check {
	c := Check{Result: Unproven, By: "endpoint"}
	ago, fresh := r.Looked(now)
	as := AsDevices(r, []estate.Device{d})
	i := slices.IndexFunc(as, func(a AttachedAs) bool { return a.Device != "" })
	switch {
	case r.Machine == "":
		c.Says, c.Fix = "no agent of "+d.Machine+" has reported", "invite it: cirque enrol token"
	case r.Attached == nil:
		c.Says, c.Fix = "the agent of "+d.Machine+" does not tell what is plugged in", "update it, and see its log"
	case !fresh:
		c.Says, c.Fix = "it is long since "+d.Machine+" looked what is plugged in",
			"see that it runs, and call it: cirque "+
				"endpoint refresh "+d.Machine
	case i < 0:
		c.Result, c.Says = No, fmt.Sprintf("it is not plugged into %s, as that looked %s ago", d.Machine, words.Span(ago))
		c.Fix = "plug it in, or see what is: cirque endpoint attached " + d.Machine
	case as[i].Says != "":
		c.Result, c.Says, c.Fix = No, as[i].Says, "see what is plugged in: cirque endpoint attached "+d.Machine
	default:
		c.Result, c.Says = Yes, fmt.Sprintf("it is plugged into %s, as that looked %s ago", d.Machine, words.Span(ago))
	}
	return c
}

// An AttachedAs is what is plugged into a machine, beside what the estate has of it.
type AttachedAs struct {
	Attached
	Device string `json:"device,omitempty" doc:"The estate's device that it is."`
	Says   string `json:"says,omitempty" doc:"What is wrong with what the estate says of it."`
}

// AttachedUntold is the Conflict fault where an agent does not tell what is plugged into its machine.
func AttachedUntold(machine string) error {
	return fault.New(fault.Conflict, "attached-untold", "update its agent, and see its log; of its queues see "+
		"cirque-agent capture", "the agent of %s does not tell what is plugged in", machine)
}

// AsDevices sets what a report tells to be plugged in beside the devices of an estate: by serial number, wherever the
// estate has it, else by where it is plugged. Nil where the report does not tell.
func AsDevices(r Report, devices []estate.Device) []AttachedAs {
	if r.Attached == nil {
		return nil
	}
	out := []AttachedAs{}
	for _, a := range r.Attached {
		as := AttachedAs{Attached: a}
		for _, d := range devices {
			here := name.Fold(d.Machine) == name.Fold(r.Machine)
			serial := a.Serial != "" && strings.EqualFold(estate.SerialOf(d.URI), a.Serial)
			if d.Machine == "" || !serial && (!here || d.URI != a.URI) {
				continue
			}
			as.Device = d.Name
			switch {
			case !here:
				as.Says = "the estate has it plugged into " + d.Machine + "; if it was moved: cirque draft set device " + d.Name +
					" machine=" + r.Machine
			case d.URI != a.URI:
				as.Says = "the estate has it at " + d.URI
			}
			break
		}
		out = append(out, as)
	}
	return out
}
