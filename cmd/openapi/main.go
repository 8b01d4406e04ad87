// Command openapi prints the API's description; make openapi writes it to docs/reference.
package main

import (
	"fmt"
	"os"

	"cirque/internal/httpapi"
)

func main() {
	b, err := httpapi.OpenAPI("1")
	if err != nil {
		fmt.Fprintln(os.Stderr, "openapi:", err)
		os.Exit(1)
	}
	if _, err := os.Stdout.Write(b); err != nil {
		os.Exit(1)
	}
}
