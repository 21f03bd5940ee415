package api

import (
	"context"
	"encoding/json"
	"io/fs"
	"net/http"
	"reflect"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"

	"pikegate/core/definition"
	"pikegate/core/period"
	"pikegate/internal/api/console"
)

// Health says that the service answers.
type Health struct {
	Status string `json:"status" enum:"ok"`
}

func (s *Server) system() {
	huma.Register(s.huma, huma.Operation{OperationID: "health", Method: http.MethodGet, Path: "/healthz", Summary: "Whether the service answers"},
		func(ctx context.Context, _ *struct{}) (*response[Health], error) {
			return &response[Health]{Health{"ok"}}, nil
		})
	get(s, "read-period", "/period", "How a period expression is read", []int{422}, func(ctx context.Context, in *struct {
		AsOfQuery
		Expression string `query:"expression" required:"true" doc:"The expression" example:"last month"`
	},
	) (*response[period.Reading], error) {
		reading, err := s.service.Period(in.Expression, in.AsOf)
		return answer(s, reading, err)
	})
	get(s, "definition-schema", "/schema", "The JSON Schema of definitions", []int{}, func(ctx context.Context, _ *struct{}) (*response[map[string]any], error) {
		text, err := definition.Schema()
		schema := map[string]any{}
		if err == nil {
			err = json.Unmarshal(text, &schema)
		}
		return answer(s, schema, err)
	})
}

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

func typeOf[T any]() reflect.Type { return reflect.TypeFor[T]() }

func writeBody(ctx huma.Context, p *Document) {
	body, err := json.Marshal(p)
	if err == nil {
		_, _ = ctx.BodyWriter().Write(body) // the caller may be gone; nothing is left to tell
	}
}
