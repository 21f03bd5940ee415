package api

import (
	"context"
	"io"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"

	"pikegate/core/begin"
	"pikegate/core/catalog"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

// Encoding is how the dates of a column are stored.
type Encoding struct {
	Encoding string `json:"encoding" doc:"How the dates are stored" example:"ymd"`
}

// SourceChange is what is to be changed of a connection.
type SourceChange struct {
	Engine   string `json:"engine,omitempty" doc:"The kind of database: sqlite, postgresql or mysql (which is MariaDB too)"`
	Address  string `json:"address,omitempty" doc:"Where it is: for SQLite the path of the file, otherwise HOST:PORT"`
	Database string `json:"database,omitempty" doc:"The name of the database on the server"`
	User     string `json:"user,omitempty" doc:"The login"`
	Secret   string `json:"secret,omitempty" doc:"The name of the password"`
	TLS      string `json:"tls,omitempty" enum:"off,on,verify" doc:"off, on or verify"`
	// PowerfulLogin takes a login that can do more than read.
	PowerfulLogin bool `json:"powerful_login,omitempty" doc:"Take a login that can write all the same"`
	// PassPerson tells the database who asks.
	PassPerson bool `json:"pass_person,omitempty" doc:"Tell a PostgreSQL database who asks"`
}

func (s *Server) sources() {
	get(s, "list-secrets", "/secrets", "The passwords of sources that are kept sealed, by name", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.SecretInfo], error) {
		list, err := s.service.Secrets(ctx, who)
		return answer(s, list, err)
	})
	done(s, http.MethodPut, "save-secret", "/secrets/{secret}", "Keep the password of sources under a name, sealed", []int{400, 422}, func(ctx context.Context, who identity.Actor, in *struct {
		Secret string `path:"secret" doc:"The name of the password"`
		Body   struct {
			Secret string `json:"secret" maxLength:"4096" doc:"The password; nobody can read it back"`
		}
	},
	) error {
		return s.service.SaveSecret(ctx, who, in.Secret, in.Body.Secret)
	})
	remove(s, "remove-secret", "/secrets/{secret}", "Forget the password under a name", func(ctx context.Context, who identity.Actor, in *struct {
		Secret string `path:"secret" doc:"The name of the password"`
	},
	) error {
		return s.service.RemoveSecret(ctx, who, in.Secret)
	})
	get(s, "list-sources", "/sources", "The sources", []int{}, func(ctx context.Context, who identity.Actor, _ *struct{}) (*response[[]wire.SourceInfo], error) {
		list, err := s.service.Sources(ctx, who)
		return answer(s, list, err)
	})
	post(s, "add-source", "/sources", "Connect a database", http.StatusCreated, []int{422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			Anyway bool `query:"anyway" doc:"Whether to set encodings that do not fit what is stored"`
			Body   wire.SourceInfo
		},
		) (*response[catalog.Source], error) {
			catalogue, err := s.service.AddSource(ctx, who, in.Body, in.Anyway)
			return answer(s, catalogue, err)
		})
	patch(s, "change-source", "/sources/{source}", "Change the connection of a source; what is left out stays", []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			Source string `path:"source" doc:"The source's name"`
			Body   SourceChange
		},
		) (*response[catalog.Source], error) {
			b := in.Body
			catalogue, err := s.service.ChangeSource(ctx, who, wire.SourceInfo{Name: in.Source, Engine: b.Engine, Address: b.Address, Database: b.Database, User: b.User, Secret: b.Secret, TLS: b.TLS, PowerfulLogin: b.PowerfulLogin, PassPerson: b.PassPerson})
			return answer(s, catalogue, err)
		})
	remove(s, "remove-source", "/sources/{source}", "Remove the connection of a source",
		func(ctx context.Context, who identity.Actor, in *struct {
			Source string `path:"source" doc:"The source's name"`
			Anyway bool   `query:"anyway" doc:"Whether to remove it although it is used"`
		},
		) error {
			return s.service.RemoveSource(ctx, who, in.Source, in.Anyway)
		})
	get(s, "show-unfit", "/sources/{source}/tables/{table}/unfit/{column}", "The records in which something is stored in a column with dates that is none", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Table  string `path:"table" doc:"The table's name"`
		Column string `path:"column" doc:"The column's name"`
		Limit  int    `query:"limit" default:"100" minimum:"1" maximum:"1000" doc:"How many at the most"`
	},
	) (*response[output.Result], error) {
		rows, err := s.service.UnfitRows(ctx, who, in.Source, in.Table, in.Column, in.Limit)
		return answer(s, rows, err)
	})
	get(s, "show-source", "/sources/{source}", "A source's tables, views and columns", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
	},
	) (*response[catalog.Source], error) {
		catalogue, err := s.service.Catalogue(ctx, who, in.Source)
		return answer(s, catalogue, err)
	})
	get(s, "check-source", "/sources/{source}/check", "What answers at a source, and whether it can only read", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
	},
	) (*response[engine.Inspection], error) {
		report, err := s.service.CheckSource(ctx, who, in.Source)
		return answer(s, report, err)
	})
	get(s, "show-extents", "/sources/{source}/tables/{table}/extents", "What each column of a table holds: blanks, different values, the earliest and the latest", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Table  string `path:"table" doc:"The table's name"`
	},
	) (*response[[]wire.ColumnExtent], error) {
		extents, err := s.service.Extents(ctx, who, in.Source, in.Table)
		return answer(s, extents, err)
	})
	get(s, "list-values", "/sources/{source}/tables/{table}/columns/{column}/values", "The values that occur in a column, with how many records have each; none of a column with dates", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Table  string `path:"table" doc:"The table's name"`
		Column string `path:"column" doc:"The column's name"`
		Search string `query:"search" maxLength:"200" doc:"A text that occurs in them, whatever its case"`
		Limit  int    `query:"limit" default:"50" minimum:"1" maximum:"200" doc:"How many at the most"`
	},
	) (*response[[]parameter.Choice], error) {
		values, err := s.service.Values(ctx, who, in.Source, in.Table, in.Column, plan.Search{Text: in.Search, Limit: in.Limit})
		return answer(s, values, err)
	})
	get(s, "list-readings", "/sources/{source}/tables/{table}/columns/{column}/readings", "Some values of a column as they are stored, and how each would be read as a date", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source   string `path:"source" doc:"The source's name"`
		Table    string `path:"table" doc:"The table's name"`
		Column   string `path:"column" doc:"The column's name"`
		Encoding string `query:"encoding" required:"true" maxLength:"50" doc:"How its dates would be stored" example:"ymd"`
		Limit    int    `query:"limit" default:"10" minimum:"1" maximum:"100" doc:"How many at the most"`
	},
	) (*response[[]wire.StoredValue], error) {
		values, err := s.service.Readings(ctx, who, in.Source, in.Table, in.Column, in.Encoding, in.Limit)
		return answer(s, values, err)
	})
	get(s, "list-unfit-definitions", "/sources/{source}/unfit", "The definitions that do not fit the source as it is now, with ways out", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
	},
	) (*response[[]wire.Unfit], error) {
		unfit, err := s.service.UnfitDefinitions(ctx, who, in.Source)
		return answer(s, unfit, err)
	})
	get(s, "begin-report", "/sources/{source}/tables/{table}/begin", "A whole query and report of a table to go on from; nothing is kept", []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Table  string `path:"table" doc:"The table's name"`
		On     string `query:"on" maxLength:"200" doc:"The date to ask about; the one that fits best when left out"`
	},
	) (*response[begin.Made], error) {
		made, err := s.service.Begin(ctx, who, in.Source, in.Table, in.On)
		return answer(s, made, err)
	})
	post(s, "begin-from-sql", "/sources/{source}/begin", "A whole query and report of a statement to go on from, with questions for the values in its conditions; nothing is kept", http.StatusOK, []int{404, 422, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Body   Statement
	},
	) (*response[begin.Made], error) {
		made, err := s.service.BeginSQL(ctx, who, in.Source, in.Body.SQL, in.Body.Asked)
		return answer(s, made, err)
	})
	get(s, "show-rows", "/sources/{source}/tables/{table}/rows", "The first rows of a table", []int{404, 502, 504}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
		Table  string `path:"table" doc:"The table's name"`
		Limit  int    `query:"limit" default:"20" minimum:"1" maximum:"200" doc:"How many at the most"`
	},
	) (*response[output.Result], error) {
		rows, err := s.service.FirstRows(ctx, who, in.Source, in.Table, in.Limit)
		return answer(s, rows, err)
	})
	put(s, "set-encoding", "/sources/{source}/encodings/{column}", "Say how the dates of a column are stored", []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			Source string `path:"source" doc:"The source's name"`
			Column string `path:"column" doc:"TABLE.COLUMN" example:"maintenance_jobs.due_on"`
			Anyway bool   `query:"anyway" doc:"Whether to set it although it does not fit what is stored"`
			Body   Encoding
		},
		) (*response[catalog.Source], error) {
			catalogue, err := s.service.SetEncoding(ctx, who, in.Source, in.Column, in.Body.Encoding, in.Anyway)
			return answer(s, catalogue, err)
		})
	put(s, "set-file", "/sources/{source}/files/{table}", "Say how the text files of a table are written; what is left out is found from them", []int{404, 422, 502, 504},
		func(ctx context.Context, who identity.Actor, in *struct {
			Source string `path:"source" doc:"The source's name"`
			Table  string `path:"table" doc:"The table's name" example:"gauge"`
			Body   catalog.FileFormat
		},
		) (*response[catalog.Source], error) {
			catalogue, err := s.service.SetFile(ctx, who, in.Source, in.Table, in.Body)
			return answer(s, catalogue, err)
		})
	register(s, huma.Operation{
		OperationID: "upload-file", Method: http.MethodPut, Path: "/sources/{source}/uploads/{file}",
		Summary: "Upload a data file to a source of the service's own folder, which is made where there is none of the name", Errors: []int{400, 404, 422, 502, 504},
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{"application/octet-stream": {Schema: &huma.Schema{Type: huma.TypeString, Format: "binary"}}}},
	}, func(ctx context.Context, who identity.Actor, in *upload) (*response[catalog.Source], error) {
		catalogue, err := s.service.Upload(ctx, who, in.Source, in.File, in.Replace, in.content)
		return answer(s, catalogue, err)
	})
	get(s, "list-uploads", "/sources/{source}/uploads", "The files that were uploaded to a source", []int{404}, func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
	},
	) (*response[[]wire.UploadedFile], error) {
		list, err := s.service.Uploaded(ctx, who, in.Source)
		return answer(s, list, err)
	})
	remove(s, "remove-upload", "/sources/{source}/uploads/{file}", "Remove a file that was uploaded to a source", func(ctx context.Context, who identity.Actor, in *struct {
		Source string `path:"source" doc:"The source's name"`
		File   string `path:"file" doc:"The file's name"`
	},
	) error {
		return s.service.RemoveUpload(ctx, who, in.Source, in.File)
	})
}

// upload is a file that is sent: it is read as it comes, for as long as it comes.
type upload struct {
	Source  string `path:"source" doc:"The source's name"`
	File    string `path:"file" doc:"The file's name" example:"stock.csv"`
	Replace bool   `query:"replace" doc:"Whether to replace a file of that name"`
	content io.Reader
}

// Resolve takes the body before it is read.
func (u *upload) Resolve(ctx huma.Context) []error {
	c := humagin.Unwrap(ctx)
	u.content = arriving{ctx.BodyReader(), http.NewResponseController(c.Writer)}
	return nil
}

// arriving is a body that may take as long as it likes, as long as something of it comes.
type arriving struct {
	io.Reader
	control *http.ResponseController
}

// longestPause is how long nothing of it may come.
const longestPause = 30 * time.Second

func (a arriving) Read(p []byte) (int, error) {
	_ = a.control.SetReadDeadline(time.Now().Add(longestPause)) // a connection that knows no deadlines has none
	return a.Reader.Read(p)
}

// Statement is hand-written SQL that a report is to begin with.
type Statement struct {
	SQL   string   `json:"sql" maxLength:"100000" doc:"One statement that only reads" example:"select id, passed_at from passages where passed_at >= '2025-01-01'"`
	Asked []string `json:"asked,omitempty" maxItems:"200" doc:"The names of questions that the query has already"`
}
