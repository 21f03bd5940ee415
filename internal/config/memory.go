package config

import (
	"os"
	"runtime/debug"
)

// gcPercent lets the heap grow to five times what is live before it is
// collected. Rows live for a moment only, so the live heap is a few MiB and
// most of a collection is wasted: exports get a tenth faster for some 10 MiB.
const gcPercent = 400

// DefaultMemory is the memory the service keeps to, in MiB, where nothing else
// is said.
const DefaultMemory = 2048

// TuneMemory sets the garbage collector for a service that streams rows, and has
// it collect more often as it comes near so many MiB; 0 means no limit. GOGC and
// GOMEMLIMIT of the environment come first.
func TuneMemory(mib int) {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(gcPercent)
	}
	if os.Getenv("GOMEMLIMIT") == "" && mib > 0 {
		debug.SetMemoryLimit(int64(mib) << 20)
	}
}
