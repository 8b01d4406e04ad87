package driver

import (
	"fmt"

	"cirque/core/fault"
)

// Best finds the package and the model of an exact name for a platform, the newest first.
func Best(packages []Package, exact, platform string) (of Package, best Model, ok bool) {
	for _, k := range packages {
		for _, m := range k.Models {
			if m.Exact == exact && Fits(m.Platform, platform) && (!ok || m.Date > best.Date || m.Date == best.Date &&
				k.At.After(of.At)) {
				best, of, ok = m, k, true
			}
		}
	}
	return of, best, ok
}

// NotHeld is the fault that says that no package has a name for a platform, and which name is nearly it.
func NotHeld(packages []Package, exact, platform string) error {
	var names []string
	for _, k := range packages {
		for _, m := range k.Models {
			if Fits(m.Platform, platform) {
				names = append(names, m.Exact)
			}
		}
	}
	if near := Nearest(exact, names); near != "" {
		return fault.New(fault.Unknown, "driver-not-held", fmt.Sprintf("write the name to the letter, or add the right "+
			"package: %s", Compare(exact, near).Says), "no driver package here has %q for %s; one has %q", exact,
			platform, near)
	}
	return fault.New(fault.Unknown, "driver-not-held", "add a package that accepts the name to the letter: "+
		"cirque driver add", "no driver package here has %q for %s", exact, platform)
}
