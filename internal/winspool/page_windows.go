package winspool

import (
	"runtime"
	"unsafe"

	"golang.org/x/sys/windows"
)

var (
	gdi       = windows.NewLazySystemDLL("gdi32.dll")
	createDC  = gdi.NewProc("CreateDCW")
	deleteDC  = gdi.NewProc("DeleteDC")
	startDocG = gdi.NewProc("StartDocW")
	endDocG   = gdi.NewProc("EndDoc")
	startPgG  = gdi.NewProc("StartPage")
	endPgG    = gdi.NewProc("EndPage")
	textOut   = gdi.NewProc("TextOutW")
	deviceCap = gdi.NewProc("GetDeviceCaps")
)

// PrintText prints lines through a queue's driver, as a program does, and gives the job's number.
func PrintText(name, title string, lines []string) (id uint32, err error) {
	dc, _, no := createDC.Call(uintptr(ptr(wide("WINSPOOL"))), uintptr(ptr(wide(name))), 0, 0)
	if dc == 0 {
		return 0, failed(createDC, name, no)
	}
	defer func() { _, _, _ = deleteDC.Call(dc) }()
	info := struct { // DOCINFOW
		size                  int32
		title, file, datatype *uint16
		kind                  uint32
	}{title: wide(title)}
	info.size = int32(unsafe.Sizeof(info))
	r, _, no := startDocG.Call(dc, uintptr(ptr(&info)))
	runtime.KeepAlive(&info)
	if int32(r) <= 0 {
		return 0, failed(startDocG, name, no)
	}
	id = uint32(r)
	if r, _, no := startPgG.Call(dc); int32(r) <= 0 {
		return id, failed(startPgG, name, no)
	}
	const dotsPerInch = 90 // LOGPIXELSY
	inch, _, _ := deviceCap.Call(dc, dotsPerInch)
	step := max(int32(inch)/5, 20)
	for i, l := range lines {
		u, err := windows.UTF16FromString(l)
		if err != nil || len(u) < 2 {
			continue
		}
		_, _, _ = textOut.Call(dc, uintptr(step), uintptr(step*int32(i+2)), uintptr(ptr(&u[0])), uintptr(len(u)-1))
	}
	if r, _, no := endPgG.Call(dc); int32(r) <= 0 {
		return id, failed(endPgG, name, no)
	}
	if r, _, no := endDocG.Call(dc); int32(r) <= 0 {
		return id, failed(endDocG, name, no)
	}
	return id, nil
}
