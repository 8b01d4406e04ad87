package endpoint

import (
	"cmp"
	"slices"
	"strings"

	"cirque/core/estate"
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

// An AttachedAs is what is plugged into a machine, beside what the estate has of it.
type AttachedAs struct {
	Attached
	Device string `json:"device,omitempty" doc:"The estate's device that it is."`
	Says   string `json:"says,omitempty" doc:"What is wrong with what the estate says of it."`
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
