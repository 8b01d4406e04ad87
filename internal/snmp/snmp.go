// Package snmp knows what a printer tells over SNMP: the objects of the Printer MIB (RFC 3805), Host Resources (RFC
// 2790) and the interfaces' table (RFC 2863) that say what it is, how it does and what it needs. It turns variables
// that were read into values, and opens no sockets.
package snmp

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Objects that have one instance; they are asked for in one request.
const (
	sysDescr    = "1.3.6.1.2.1.1.1.0"
	sysUpTime   = "1.3.6.1.2.1.1.3.0"
	sysName     = "1.3.6.1.2.1.1.5.0"
	sysLocation = "1.3.6.1.2.1.1.6.0"
	deviceDescr = "1.3.6.1.2.1.25.3.2.1.3.1" // hrDeviceDescr
	status      = "1.3.6.1.2.1.25.3.5.1.1.1" // hrPrinterStatus
	errorState  = "1.3.6.1.2.1.25.3.5.1.2.1" // hrPrinterDetectedErrorState
	serial      = "1.3.6.1.2.1.43.5.1.1.17.1"
	lifeCount   = "1.3.6.1.2.1.43.10.2.1.4.1.1" // prtMarkerLifeCount
	display     = "1.3.6.1.2.1.43.16.5.1.2.1.1" // prtConsoleDisplayBufferText
)

// Columns of tables; they are walked.
const (
	ifPhysAddress  = "1.3.6.1.2.1.2.2.1.6"
	suppliesDescr  = "1.3.6.1.2.1.43.11.1.1.6.1"
	suppliesMax    = "1.3.6.1.2.1.43.11.1.1.8.1"
	suppliesLevel  = "1.3.6.1.2.1.43.11.1.1.9.1"
	interpreterFam = "1.3.6.1.2.1.43.15.1.1.2.1"
)

// Scalars are the objects to ask for in one request.
func Scalars() []string {
	return []string{sysDescr, sysUpTime, sysName, sysLocation, deviceDescr, status, errorState, serial, lifeCount, display}
}

// Columns are those to walk.
func Columns() []string {
	return []string{ifPhysAddress, suppliesDescr, suppliesMax, suppliesLevel, interpreterFam}
}

// MaxRows bounds what is taken of one column.
const MaxRows = 64

// A Var is one variable that was read: Bytes of strings, Int of all numbers.
type Var struct {
	OID   string // digits and dots, without one in front
	Bytes []byte
	Int   int64
}

// A Printer is what it says of itself.
type Printer struct {
	Descr     string // of the system
	Model     string
	Name      string
	Location  string
	Serial    string
	MAC       string // six pairs divided by colons
	UpSeconds int
	State     string // idle, processing, stopped or unknown
	Reasons   []string
	Message   string
	Pages     int
	Languages []string
	Supplies  []Supply
}

// A Supply has a level of nil where the device does not know it (RFC 3805, prtMarkerSuppliesLevel).
type Supply struct {
	Name    string
	Percent *int
}

// IsPrinter says whether the variables are a printer's at all: Host Resources or the Printer MIB answered.
func (p Printer) IsPrinter() bool {
	return p.Serial != "" || p.Pages > 0 || len(p.Supplies) > 0 || len(p.Languages) > 0 || p.State != "unknown"
}

// Read puts variables together; their order does not matter, and what it does not know it passes over.
func Read(vars []Var) Printer {
	p := Printer{State: "unknown"}
	type supply struct {
		name       string
		most, left int64
	}
	supplies := map[int]*supply{}
	row := func(i int) *supply {
		if supplies[i] == nil {
			supplies[i] = &supply{most: -2, left: -2}
		}
		return supplies[i]
	}
	for _, v := range vars {
		switch v.OID {
		case sysDescr:
			p.Descr = clean(v.Bytes)
		case sysUpTime:
			p.UpSeconds = int(v.Int / 100)
		case sysName:
			p.Name = clean(v.Bytes)
		case sysLocation:
			p.Location = clean(v.Bytes)
		case deviceDescr:
			p.Model = clean(v.Bytes)
		case status:
			p.State = states[v.Int]
			if p.State == "" {
				p.State = "unknown"
			}
		case errorState:
			p.Reasons = reasons(v.Bytes)
		case serial:
			p.Serial = clean(v.Bytes)
		case lifeCount:
			p.Pages = int(min(max(v.Int, 0), 1<<40))
		case display:
			p.Message = clean(v.Bytes)
		default:
			column, index := split(v.OID)
			switch {
			case index < 0 || index > 1<<20:
			case column == ifPhysAddress && p.MAC == "":
				p.MAC = mac(v.Bytes)
			case column == suppliesDescr && len(supplies) < MaxRows:
				row(index).name = clean(v.Bytes)
			case column == suppliesMax && len(supplies) < MaxRows:
				row(index).most = v.Int
			case column == suppliesLevel && len(supplies) < MaxRows:
				row(index).left = v.Int
			case column == interpreterFam:
				if l := families[v.Int]; l != "" && !slices.Contains(p.Languages, l) {
					p.Languages = append(p.Languages, l)
				}
			}
		}
	}
	var order []int
	for i := range supplies {
		order = append(order, i)
	}
	slices.Sort(order)
	for _, i := range order {
		s := supplies[i]
		out := Supply{Name: s.name}
		switch {
		case s.name == "":
			continue
		case s.most > 0 && s.left >= 0:
			percent := int(min(100, s.left*100/s.most))
			out.Percent = &percent
		case s.left == 0:
			percent := 0
			out.Percent = &percent
		}
		p.Supplies = append(p.Supplies, out)
	}
	// A stopped printer is told by what is wrong with it: hrPrinterStatus has no word for it.
	if slices.ContainsFunc(p.Reasons, func(r string) bool { return stops[r] }) {
		p.State = "stopped"
	}
	return p
}

// states are those of hrPrinterStatus (RFC 2790).
var states = map[int64]string{1: "unknown", 3: "idle", 4: "processing", 5: "processing"}

// bits of hrPrinterDetectedErrorState, from the first byte's highest on, by IPP's keywords (RFC 8011, section 5.4.12).
var bits = []string{"media-low", "media-empty", "toner-low", "toner-empty", "door-open", "media-jam", "offline",
	"service-requested",
	"input-tray-missing", "output-tray-missing", "marker-supply-missing", "output-near-full", "output-area-full",
	"input-tray-empty", "overdue-prevent-maint"}

var stops = map[string]bool{"media-empty": true, "toner-empty": true, "door-open": true, "media-jam": true,
	"offline": true, "output-area-full": true, "marker-supply-missing": true}

func reasons(b []byte) []string {
	var out []string
	for i, word := range bits {
		if i/8 < len(b) && b[i/8]&(0x80>>(i%8)) != 0 {
			out = append(out, word)
		}
	}
	return out
}

// families are those of prtInterpreterLangFamily (RFC 3805, PrtInterpreterLangFamilyTC) that drivers are made for.
var families = map[int64]string{3: "PCL", 4: "HPGL", 5: "PJL", 6: "PostScript", 47: "PCL6", 54: "PDF"}

func split(oid string) (column string, index int) {
	i := strings.LastIndexByte(oid, '.')
	if i < 0 {
		return "", -1
	}
	n, err := strconv.Atoi(oid[i+1:])
	if err != nil {
		return "", -1
	}
	return oid[:i], n
}

// clean makes a device's string fit to be shown: valid, on one line, of moderate length.
func clean(b []byte) string {
	s := string(b[:min(len(b), 1024)])
	if !utf8.ValidString(s) {
		r := make([]rune, 0, len(s))
		for _, c := range []byte(s) {
			r = append(r, rune(c)) // ISO 8859-1, as most that are not UTF-8 are
		}
		s = string(r)
	}
	s = strings.Map(func(r rune) rune {
		if r < ' ' || r >= 0x7f && r < 0xa0 {
			return ' '
		}
		return r
	}, s)
	return strings.TrimSpace(strings.Join(strings.Fields(s), " "))
}

func mac(b []byte) string {
	if len(b) != 6 || !slices.ContainsFunc(b, func(c byte) bool { return c != 0 }) {
		return ""
	}
	return fmt.Sprintf("%02x:%02x:%02x:%02x:%02x:%02x", b[0], b[1], b[2], b[3], b[4], b[5])
}
