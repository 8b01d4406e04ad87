package app

import (
	"os"
	"runtime/debug"
	"sync"
)

// garbagePercent is how much may be thrown away, in percent of what is in use, before memory is collected. Most of what
// is in use stays for as long as the process runs (the estate, the directory, the fleet), so that less than half of
// the usual share costs a few percent of a core and saves a third of the memory of a large site.
const garbagePercent = 40

// collectOften sets it once, unless whoever runs the process has set GOGC.
var collectOften = sync.OnceFunc(func() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(garbagePercent)
	}
})
