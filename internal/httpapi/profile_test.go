package httpapi

import (
	"testing"

	"cirque/core/access"
	"cirque/core/fault"
)

// TestProfile: owners alone have profiles, and only those that there are.
func TestProfile(t *testing.T) {
	t.Parallel()
	for _, role := range access.Roles() {
		_, err := profileOf(&access.Principal{Name: "mira", Role: role}, "heap")
		if allowed := role == access.Owner; allowed != (err == nil) {
			t.Errorf("%s: %v", role, err)
		}
	}
	if _, err := profileOf(nil, "heap"); err == nil {
		t.Error("nobody has one")
	}
	owner := &access.Principal{Name: "mira", Role: access.Owner}
	for _, kind := range profiles {
		if h, err := profileOf(owner, kind); h == nil || err != nil {
			t.Error(kind, err)
		}
	}
	if _, err := profileOf(owner, "cmdline"); !fault.Is(err, fault.Unknown) {
		t.Error(err)
	}
}
