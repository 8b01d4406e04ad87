package winspool

import (
	"errors"
	"fmt"
	"syscall"
	"unsafe"

	"golang.org/x/sys/windows"
)

var (
	winspool = windows.NewLazySystemDLL("winspool.drv")

	enumPrinters       = winspool.NewProc("EnumPrintersW")
	openPrinter        = winspool.NewProc("OpenPrinterW")
	closePrinter       = winspool.NewProc("ClosePrinter")
	addPrinter         = winspool.NewProc("AddPrinterW")
	deletePrinter      = winspool.NewProc("DeletePrinter")
	getPrinter         = winspool.NewProc("GetPrinterW")
	setPrinter         = winspool.NewProc("SetPrinterW")
	getPrinterDataEx   = winspool.NewProc("GetPrinterDataExW")
	setPrinterDataEx   = winspool.NewProc("SetPrinterDataExW")
	enumPorts          = winspool.NewProc("EnumPortsW")
	enumMonitors       = winspool.NewProc("EnumMonitorsW")
	xcvData            = winspool.NewProc("XcvDataW")
	enumDrivers        = winspool.NewProc("EnumPrinterDriversW")
	addDriver          = winspool.NewProc("AddPrinterDriverExW")
	driverDirectory    = winspool.NewProc("GetPrinterDriverDirectoryW")
	uploadPackage      = winspool.NewProc("UploadPrinterDriverPackageW")
	installFromPackage = winspool.NewProc("InstallPrinterDriverFromPackageW")
	documentProperties = winspool.NewProc("DocumentPropertiesW")
	startDoc           = winspool.NewProc("StartDocPrinterW")
	startPage          = winspool.NewProc("StartPagePrinter")
	writePrinter       = winspool.NewProc("WritePrinter")
	endPage            = winspool.NewProc("EndPagePrinter")
	endDoc             = winspool.NewProc("EndDocPrinter")
	enumJobs           = winspool.NewProc("EnumJobsW")
	getJob             = winspool.NewProc("GetJobW")
	getDefault         = winspool.NewProc("GetDefaultPrinterW")
	setDefault         = winspool.NewProc("SetDefaultPrinterW")
	addConnection      = winspool.NewProc("AddPrinterConnectionW")
	deleteConnection   = winspool.NewProc("DeletePrinterConnectionW")
)

// An Error is what a call of the spooler gave.
type Error struct {
	Call string
	Of   string
	Err  syscall.Errno
}

func (e *Error) Error() string {
	says := e.Err.Error()
	if e.Err == 0 {
		says = "it did not succeed, and gave no reason"
	}
	if e.Of == "" {
		return fmt.Sprintf("%s: %s (%d)", e.Call, says, uint32(e.Err))
	}
	return fmt.Sprintf("%s of %s: %s (%d)", e.Call, e.Of, says, uint32(e.Err))
}

func (e *Error) Unwrap() error { return e.Err }

// What calls answer where a name is not known, or is taken.
const (
	errPortExists  = syscall.Errno(183)  // ERROR_ALREADY_EXISTS
	errUnknownPort = syscall.Errno(1796) // ERROR_UNKNOWN_PORT
)

// call makes one. What stands in the error after a success is no error: the result alone counts. Where an argument is a
// pointer, its conversion has to stand in the call, so that what it points to stays where it is meanwhile.
//
//go:uintptrescapes
func call(p *windows.LazyProc, of string, args ...uintptr) error {
	if err := p.Find(); err != nil {
		return fmt.Errorf("%s: this system's spooler does not have it", p.Name)
	}
	if r, _, err := p.Call(args...); r == 0 {
		return failed(p, of, err)
	}
	return nil
}

func failed(p *windows.LazyProc, of string, err error) error {
	var no syscall.Errno
	_ = errors.As(err, &no)
	return &Error{p.Name, of, no}
}

// grown makes a call that fills a buffer, with one that is large enough.
func grown(fill func(buf *byte, size uint32, needed *uint32) error) ([]byte, error) {
	size := uint32(8 << 10)
	var err error
	for range 8 {
		buf := aligned(size)
		var needed uint32
		if err = fill(&buf[0], size, &needed); err == nil {
			return buf, nil
		}
		if e, ok := errors.AsType[*Error](err); !ok || e.Err != windows.ERROR_INSUFFICIENT_BUFFER &&
			e.Err != windows.ERROR_MORE_DATA {
			return nil, err
		}
		size = max(needed, 2*size)
	}
	return nil, err
}

// ptr is what is handed to a call: uintptr(ptr(x)), in the call itself.
type ptr = unsafe.Pointer

// aligned gives octets in which structures may lie.
func aligned(size uint32) []byte {
	words := make([]uint64, (size+7)/8)
	return unsafe.Slice((*byte)(unsafe.Pointer(&words[0])), size)
}

// wide gives a text for a call; nil for an empty one.
func wide(s string) *uint16 {
	if s == "" {
		return nil
	}
	p, err := windows.UTF16PtrFromString(s)
	if err != nil { // an octet 0 in it
		return nil
	}
	return p
}

// at is memory that the system owns, not Go.
func at(address uintptr) unsafe.Pointer { return *(*unsafe.Pointer)(unsafe.Pointer(&address)) }
