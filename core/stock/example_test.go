package stock_test

import (
	"fmt"

	"cirque/core/stock"
)

// The same hardware address, however it is written, and the host of a printer's URI.
func Example() {
	fmt.Println(stock.Host("ipp://PS-1.skerry.example:631/printers/hall"))
	// Output:
	// ps-1.skerry.example
}
