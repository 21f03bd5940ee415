// Package console holds the built web console. The folder dist is made by
// `make console`; in a checkout without it the service says so on its page.
package console

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var files embed.FS

// Files is the built console; false when it was not built.
func Files() (fs.FS, bool) {
	dist, err := fs.Sub(files, "dist")
	if err != nil {
		return nil, false
	}
	_, err = fs.Stat(dist, "index.html")
	return dist, err == nil
}
