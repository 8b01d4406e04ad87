package winspool

import (
	"errors"
	"runtime"
	"unsafe"

	"golang.org/x/sys/windows"
)

// Ports lists the ports of all monitors.
func Ports() ([]Port, error) {
	var count uint32
	buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
		return call(enumPorts, "", 0, 2, uintptr(ptr(b)), uintptr(size), uintptr(ptr(needed)), uintptr(ptr(&count)))
	})
	if err != nil {
		return nil, err
	}
	var out []Port
	for _, p := range unsafe.Slice((*struct { // PORT_INFO_2
		name, monitor, description *uint16
		kind, reserved             uint32
	})(unsafe.Pointer(&buf[0])), count) {
		out = append(out, Port{windows.UTF16PtrToString(p.name), windows.UTF16PtrToString(p.monitor),
			windows.UTF16PtrToString(p.description)})
	}
	runtime.KeepAlive(buf)
	return out, nil
}

// Monitors names the monitors of ports that are installed.
func Monitors() ([]string, error) {
	var count uint32
	buf, err := grown(func(b *byte, size uint32, needed *uint32) error {
		return call(enumMonitors, "", 0, 1, uintptr(ptr(b)), uintptr(size), uintptr(ptr(needed)), uintptr(ptr(&count)))
	})
	if err != nil {
		return nil, err
	}
	var out []string
	for _, m := range unsafe.Slice((**uint16)(unsafe.Pointer(&buf[0])), count) { // MONITOR_INFO_1
		out = append(out, windows.UTF16PtrToString(m))
	}
	runtime.KeepAlive(buf)
	return out, nil
}

// xcv has a monitor, or a port of one, do something by the name of the function. Its answer comes back.
func xcv(to, function string, in []byte, room uint32) ([]byte, error) {
	out := aligned(max(room, 8))
	err := opened(to, serverAdminister, func(h windows.Handle) error {
		var needed, status uint32
		var data *byte
		if len(in) > 0 {
			data = &in[0]
		}
		if err := call(xcvData, to, uintptr(h), uintptr(ptr(wide(function))), uintptr(ptr(data)), uintptr(len(in)),
			uintptr(ptr(&out[0])),
			uintptr(room), uintptr(ptr(&needed)), uintptr(ptr(&status))); err != nil {
			return err
		}
		if status != 0 {
			return &Error{"XcvData " + function, to, windows.Errno(status)}
		}
		return nil
	})
	return out[:room], err
}

const serverAdminister = 0x1 // SERVER_ACCESS_ADMINISTER

func monitor(name string) string { return ",XcvMonitor " + name }

// AddPort makes a port of a monitor from what the monitor takes; one that is there already is no error.
func AddPort(of string, data []byte) error {
	_, err := xcv(monitor(of), "AddPort", data, 0)
	if errors.Is(err, errPortExists) {
		return nil
	}
	return err
}

// DeletePort takes a port away; one that is not there is no error.
func DeletePort(of string, data []byte) error {
	_, err := xcv(monitor(of), "DeletePort", data, 0)
	if errors.Is(err, errUnknownPort) || errors.Is(err, windows.ERROR_FILE_NOT_FOUND) {
		return nil
	}
	return err
}

// ConfigTCPPort sets a port of MonitorTCP.
func ConfigTCPPort(name string, data []byte) error {
	_, err := xcv(",XcvPort "+name, "ConfigPort", data, 0)
	return err
}

// TCPPortSettings reads a port of MonitorTCP.
func TCPPortSettings(name string) (TCPPort, error) {
	ask := make([]byte, 132) // CONFIG_INFO_DATA_1: 128 reserved octets, and the version that is wanted
	ask[128] = 2
	room := uint32(tcpLayouts[1].size)
	b, err := xcv(",XcvPort "+name, "GetConfigInfo", ask, room)
	if err != nil {
		return TCPPort{}, err
	}
	return ReadTCPPort(b)
}

// PortName is what AddPort and DeletePort of MonitorLocal and MonitorInternet take.
func PortName(name string) []byte {
	u, err := windows.UTF16FromString(name)
	if err != nil {
		return nil
	}
	return unsafe.Slice((*byte)(unsafe.Pointer(&u[0])), 2*len(u))
}

// DeletedTCPPort is what DeletePort of MonitorTCP takes: a DELETE_PORT_DATA_1.
func DeletedTCPPort(name string) []byte {
	b := make([]byte, 128+98+12)
	putText(b, tcpNameRoom, name)
	b[128+98+2] = 0
	return b
}
