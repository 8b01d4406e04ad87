package sim

import (
	"slices"
	"time"
)

// A Spec describes one stand-in in a file.
type Spec struct {
	For      string   `yaml:"for"`    // the documented address, host:port
	Listen   string   `yaml:"listen"` // on loopback
	Name     string   `yaml:"name"`
	Maker    string   `yaml:"maker"`
	Model    string   `yaml:"model"`
	Serial   string   `yaml:"serial"`
	UUID     string   `yaml:"uuid"`
	MAC      string   `yaml:"mac"`
	Location string   `yaml:"location"` // where it says it is
	Firmware string   `yaml:"firmware"`
	Can      []string `yaml:"can"`      // colour, two-sided, sizes (a3, slip, …), postscript, text-only, no-pdf
	SNMP     string   `yaml:"snmp"`     // the community; without one it answers no SNMP
	Supplies []Supply `yaml:"supplies"` // told over SNMP
	Habit    string   `yaml:"habit"`    // jams, slow or garbage
	SignIn   string   `yaml:"sign_in"`  // NAME:PASSWORD that it wants
	// Pace is how long a page takes; without it all of a job is printed before its answer.
	Pace time.Duration `yaml:"pace"`
	// Old devices know no Create-Job.
	Old bool `yaml:"old"`

	// Server makes it a print server. Without Queues it has one under any name; with them it lists and has just these.
	Server    bool    `yaml:"server"`
	Listing   string  `yaml:"listing"` // system (PWG 5100.22) or spooler
	Queues    []Queue `yaml:"queues"`
	Remembers int     `yaml:"remembers"` // ended jobs that it knows of
}

// A Queue is one of a server's.
type Queue struct {
	Name     string            `yaml:"name"`
	Title    string            `yaml:"title"`
	Location string            `yaml:"location"`
	Model    string            `yaml:"model"`
	Device   string            `yaml:"device"`
	Defaults map[string]string `yaml:"defaults"`
	Can      []string          `yaml:"can"`
	Stopped  string            `yaml:"stopped"` // the reason
	Waiting  int               `yaml:"waiting"`
	Unshared bool              `yaml:"unshared"`
	changed  int
}

// A Supply is toner and the like; a Level below 0 is unknown.
type Supply struct {
	Name  string `yaml:"name"`
	Level int    `yaml:"level"`
}

func (p *Printer) slowness() time.Duration { return 20 * time.Second }

func (p *Printer) can(q Queue, what string) bool {
	if q.Name != "" {
		return slices.Contains(q.Can, what)
	}
	return slices.Contains(p.Can, what)
}

func (p *Printer) formats(q Queue) []string {
	switch {
	case p.can(q, "text-only"):
		return []string{"application/octet-stream", "text/plain"}
	case p.can(q, "no-pdf"):
		return []string{"application/octet-stream", "image/pwg-raster", "text/plain"}
	}
	out := []string{"application/octet-stream", "application/pdf", "image/pwg-raster", "image/jpeg", "text/plain"}
	if p.can(q, "postscript") {
		out = append(out, "application/postscript")
	}
	return out
}

func (p *Printer) sides(q Queue) []string {
	if p.can(q, "two-sided") || !p.Server && len(p.Can) == 0 {
		return []string{"one-sided", "two-sided-long-edge", "two-sided-short-edge"}
	}
	return []string{"one-sided"}
}

func (p *Printer) media(q Queue) []string {
	switch {
	case p.can(q, "slip"):
		return []string{"om_slip_80x200mm"}
	case p.can(q, "label"):
		return []string{"om_label_100x150mm", "om_label_50x25mm"}
	case p.can(q, "wide"):
		return []string{"iso_a0_841x1189mm", "iso_a1_594x841mm", "iso_a3_297x420mm"}
	case p.can(q, "a3"), !p.Server && len(p.Can) == 0:
		return []string{"iso_a4_210x297mm", "iso_a3_297x420mm"}
	}
	out := []string{"iso_a4_210x297mm", "iso_a5_148x210mm"}
	if p.can(q, "letter") {
		out = append(out, "na_letter_8.5x11in")
	}
	if p.can(q, "photo") {
		out = append(out, "na_index-4x6_4x6in")
	}
	return out
}

func (p *Printer) sources(q Queue) []string {
	switch {
	case p.can(q, "slip"), p.can(q, "label"), p.can(q, "wide"):
		return []string{"main-roll"}
	}
	return []string{"auto", "tray-1", "tray-2", "by-pass-tray"}
}

func (p *Printer) colours(q Queue) []string {
	if p.can(q, "colour") {
		return []string{"auto", "color", "monochrome"}
	}
	return []string{"monochrome"}
}
