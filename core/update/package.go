// Package update decides which endpoints are brought to another version of the agent, and when: a share of them first,
// the others once those have come through, nobody more once something goes wrong. It does nothing itself.
package update

import (
	"cmp"
	"regexp"
	"strconv"
	"strings"
	"time"

	"cirque/core/fault"
)

// An AgentPackage is one of the agent, as make packages leaves it.
type AgentPackage struct {
	Digest   string    `json:"digest" doc:"SHA-256 of the file, hexadecimal."`
	File     string    `json:"file"`
	Version  string    `json:"version"`
	Platform string    `json:"platform" doc:"Such as linux/x64."`
	Kind     string    `json:"kind" enum:"deb,rpm,msi,archive"`
	Bytes    int64     `json:"bytes"`
	Author   string    `json:"author"`
	At       time.Time `json:"at"`
}

// Kinds of packages, by what installs them.
const (
	Deb     = "deb"
	RPM     = "rpm"
	MSI     = "msi"
	Archive = "archive"
	// Left is said by a machine whose agent is left to device management.
	Left = "left"
)

// Limits of packages.
const (
	MaxBytes = 64 << 20
	Chunk    = 1 << 20 // octets that are handed out at once
	MaxFile  = 128     // octets of a file's name
	MaxKept  = 100     // packages
)

// names are the files that make packages leaves, with their systems and the kind of each.
var names = []struct {
	pattern      *regexp.Regexp
	system, kind string
}{
	{regexp.MustCompile(`^cirque-agent_(\d+\.\d+\.\d+)_(amd64|arm64)\.deb$`), "linux", Deb},
	{regexp.MustCompile(`^cirque-agent-(\d+\.\d+\.\d+)-1\.(x86_64|aarch64)\.rpm$`), "linux", RPM},
	{regexp.MustCompile(`^cirque-agent-(\d+\.\d+\.\d+)-(x64)\.msi$`), "windows", MSI},
	{regexp.MustCompile(`^cirque-agent-(\d+\.\d+\.\d+)-macos-(x64|amd64|arm64)\.tar\.gz$`), "macos", Archive},
}

var processors = map[string]string{"amd64": "x64", "x86_64": "x64", "x64": "x64", "arm64": "arm64", "aarch64": "arm64"}

// begins are the first octets of what is in a file of each kind.
var begins = map[string]string{Deb: "!<arch>\n", RPM: "\xed\xab\xee\xdb", MSI: "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1",
	Archive: "\x1f\x8b"}

// Named says what a package's file is for, by its name; an Invalid fault where it is none of the agent.
func Named(file string) (AgentPackage, error) {
	for _, n := range names {
		if m := n.pattern.FindStringSubmatch(file); m != nil {
			return AgentPackage{File: file, Version: m[1], Platform: n.system + "/" + processors[m[2]], Kind: n.kind}, nil
		}
	}
	return AgentPackage{}, fault.New(fault.Invalid, "agent-package-name", "give the files as make packages leaves them: "+
		"cirque-agent_0.2.0_amd64.deb, cirque-agent-0.2.0-1.x86_64.rpm, cirque-agent-0.2.0-x64.msi, "+
		"cirque-agent-0.2.0-macos-arm64.tar.gz", "%q is no package of the agent by its name", file)
}

// Holds holds a package's contents against its kind; an Invalid fault where they are something else.
func (p AgentPackage) Holds(data []byte) error {
	if len(data) > MaxBytes {
		return fault.New(fault.Invalid, "agent-package-large", "give the file as make packages leaves it", "%s has more "+
			"than 64 MiB", p.File)
	}
	if !strings.HasPrefix(string(data[:min(len(data), 8)]), begins[p.Kind]) {
		return fault.New(fault.Invalid, "agent-package-broken", "copy it once more", "%s does not begin as a .%s does",
			p.File, strings.TrimPrefix(p.Kind, "."))
	}
	return nil
}

// Numbers reads a version of three numbers; ok is false for what is none, such as one that was built by hand.
func Numbers(version string) (n [3]int, ok bool) {
	parts := strings.Split(version, ".")
	if len(parts) != 3 {
		return n, false
	}
	for i, p := range parts {
		v, err := strconv.Atoi(p)
		if err != nil || v < 0 || v > 1e6 || strconv.Itoa(v) != p {
			return n, false
		}
		n[i] = v
	}
	return n, true
}

// Compare orders two versions; what is no version comes first.
func Compare(a, b string) int {
	x, xok := Numbers(a)
	y, yok := Numbers(b)
	switch {
	case !xok && !yok:
		return cmp.Compare(a, b)
	case !xok:
		return -1
	case !yok:
		return 1
	}
	return cmp.Or(cmp.Compare(x[0], y[0]), cmp.Compare(x[1], y[1]), cmp.Compare(x[2], y[2]))
}
