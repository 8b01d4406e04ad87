package driver

import (
	"cmp"
	"strings"
)

// Parts are the files by which a system loads a driver that it installs without its package: each a name out of the
// package.
type Parts struct {
	Driver string // draws
	Data   string // describes the printer to it
	Config string // shows its settings
	Help   string
}

// PartsOf gives the parts of a model by its exact name on one platform; ok is false where the file does not have it, or
// does not say what draws. What a set-up file leaves out is as the system takes it: the data are the driver, and so is
// what shows the settings.
func (f *INF) PartsOf(exact, platform string) (p Parts, ok bool) {
	err := f.modelLines(func(l modelLine) error {
		if l.key != exact || l.platform != platform || p.Driver != "" {
			return nil
		}
		return f.settings(l.values[0], l.decoration, func(e entry) {
			part := map[string]*string{"driverfile": &p.Driver, "datafile": &p.Data, "configfile": &p.Config,
				"helpfile": &p.Help}[strings.ToLower(e.key)]
			if part != nil && len(e.values) > 0 && *part == "" {
				*part = e.values[0]
			}
		})
	})
	p.Data, p.Config = cmp.Or(p.Data, p.Driver), cmp.Or(p.Config, p.Driver)
	return p, err == nil && p.Driver != ""
}

// Catalog names the file that holds the checksums of a package's files under a signature, for a platform; empty where
// the package has none.
func (f *INF) Catalog(platform string) string {
	decoration := map[string]string{"windows/x86": "ntx86", "windows/x64": "ntamd64", "windows/arm64": "ntarm64"}[platform]
	return cmp.Or(f.first("version", "catalogfile."+decoration), f.first("version", "catalogfile.nt"),
		f.first("version", "catalogfile"))
}
