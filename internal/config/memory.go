package config

import (
	"os"
	"runtime/debug"
)

// gcPercent lets the heap grow to five times what is live before it is
// collected. Rows live for a moment only, so the live heap is a few MiB and
// most of a collection is wasted: exports get a tenth faster for some 10 MiB.
const gcPercent = 400

// TuneMemory sets the garbage collector for a service that streams rows,
// unless GOGC says otherwise.
func TuneMemory() {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(gcPercent)
	}
}
