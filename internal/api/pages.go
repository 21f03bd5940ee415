package api

import (
	"io/fs"
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"pikegate/internal/api/console"
)

// console serves the built console: files named by their content are kept by
// browsers for good, the page itself is asked for again each time.
func (s *Server) console() gin.HandlerFunc {
	files, built := console.Files()
	var serve http.Handler = http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		http.Error(w, "The console was not built into this binary. Run make build.", http.StatusNotFound)
	})
	if built {
		serve = gzhttp.GzipHandler(http.FileServerFS(files))
	}
	return func(c *gin.Context) {
		path := strings.TrimPrefix(c.Request.URL.Path, "/")
		if _, err := fs.Stat(files, path); strings.HasPrefix(path, "api/") || path != "" && built && err != nil {
			writeProblem(c.Writer, newProblem(http.StatusNotFound, "There is nothing at "+c.Request.URL.Path+".").(*Document))
			return
		}
		if strings.HasPrefix(path, "assets/") {
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
		} else {
			c.Header("Cache-Control", "no-cache")
		}
		serve.ServeHTTP(c.Writer, c.Request)
	}
}
