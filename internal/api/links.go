package api

import (
	"errors"
	"net/http"
	"reflect"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"pikegate/core/diag"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/service"
)

// linkPrefix is where addresses begin that a spreadsheet reads: a token follows, and the
// format. It is the only place where one stands in an address, and no log has it.
const linkPrefix = prefix + "/linked/"

// linked answers an address that a spreadsheet reads.
func (s *Server) linked(c *gin.Context) {
	secret, name := c.Param("token"), c.Param("file")
	var format output.Format
	switch name {
	case "records.csv":
		format = output.CSV
	case "records.json":
		format = output.JSON
	default:
		writeProblem(c.Writer, problemOf(http.StatusNotFound, diag.Problem{Code: "not_found", Message: "There is no such file.", Hint: "A link ends in records.csv or records.json."}))
		return
	}
	from := c.GetString(fromKey)
	who, err := s.service.People.ByLink(c.Request.Context(), secret, from)
	if err == nil {
		ctx, done := s.service.People.Attend(engine.WithPerson(c.Request.Context(), who.Name()), who)
		defer done()
		c.Request = c.Request.WithContext(ctx)
		var found service.Linked
		if found, err = s.service.Linked(ctx, who, format); err == nil {
			defer found.Close()
			h := c.Writer.Header()
			h.Set("ETag", `"`+found.Mark+`"`)
			h.Set("Content-Type", found.Type)
			h.Set("Cache-Control", "private, no-cache")
			http.ServeContent(c.Writer, c.Request, "", time.Time{}, found)
			return
		}
	}
	var refusal *identity.Refusal
	if errors.As(err, &refusal) && refusal.Problem.Code == "not_signed_in" { // whoever reads it cannot sign in
		refusal = &identity.Refusal{Reason: identity.Unknown, Problem: diag.Problem{Code: "link_ended", Message: "The link was ended, or never was one.", Hint: "Ask whoever gave it to you for another."}}
		err = refusal
	}
	var ended *service.Ended
	if errors.As(err, &ended) {
		writeProblem(c.Writer, problemOf(http.StatusBadGateway, diag.Problem{Code: "failed", Message: ended.Error(), Hint: "Ask again later."}))
		return
	}
	writeProblem(c.Writer, s.asProblem(err))
}

// describeLinks tells of the address in the description: it needs no sign-in but the
// token in it.
func (s *Server) describeLinks() {
	text := func(media, about string) map[string]*huma.MediaType {
		return map[string]*huma.MediaType{media: {Schema: &huma.Schema{Type: huma.TypeString, Description: about}}}
	}
	answers := map[string]*huma.Response{
		"200":     {Description: "The records, as they are now", Content: text(output.CSV.ContentType, "What the report finds with the answers of the link; JSON for records.json"), Headers: map[string]*huma.Header{"ETag": {Description: "The same as long as the records are", Schema: &huma.Schema{Type: huma.TypeString}}}},
		"304":     {Description: "The records are those whose ETag was sent in If-None-Match"},
		"default": {Description: "Error", Content: map[string]*huma.MediaType{"application/problem+json": {Schema: s.huma.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[Document](), true, "Document")}}},
	}
	parameter := func(name, about string) *huma.Param {
		return &huma.Param{Name: name, In: "path", Required: true, Description: about, Schema: &huma.Schema{Type: huma.TypeString}}
	}
	o := &huma.Operation{
		OperationID: "read-link", Method: http.MethodGet, Path: linkPrefix + "{token}/{file}", Summary: "The records that a link for a spreadsheet leads to",
		Parameters: []*huma.Param{parameter("token", "The token of scope link"), parameter("file", "records.csv or records.json")}, Responses: answers,
	}
	s.huma.OpenAPI().AddOperation(o)
	head := *o
	head.OperationID, head.Method, head.Summary = "look-at-link-file", http.MethodHead, "Whether the records of a link have changed"
	s.huma.OpenAPI().AddOperation(&head)
}

// withoutToken is a path as it may stand in a log.
func withoutToken(path string) string {
	if identity.HoldsToken(path) {
		return strings.TrimSuffix(linkPrefix, "/") + "/…"
	}
	return path
}
