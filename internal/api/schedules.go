package api

import (
	"context"
	_ "embed" // the page that ends mails
	"html/template"
	"net/http"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

// SchedulePath is a schedule named in the path.
type SchedulePath struct {
	Schedule string `path:"schedule" maxLength:"300" doc:"The schedule's name" example:"weekly-dues"`
}

// OccurrencePath is an occurrence named in the path.
type OccurrencePath struct {
	Occurrence uint `path:"occurrence" doc:"The number of the occurrence"`
}

func (s *Server) schedules() {
	get(s, "list-schedules", "/schedules", "One's own schedules, or all that one may see", []int{}, func(ctx context.Context, who identity.Actor, in *struct {
		All bool `query:"all" doc:"Whether those of others are listed as well"`
	},
	) (*response[[]wire.ScheduleInfo], error) {
		list, err := s.service.Schedules(ctx, who, in.All)
		return answer(s, list, err)
	})
	get(s, "show-schedule", "/schedules/{schedule}", "A schedule, when it is due next and what its answers mean then, and what came of it", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *SchedulePath) (*response[wire.ScheduleDetail], error) {
		detail, err := s.service.Schedule(ctx, who, in.Schedule)
		return answer(s, detail, err)
	})
	post(s, "preview-schedule", "/schedule-preview", "When a schedule made of a result would be due, and what its answers mean then; nothing is kept", http.StatusOK, []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct{ Body wire.OwnSchedule }) (*response[wire.ScheduleDetail], error) {
		detail, err := s.service.PreviewSchedule(ctx, who, in.Body)
		return answer(s, detail, err)
	})
	post(s, "make-schedule", "/schedules", "Have a report come by itself: a schedule of one's own, made of a result", http.StatusCreated, []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct{ Body wire.OwnSchedule }) (*response[wire.ScheduleInfo], error) {
		info, err := s.service.SaveOwnSchedule(ctx, who, "", in.Body)
		return answer(s, info, err)
	})
	put(s, "change-schedule", "/schedules/{schedule}", "Change a schedule of one's own that was made of a result", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		SchedulePath
		Body wire.OwnSchedule
	},
	) (*response[wire.ScheduleInfo], error) {
		info, err := s.service.SaveOwnSchedule(ctx, who, in.Schedule, in.Body)
		return answer(s, info, err)
	})
	remove(s, "remove-schedule", "/schedules/{schedule}", "End a schedule of one's own that was made of a result", func(ctx context.Context, who identity.Actor, in *SchedulePath) error {
		return s.service.RemoveOwnSchedule(ctx, who, in.Schedule)
	})
	post(s, "pause-schedule", "/schedules/{schedule}/pause", "Stop a schedule until it is resumed", http.StatusOK, []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		SchedulePath
		Body struct {
			Why string `json:"why,omitempty" maxLength:"500" doc:"Why, for those who see it"`
		}
	},
	) (*response[wire.ScheduleInfo], error) {
		info, err := s.service.PauseSchedule(ctx, who, in.Schedule, in.Body.Why)
		return answer(s, info, err)
	})
	post(s, "resume-schedule", "/schedules/{schedule}/resume", "Have a schedule run again; the times that passed meanwhile are skipped", http.StatusOK, []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *SchedulePath) (*response[wire.ScheduleInfo], error) {
		info, err := s.service.ResumeSchedule(ctx, who, in.Schedule)
		return answer(s, info, err)
	})
	post(s, "run-schedule", "/schedules/{schedule}/run", "Run a schedule now, or again for a time at which it was due", http.StatusAccepted, []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		SchedulePath
		Body struct {
			Due time.Time `json:"due,omitzero" doc:"A time at which it was due; now when left out" example:"2026-03-30T06:00:00Z"`
		}
	},
	) (*response[wire.OccurrenceSummary], error) {
		summary, err := s.service.RunSchedule(ctx, who, in.Schedule, in.Body.Due)
		return answer(s, summary, err)
	})
	get(s, "show-occurrence", "/occurrences/{occurrence}", "One time at which a schedule was due, in full", []int{404}, func(ctx context.Context, who identity.Actor, in *OccurrencePath) (*response[wire.Occurrence], error) {
		o, err := s.service.Occurrence(ctx, who, in.Occurrence)
		return answer(s, o, err)
	})
	done(s, http.MethodPost, "cancel-occurrence", "/occurrences/{occurrence}/cancel", "End what is under way of an occurrence", []int{404, 422}, func(ctx context.Context, who identity.Actor, in *OccurrencePath) error {
		return s.service.CancelOccurrence(ctx, who, in.Occurrence)
	})
	get(s, "verify-file", "/files/{sha256}", "Of which deliveries a file is, by the SHA-256 of its bytes", []int{404, 422}, func(ctx context.Context, who identity.Actor, in *struct {
		SHA256 string `path:"sha256" pattern:"^[0-9a-fA-F]{64}$" doc:"The SHA-256 of the file's bytes, in hexadecimal"`
	},
	) (*response[[]wire.Provenance], error) {
		found, err := s.service.VerifyFile(ctx, who, in.SHA256)
		return answer(s, found, err)
	})
	get(s, "list-notices", "/notices", "What happened without one that one is to know of", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.Notice], error) {
		list, err := s.service.Notices(ctx, who)
		return answer(s, list, err)
	})
	remove(s, "drop-notice", "/notices/{notice}", "Take a notice away that was read", func(ctx context.Context, who identity.Actor, in *struct {
		Notice uint `path:"notice" doc:"The number of the notice"`
	},
	) error {
		return s.service.DropNotice(ctx, who, in.Notice)
	})
	get(s, "list-destinations", "/destinations", "Where schedules may deliver", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[wire.Destinations], error) {
		list, err := s.service.WhereTo(ctx, who)
		return answer(s, list, err)
	})
	post(s, "hand-over-schedules", "/users/{user}/hand-over", "Give the schedules of somebody who leaves to somebody else", http.StatusOK, []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		User string `path:"user" maxLength:"100"`
		Body struct {
			To string `json:"to" maxLength:"100" doc:"Who they run for from then on"`
		}
	},
	) (*response[[]wire.ScheduleInfo], error) {
		list, err := s.service.HandOver(ctx, who, in.User, in.Body.To)
		return answer(s, list, err)
	})
}

// declinePrefix is where the addresses begin at which whoever reads a mail ends that they get it.
const declinePrefix = "/unsubscribe/"

//go:embed unsubscribe.html
var declinePage string

var declineTemplate = template.Must(template.New("unsubscribe.html").Parse(declinePage))

// decline asks whether somebody wants to get no more of a schedule by mail, or does it: by the
// button of the page, or by a mail program with one click (RFC 8058).
func (s *Server) decline(c *gin.Context) {
	ctx, token := c.Request.Context(), c.Param("token")
	title, address, err := s.service.Declining(ctx, token)
	ended := c.Request.Method == http.MethodPost
	if err == nil && ended {
		err = s.service.Decline(ctx, token)
	}
	if err != nil {
		p := s.asProblem(err)
		if p.Status == http.StatusNotFound {
			p = problemOf(http.StatusNotFound, diag.Problem{Code: "not_found", Message: "This link ends no mails.", Hint: "Copy the whole link from the mail."})
		}
		writeProblem(c.Writer, p)
		return
	}
	h := c.Writer.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
	_ = declineTemplate.Execute(c.Writer, struct {
		Title, Address string
		Ended          bool
	}{title, address, ended}) // the caller may be gone; nothing is left to tell
}

// describeDeclining tells of the address in the description: it needs no sign-in but the token in it.
func (s *Server) describeDeclining() {
	page := &huma.Response{Description: "A page", Content: map[string]*huma.MediaType{"text/html; charset=utf-8": {Schema: &huma.Schema{Type: huma.TypeString}}}}
	problem := &huma.Response{Description: "Error", Content: map[string]*huma.MediaType{"application/problem+json": {Schema: s.huma.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[Document](), true, "Document")}}}
	token := &huma.Param{Name: "token", In: "path", Required: true, Description: "What stands in the mail", Schema: &huma.Schema{Type: huma.TypeString}}
	for method, o := range map[string]huma.Operation{
		http.MethodGet:  {OperationID: "ask-to-unsubscribe", Summary: "A page that asks whether somebody wants to get no more of a schedule by mail"},
		http.MethodPost: {OperationID: "unsubscribe", Summary: "End that mails of a schedule go to an address, with one click as RFC 8058 says"},
	} {
		o.Method, o.Path, o.Parameters = method, declinePrefix+"{token}", []*huma.Param{token}
		o.Responses = map[string]*huma.Response{"200": page, "default": problem}
		s.huma.OpenAPI().AddOperation(&o)
	}
}
