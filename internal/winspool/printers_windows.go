package winspool

import (
	"errors"
	"runtime"
	"slices"
	"syscall"
	"unsafe"

	"golang.org/x/sys/windows"
)

// printerInfo2 is PRINTER_INFO_2W.
type printerInfo2 struct {
	server, name, share, port, driver, comment, location *uint16
	mode                                                 *byte
	separator, processor, datatype, parameters           *uint16
	security                                             *windows.SECURITY_DESCRIPTOR
	attributes, priority, defaultPriority, start, stop   uint32
	status, jobs, pagesPerMinute                         uint32
}

const (
	enumLocal       = 0x2
	enumConnections = 0x4

	// PRINTER_ACCESS_ADMINISTER with the standard rights, without PRINTER_ACCESS_USE: a queue that takes no jobs of
	// anybody is administered all the same.
	administer = 0xF0004
	use        = 0x8
)

// Printers lists the queues that the spooler has itself.
func Printers() ([]Printer, error) {
	var count uint32
	buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
		return call(enumPrinters, "", enumLocal, 0, 2, uintptr(ptr(b)), uintptr(size), uintptr(ptr(needed)),
			uintptr(ptr(&count)))
	})
	if err != nil {
		return nil, err
	}
	var out []Printer
	for _, p := range unsafe.Slice((*printerInfo2)(unsafe.Pointer(&buf[0])), count) {
		out = append(out, p.printer())
	}
	runtime.KeepAlive(buf)
	return out, nil
}

func (p *printerInfo2) printer() Printer {
	out := Printer{Name: windows.UTF16PtrToString(p.name), Share: windows.UTF16PtrToString(p.share),
		Port: windows.UTF16PtrToString(p.port), Driver: windows.UTF16PtrToString(p.driver),
		Comment: windows.UTF16PtrToString(p.comment), Location: windows.UTF16PtrToString(p.location),
		Attributes: p.attributes, Status: p.status, Start: p.start, Stop: p.stop, Jobs: int(p.jobs)}
	if p.mode != nil {
		head := unsafe.Slice(p.mode, minimumModes)
		size := int(head[sizeAt]) | int(head[sizeAt+1])<<8
		extra := int(head[extraAt]) | int(head[extraAt+1])<<8
		out.Mode = slices.Clone(unsafe.Slice(p.mode, max(size+extra, minimumModes)))
	}
	if p.security != nil {
		out.Security = p.security.String()
	}
	return out
}

// opened has something done with a printer's handle.
func opened(name string, access uint32, do func(h windows.Handle) error) error {
	defaults := struct {
		datatype *uint16
		mode     uintptr
		access   uint32
	}{access: access}
	var h windows.Handle
	if err := call(openPrinter, name, uintptr(ptr(wide(name))), uintptr(ptr(&h)), uintptr(ptr(&defaults))); err != nil {
		return err
	}
	err := do(h)
	_, _, _ = closePrinter.Call(uintptr(h))
	return err
}

// read is opened for reading: as whoever prints, else, of a queue that is closed to everybody, as who administers it.
func read(name string, do func(h windows.Handle) error) error {
	err := opened(name, use, do)
	if errors.Is(err, windows.ERROR_ACCESS_DENIED) {
		err = opened(name, administer, do)
	}
	return err
}

// GetPrinter reads one queue; ok is false where there is none of that name.
func GetPrinter(name string) (p Printer, ok bool, err error) {
	err = read(name, func(h windows.Handle) error { p, err = get(h, name); return err })
	if errors.Is(err, ErrGone) {
		return p, false, nil
	}
	return p, err == nil, err
}

func get(h windows.Handle, name string) (Printer, error) {
	buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
		return call(getPrinter, name, uintptr(h), 2, uintptr(ptr(b)), uintptr(size), uintptr(ptr(needed)))
	})
	if err != nil {
		return Printer{}, err
	}
	p := (*printerInfo2)(unsafe.Pointer(&buf[0])).printer()
	runtime.KeepAlive(buf)
	return p, nil
}

// AddPrinter makes a queue.
func AddPrinter(p Printer) error {
	info, err := p.info()
	if err != nil {
		return err
	}
	if err := addPrinter.Find(); err != nil {
		return err
	}
	h, _, no := addPrinter.Call(0, 2, uintptr(ptr(info)))
	if h == 0 {
		return failed(addPrinter, p.Name, no)
	}
	_, _, _ = closePrinter.Call(h)
	return nil
}

func (p Printer) info() (*printerInfo2, error) {
	info := &printerInfo2{name: wide(p.Name), port: wide(p.Port), driver: wide(p.Driver), comment: text16(p.Comment),
		location: text16(p.Location), processor: wide("winprint"), datatype: wide("RAW"), share: text16(p.Share),
		parameters: text16(""), separator: text16(""), attributes: p.Attributes, start: p.Start, stop: p.Stop, priority: 1}
	if len(p.Mode) > 0 {
		info.mode = &p.Mode[0]
	}
	if p.Security != "" {
		sd, err := windows.SecurityDescriptorFromString(p.Security)
		if err != nil {
			return nil, err
		}
		info.security = sd
	}
	return info, nil
}

// text16 is a text that is there, also where it is empty.
func text16(s string) *uint16 {
	if s == "" {
		return new(uint16)
	}
	return wide(s)
}

// SetPrinter brings the queue that has a name to what p says, its name included.
func SetPrinter(name string, p Printer) error {
	return opened(name, administer, func(h windows.Handle) error {
		info, err := p.info()
		if err != nil {
			return err
		}
		return call(setPrinter, name, uintptr(h), 2, uintptr(ptr(info)), 0)
	})
}

// SetSecurity gives a queue a security descriptor, in SDDL (PRINTER_INFO_3).
func SetSecurity(name, sddl string) error {
	sd, err := windows.SecurityDescriptorFromString(sddl)
	if err != nil {
		return err
	}
	return opened(name, administer, func(h windows.Handle) error {
		info := struct{ sd *windows.SECURITY_DESCRIPTOR }{sd}
		return call(setPrinter, name, uintptr(h), 3, uintptr(ptr(&info)), 0)
	})
}

// SetMode gives a queue its default DEVMODE (PRINTER_INFO_8).
func SetMode(name string, mode []byte) error {
	return opened(name, administer, func(h windows.Handle) error {
		info := struct{ mode *byte }{&mode[0]}
		return call(setPrinter, name, uintptr(h), 8, uintptr(ptr(&info)), 0)
	})
}

// Resume has a paused queue go on.
func Resume(name string) error {
	const resume = 2 // PRINTER_CONTROL_RESUME
	return opened(name, administer, func(h windows.Handle) error {
		return call(setPrinter, name, uintptr(h), 0, 0, resume)
	})
}

// DeletePrinter takes a queue away; one that is not there is no error.
func DeletePrinter(name string) error {
	err := opened(name, administer, func(h windows.Handle) error { return call(deletePrinter, name, uintptr(h)) })
	if errors.Is(err, ErrGone) {
		return nil
	}
	return err
}

// Data reads a text that is kept with a queue; empty where there is none.
func Data(name, key, value string) (text string, err error) {
	err = read(name, func(h windows.Handle) error {
		for size := uint32(4 << 10); ; {
			buf := aligned(size)
			var kind, needed uint32
			r, _, _ := getPrinterDataEx.Call(uintptr(h), uintptr(ptr(wide(key))), uintptr(ptr(wide(value))),
				uintptr(ptr(&kind)),
				uintptr(ptr(&buf[0])), uintptr(size), uintptr(ptr(&needed))) // it answers with the error itself
			switch no := syscall.Errno(r); {
			case no == windows.ERROR_MORE_DATA && size < mostData:
				size = max(needed, 2*size)
			case no == windows.ERROR_FILE_NOT_FOUND:
				return nil
			case no != 0:
				return &Error{getPrinterDataEx.Name, name, no}
			case kind != windows.REG_SZ:
				return nil
			default:
				text = windows.UTF16ToString(unsafe.Slice((*uint16)(unsafe.Pointer(&buf[0])), needed/2))
				return nil
			}
		}
	})
	return text, err
}

// mostData bounds what is read of a text that is kept with a queue, in octets.
const mostData = 1 << 20

// SetData keeps a text with a queue; it stays with it when the queue is renamed.
func SetData(name, key, value, text string) error {
	u, err := windows.UTF16FromString(text)
	if err != nil {
		return err
	}
	return opened(name, administer, func(h windows.Handle) error {
		r, _, _ := setPrinterDataEx.Call(uintptr(h), uintptr(ptr(wide(key))), uintptr(ptr(wide(value))), windows.REG_SZ,
			uintptr(ptr(&u[0])), uintptr(2*len(u)))
		if r != 0 { // it answers with the error itself
			return &Error{setPrinterDataEx.Name, name, syscall.Errno(r)}
		}
		return nil
	})
}
