// Package winspool speaks the print spooler of Windows through its documented calls (Win32 API, "Print Spooler API" and
// "TCPMON Xcv Interface"), as typed values. It knows that spooler and nothing of estates. The values and their
// encodings are the same on every system; the calls themselves are there on Windows alone, and
// docs/reference/windows.md tells of each where it is run in tests.
package winspool

import (
	"fmt"
	"strings"
	"syscall"
)

// A Printer is a queue of the spooler, as PRINTER_INFO_2 tells it.
type Printer struct {
	Name     string
	Share    string
	Port     string
	Driver   string
	Comment  string
	Location string
	Mode     []byte // its default DEVMODE, public and private part; nil where the driver has none
	Security string // its security descriptor, in SDDL; empty where it cannot be read

	Attributes  uint32
	Status      uint32
	Start, Stop uint32 // minutes after midnight UTC between which it prints; equal for always
	Jobs        int
}

// ErrGone is within the error of a call for a queue that is not there: ERROR_INVALID_PRINTER_NAME.
const ErrGone = syscall.Errno(1801)

// Attributes and states of printers (PRINTER_INFO_2), as far as they are used.
const (
	AttributeLocal       = 0x40
	AttributeWorkOffline = 0x400
	StatusPaused         = 0x1
)

// A Driver is one that is installed, as DRIVER_INFO_3 tells it.
type Driver struct {
	Name        string // its exact name
	Environment string // such as "Windows x64"
	Version     uint32
	Path        string // the file that draws
	Data        string // what describes the printer to it
	Config      string // what shows its settings
	Number      uint64 // its version, four numbers of 16 bits
}

// A Port is where a queue sends what is printed, as PORT_INFO_2 tells it.
type Port struct{ Name, Monitor, Description string }

// TCP says whether it is one of MonitorTCP, which the system names in two ways.
func (p Port) TCP() bool {
	return p.Description == MonitorTCP || strings.EqualFold(p.Monitor, "tcpmon.dll")
}

// A Job is one that waits or prints, as JOB_INFO_1 tells it.
type Job struct {
	ID        uint32
	Document  string
	User      string
	Status    uint32
	Text      string // the status in words, where a driver or monitor gave any
	Pages     uint32
	Submitted string // RFC 3339
}

// States of jobs (JOB_INFO_1).
const (
	JobPaused    = 0x1
	JobError     = 0x2
	JobDeleting  = 0x4
	JobSpooling  = 0x8
	JobPrinting  = 0x10
	JobOffline   = 0x20
	JobPaperOut  = 0x40
	JobPrinted   = 0x80
	JobDeleted   = 0x100
	JobBlocked   = 0x200
	JobCompleted = 0x1000
)

// A Session is one of the terminal services (WTS_SESSION_INFO, WTSQuerySessionInformation).
type Session struct {
	ID       uint32
	State    uint32
	User     string
	Domain   string
	Client   string // the name of the computer from which it is used; empty at the machine itself
	Address  string // that computer's address
	Protocol uint16
}

// States and protocols of sessions (WTS_CONNECTSTATE_CLASS, WTSClientProtocolType).
const (
	SessionDisconnected = 4
	ProtocolConsole     = 0
	ProtocolRDP         = 2
)

// Version writes a driver's version as people know it, such as 3.1.0.0; empty for none.
func Version(n uint64) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf("%d.%d.%d.%d", uint16(n>>48), uint16(n>>32), uint16(n>>16), uint16(n))
}

// JobInWords says how a job is: in the system's words where it has any.
func JobInWords(j Job) string {
	if j.Text != "" {
		return j.Text
	}
	var out []string
	for _, s := range []struct {
		bit  uint32
		says string
	}{{JobError, "failed"}, {JobOffline, "waits: the printer is offline"},
		{JobPaperOut, "waits: the printer is out of paper"},
		{JobBlocked, "is blocked by the driver"}, {JobPaused, "is held"}, {JobPrinting, "is being sent"},
		{JobSpooling, "is being taken"}, {JobDeleting, "is being deleted"}} {
		if j.Status&s.bit != 0 {
			out = append(out, s.says)
		}
	}
	if len(out) == 0 {
		return "waits"
	}
	return strings.Join(out, ", ")
}
