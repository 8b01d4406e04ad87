package winspool

import (
	"runtime"
	"slices"
	"syscall"
	"unsafe"

	"golang.org/x/sys/windows"
)

var (
	prntvpt       = windows.NewLazySystemDLL("prntvpt.dll")
	openProvider  = prntvpt.NewProc("PTOpenProvider")
	closeProvider = prntvpt.NewProc("PTCloseProvider")
	ticketToMode  = prntvpt.NewProc("PTConvertPrintTicketToDevMode")
	releaseMemory = prntvpt.NewProc("PTReleaseMemory")
	shlwapi       = windows.NewLazySystemDLL("shlwapi.dll")
	memStream     = shlwapi.NewProc("SHCreateMemStream")
	ole           = windows.NewLazySystemDLL("ole32.dll")
	coInitialize  = ole.NewProc("CoInitializeEx")
	coEnd         = ole.NewProc("CoUninitialize")
)

// ModeOfTicket has a queue's driver make a DEVMODE of a print ticket: what that says nothing of is the driver's own
// default. An error where the driver takes none.
func ModeOfTicket(name string, ticket []byte) (out []byte, err error) {
	for _, p := range []*windows.LazyProc{openProvider, closeProvider, ticketToMode, releaseMemory, memStream} {
		if err := p.Find(); err != nil {
			return nil, err
		}
	}
	runtime.LockOSThread() // COM belongs to a thread
	defer runtime.UnlockOSThread()
	if r, _, _ := coInitialize.Call(0, 0); int32(r) >= 0 {
		defer func() { _, _, _ = coEnd.Call() }()
	}
	var provider uintptr
	if r, _, _ := openProvider.Call(uintptr(ptr(wide(name))), 1, uintptr(ptr(&provider))); int32(r) < 0 {
		return nil, &Error{openProvider.Name, name, reason(r)}
	}
	defer func() { _, _, _ = closeProvider.Call(provider) }()
	stream, _, no := memStream.Call(uintptr(ptr(&ticket[0])), uintptr(len(ticket)))
	if stream == 0 {
		return nil, failed(memStream, name, no)
	}
	defer release(stream)
	const userDefault, jobScope = 0, 2 // kUserDefaultDevmode, kPTJobScope
	var size uint32
	var mode *byte
	r, _, _ := ticketToMode.Call(provider, stream, userDefault, jobScope, uintptr(ptr(&size)), uintptr(ptr(&mode)), 0)
	if int32(r) < 0 || mode == nil {
		return nil, &Error{ticketToMode.Name, name, reason(r)}
	}
	out = slices.Clone(unsafe.Slice(mode, size))
	_, _, _ = releaseMemory.Call(uintptr(ptr(mode)))
	return out, nil
}

// release gives a COM object back (IUnknown::Release, the third of its functions).
func release(object uintptr) {
	functions := *(*uintptr)(at(object))
	f := *(*uintptr)(at(functions + 2*unsafe.Sizeof(uintptr(0))))
	_, _, _ = syscall.SyscallN(f, object)
}
