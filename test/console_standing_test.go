package test

import (
	"testing"

	"cirque/core/access"
)

// TestConsoleStanding: the console says what is not as it should be with the service, and how old what it shows is, to
// each as far as it concerns them; and no longer once all is well.
func TestConsoleStanding(t *testing.T) {
	t.Parallel()
	there := startService(t)
	there.importDirectory(twoPeople)
	there.publish(oneQueue)
	here, wire := there.beside(t)
	for name, role := range map[string]access.Role{"boss": access.Owner, "mira": access.Person} {
		if _, err := here.Service.Identity.AddAccount(t.Context(), owner, name, "correct horse battery",
			access.Holding{Role: role}); err != nil {
			t.Fatal(err)
		}
	}
	boss, mira := signInAs(t, here, "boss"), signInAs(t, here, "mira")
	boss.see("Live: changes show at once")
	mira.see("Your printers")
	wire.SwallowAll()
	boss.see("s the service has not heard of changes")
	boss.see("Changes cannot be kept just now")
	boss.see("Not live: the service hears of no changes")
	boss.accessible()
	mira.see("s the service has not heard of changes")
	mira.gone("Changes cannot be kept just now")
	mira.accessible()
	wire.Heal()
	boss.gone("Changes cannot be kept just now")
	boss.see("Live: changes show at once")
	mira.gone("the service has not heard of changes")
}
