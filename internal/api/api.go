// Package api is HTTP in and out of the use cases: routes, problem documents,
// the OpenAPI description (made from the very types that are served) and the
// console's files.
package api

import (
	"errors"
	"log/slog"
	"net/http"
	"reflect"
	"runtime/debug"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/internal/service"
)

// prefix is where the interface lives; a change that breaks callers gets a new one.
const prefix = "/api/v1"

// Server answers requests with the use cases of a service.
type Server struct {
	// Stall is how long a caller may take nothing of what is sent to it; 0 means
	// for ever.
	Stall time.Duration
	// Reach is by what names and through which proxies the service is reached; the zero
	// value is by those of this machine's loopback.
	Reach   Reach
	service *service.Service
	log     *slog.Logger
	huma    huma.API
	handler http.Handler
}

// What Huma and Gin keep for the whole process is set once.
func init() {
	gin.SetMode(gin.ReleaseMode)
	huma.NewError = newProblem
}

// DefaultStall is how long a caller may take nothing, where nothing else is said.
const DefaultStall = 30 * time.Second

// New makes the server. Version is Pike Gate's own.
func New(s *service.Service, log *slog.Logger, version string) *Server {
	router := gin.New()
	router.HandleMethodNotAllowed = true
	router.NoMethod(func(c *gin.Context) { // gin says in Allow what is taken
		writeProblem(c.Writer, problemOf(http.StatusMethodNotAllowed, diag.Problem{
			Code: "wrong_method", Message: c.Request.Method + " is not taken at " + c.Request.URL.Path + ".", Hint: "Use " + c.Writer.Header().Get("Allow") + ".",
		}))
	})
	server := &Server{Stall: DefaultStall, service: s, log: log, handler: router}
	router.Use(server.recover, server.secure, server.guard, server.authenticate)

	config := huma.DefaultConfig("Pike Gate", version)
	config.DocsPath = "" // its page would load scripts from another host
	config.SchemasPath = ""
	config.CreateHooks = nil // no $schema links in answers
	config.OpenAPIPath = prefix + "/openapi"
	config.Info.Description = "Reusable, parameterized reports on business records: ask, read back, run, explain."
	config.Info.License = &huma.License{Name: "Apache-2.0", Identifier: "Apache-2.0"}
	config.Components.SecuritySchemes = securitySchemes
	server.huma = humagin.New(router, config)
	server.huma.UseMiddleware(server.admit)
	// Answers come in several shapes, which they read themselves.
	server.huma.OpenAPI().Components.Schemas.RegisterTypeAlias(reflect.TypeFor[parameter.Input](), reflect.TypeFor[any]())

	server.reports()
	server.overviews()
	server.answers()
	server.runs()
	server.authoring()
	server.sources()
	server.account()
	server.people()
	server.rights()
	server.system()
	server.calendars()
	server.schedules()
	for _, method := range []string{http.MethodGet, http.MethodHead} {
		router.Handle(method, linkPrefix+":token/:file", server.linked)
	}
	server.describeLinks()
	for _, method := range []string{http.MethodGet, http.MethodPost} {
		router.Handle(method, declinePrefix+":token", server.decline)
	}
	server.describeDeclining()
	router.NoRoute(server.console())
	return server
}

// ServeHTTP answers one request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) { s.handler.ServeHTTP(w, r) }

// OpenAPI is the description of everything served under the prefix, as JSON.
func (s *Server) OpenAPI() ([]byte, error) { return s.huma.OpenAPI().MarshalJSON() }

// recover turns a panic into a 500 and lets the deliberate abort of a broken
// stream through, so that the caller sees the connection end.
func (s *Server) recover(c *gin.Context) {
	defer func() {
		r := recover()
		if r == nil {
			return
		}
		if err, ok := r.(error); ok && errors.Is(err, http.ErrAbortHandler) {
			panic(r)
		}
		s.log.Error("a request panicked", "path", withoutToken(c.Request.URL.Path), "problem", r, "stack", string(debug.Stack()))
		if !c.Writer.Written() {
			writeProblem(c.Writer, internalProblem())
		}
	}()
	c.Next()
}
