package agent

import (
	"context"
	"net"
	"net/netip"
	"os"
	"os/user"
	"runtime"
	"strings"
)

// A System learns facts from the operating system: the host's name, the addresses of its interfaces, its platform, and
// who is signed in, where the system tells. Run as an ordinary account, that one's is the one session.
type System struct{}

// Facts asks the operating system anew.
func (System) Facts(context.Context) (Facts, error) {
	name, err := os.Hostname()
	if err != nil {
		return Facts{}, err
	}
	f := Facts{Machine: name, Platform: platformOf(runtime.GOOS, runtime.GOARCH)}
	addrs, err := net.InterfaceAddrs()
	if err != nil {
		return f, err
	}
	for _, a := range addrs {
		p, err := netip.ParsePrefix(a.String())
		if ip := p.Addr().Unmap(); err == nil && ip.IsGlobalUnicast() {
			f.Addresses = append(f.Addresses, ip.String())
		}
	}
	if list, asked := signedIn(); asked { // the system's own account is nobody who prints
		f.Sessions = list
		return f, nil
	}
	if u, err := user.Current(); err == nil {
		// Windows puts the domain before the name.
		called := u.Username[strings.LastIndexByte(u.Username, '\\')+1:]
		f.Sessions = []Session{{User: called}}
	}
	return f, nil
}

// platformOf translates Go's words into those of the estate; "" where it has none.
func platformOf(goos, goarch string) string {
	system := map[string]string{"darwin": "macos", "windows": "windows", "linux": "linux", "android": "android",
		"ios": "ios"}[goos]
	arch := map[string]string{"amd64": "x64", "386": "x86", "arm64": "arm64"}[goarch]
	if system == "" || arch == "" {
		return ""
	}
	return system + "/" + arch
}
