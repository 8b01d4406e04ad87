package winspool

import (
	"errors"
	"runtime"
	"slices"
	"syscall"
	"unsafe"

	"golang.org/x/sys/windows"
)

// driverInfo3 is DRIVER_INFO_3W.
type driverInfo3 struct {
	version                                                                               uint32
	name, environment, path, data, config, help, dependentFiles, monitor, defaultDatatype *uint16
}

// Environments name what drivers are for, by GOARCH.
var Environments = map[string]string{"amd64": "Windows x64", "386": "Windows NT x86", "arm64": "Windows ARM64"}

// driverInfo6 is DRIVER_INFO_6W, which begins as level 3 does.
type driverInfo6 struct {
	driverInfo3
	previousNames              *uint16
	date                       windows.Filetime
	number                     uint64
	maker, url, hardware, from *uint16
}

// Drivers lists those that are installed for this machine.
func Drivers() ([]Driver, error) {
	var count uint32
	buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
		return call(enumDrivers, "", 0, 0, 6, uintptr(ptr(b)), uintptr(size), uintptr(ptr(needed)),
			uintptr(ptr(&count)))
	})
	if err != nil {
		return nil, err
	}
	var out []Driver
	for _, d := range unsafe.Slice((*driverInfo6)(unsafe.Pointer(&buf[0])), count) {
		out = append(out, Driver{Name: windows.UTF16PtrToString(d.name), Environment: windows.UTF16PtrToString(d.environment),
			Version: d.version, Path: windows.UTF16PtrToString(d.path), Data: windows.UTF16PtrToString(d.data),
			Config: windows.UTF16PtrToString(d.config), Number: d.number})
	}
	runtime.KeepAlive(buf)
	return out, nil
}

// DriverDirectory is where the files of drivers go before AddDriver.
func DriverDirectory() (string, error) {
	buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
		return call(driverDirectory, "", 0, 0, 1, uintptr(ptr(b)), uintptr(size), uintptr(ptr(needed)))
	})
	if err != nil {
		return "", err
	}
	return windows.UTF16ToString(unsafe.Slice((*uint16)(unsafe.Pointer(&buf[0])), len(buf)/2)), nil
}

// AddDriver installs a driver whose files lie in DriverDirectory (AddPrinterDriverEx, APD_COPY_ALL_FILES).
func AddDriver(d Driver) error {
	const copyAll = 0x4
	info := driverInfo3{version: d.Version, name: wide(d.Name), environment: wide(d.Environment), path: wide(d.Path),
		data: wide(d.Data), config: wide(d.Config), help: text16(""), dependentFiles: text16(""), monitor: text16(""),
		defaultDatatype: wide("RAW")}
	err := call(addDriver, d.Name, 0, 3, uintptr(ptr(&info)), copyAll)
	if errors.Is(err, errDriverExists) {
		return nil
	}
	return err
}

const errDriverExists = syscall.Errno(1795) // ERROR_PRINTER_DRIVER_ALREADY_INSTALLED

// ErrNoPackages is the error of a spooler that installs drivers from their files alone.
var ErrNoPackages = errors.New("this system's spooler installs no packages of drivers")

// InstallPackage puts a driver's package into the store of this system, and installs a driver out of it by its exact
// name (UploadPrinterDriverPackage, InstallPrinterDriverFromPackage). Without an INF the driver is one that the system
// brings along. The calls answer with an HRESULT.
func InstallPackage(inf, exact, environment string) error {
	for _, p := range []*windows.LazyProc{uploadPackage, installFromPackage} {
		if p.Find() != nil {
			return ErrNoPackages
		}
	}
	var from *uint16 // of the system's own
	if inf != "" {
		const silent = 0x1 // UPDP_SILENT_UPLOAD
		stored := make([]uint16, windows.MAX_LONG_PATH)
		length := uint32(len(stored))
		r, _, _ := uploadPackage.Call(0, uintptr(ptr(wide(inf))), uintptr(ptr(wide(environment))), silent, 0,
			uintptr(ptr(&stored[0])),
			uintptr(ptr(&length)))
		if int32(r) < 0 {
			return &Error{uploadPackage.Name, exact, reason(r)}
		}
		from = &stored[0]
	}
	r, _, _ := installFromPackage.Call(0, uintptr(ptr(from)), uintptr(ptr(wide(exact))),
		uintptr(ptr(wide(environment))), 0)
	if int32(r) < 0 {
		return &Error{installFromPackage.Name, exact, reason(r)}
	}
	return nil
}

// reason is the error within an HRESULT.
func reason(r uintptr) syscall.Errno {
	const ofWin32 = 0x80070000
	if uint32(r)&0xffff0000 == ofWin32 {
		return syscall.Errno(r & 0xffff)
	}
	return syscall.Errno(uint32(r))
}

// DefaultMode gives the DEVMODE that a queue's driver makes for it, with what in has put into it, as far as the driver
// takes that; in may be nil.
func DefaultMode(name string, in []byte) (out []byte, err error) {
	err = read(name, func(h windows.Handle) error {
		size, _, no := documentProperties.Call(0, uintptr(h), uintptr(ptr(wide(name))), 0, 0, 0)
		if int32(size) <= 0 {
			return failed(documentProperties, name, no)
		}
		out = aligned(uint32(size))
		mode := uintptr(0x2) // DM_OUT_BUFFER
		var from *byte
		if len(in) > 0 {
			mode |= 0x8 // DM_IN_BUFFER
			from = &slices.Clone(in)[0]
		}
		r, _, no := documentProperties.Call(0, uintptr(h), uintptr(ptr(wide(name))), uintptr(ptr(&out[0])),
			uintptr(ptr(from)), mode)
		if int32(r) < 0 {
			return failed(documentProperties, name, no)
		}
		return nil
	})
	return out, err
}
