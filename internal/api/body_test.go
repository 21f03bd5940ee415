package api

import (
	"io"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestBodyOutlivesTheServersDeadline: what is streamed may take longer than other
// answers, whether or not callers are watched.
func TestBodyOutlivesTheServersDeadline(t *testing.T) {
	for _, stall := range []time.Duration{0, time.Minute} {
		web := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			b := newBody(r.Context(), w, stall)
			defer b.close()
			for range 4 {
				time.Sleep(100 * time.Millisecond)
				if _, err := b.Write([]byte("row\n")); err != nil {
					return
				}
				if b.FlushError() != nil {
					return
				}
			}
		}))
		web.Config.WriteTimeout = 150 * time.Millisecond
		web.Start()
		response, err := http.Get(web.URL)
		require.NoError(t, err)
		content, err := io.ReadAll(response.Body)
		require.NoError(t, err, "%s", stall)
		response.Body.Close()
		assert.Equal(t, "row\nrow\nrow\nrow\n", string(content))
		web.Close()
	}
}
