package driver_test

import (
	"fmt"
	"testing"

	"cirque/core/driver"
)

// BenchmarkChoices lists names for a model: those of packages alone, and beside as many as a spooler brings along at
// most. The second is to grow by what has to be sorted, and no more.
func BenchmarkChoices(b *testing.B) {
	built := map[string][]string{}
	for i := range driver.MaxCollection {
		built[fmt.Sprintf("Skerrymark Model %d plain", i)] = []string{"quay"}
	}
	for name, with := range map[string]map[string][]string{"packages": nil, "built-in": built} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				driver.Choices(packages(), doc(), nil, driver.Wanted{Model: "Mono 40", Built: with})
			}
		})
	}
}
