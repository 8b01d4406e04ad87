package driver_test

import (
	"fmt"

	"cirque/core/driver"
)

// Names of drivers count letter by letter; what the eye takes for the same is shown, and the nearest is named.
func Example() {
	known := []string{"Skerrymark Mono 40 PCL6", "Skerrymark Mono 40 PS"}
	typed := "Skerrymark  Mono 40 PCL6"
	fmt.Println(driver.Visible(typed))
	fmt.Println(driver.Nearest(typed, known))
	fmt.Println(driver.Compare(typed, known[0]).Says)
	// Output:
	// Skerrymark··Mono·40·PCL6
	// Skerrymark Mono 40 PCL6
	// they differ at letter 12: a space more in the first
}
