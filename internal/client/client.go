// Package client is the Go client of the HTTP interface.
package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"pikegate/core/begin"
	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/internal/engine"
	"pikegate/internal/output"
	"pikegate/internal/wire"
)

// Client talks to one service. The zero HTTP client is the default one.
type Client struct {
	// Server is the service's address, http://127.0.0.1:7180.
	Server string
	// Token is what it signs in with, blank for nothing.
	Token string
	HTTP  http.Client
}

// Private tells whether what is sent to a service cannot be read on the way: it is
// encrypted, or stays on this machine.
func Private(server string) bool {
	u, err := url.Parse(server)
	if err != nil {
		return false
	}
	ip := net.ParseIP(u.Hostname())
	return u.Scheme == "https" || u.Hostname() == "localhost" || ip != nil && ip.IsLoopback()
}

// Refusal is a problem document the service answered with.
type Refusal struct {
	Status   int           `json:"status"`
	Detail   string        `json:"detail"`
	Problems diag.Problems `json:"errors"`
}

func (r *Refusal) Error() string {
	if len(r.Problems) > 0 {
		return r.Problems.Error()
	}
	return r.Detail
}

// Unreachable says that no service answered.
type Unreachable struct {
	Server string
	Err    error
}

func (u *Unreachable) Error() string {
	return fmt.Sprintf("No Pike Gate service answers at %s (%v).", u.Server, u.Err)
}

func (u *Unreachable) Unwrap() error { return u.Err }

// Run is what a caller gives to run or explain a report.
type Run struct {
	Inputs parameter.Inputs `json:"inputs,omitempty"`
	AsOf   string           `json:"as_of,omitempty"`
	// Answers is the name of saved answers, under the inputs.
	Answers string `json:"answers,omitempty"`
	// Draft asks for what was pushed last instead of the published version.
	Draft bool `json:"draft,omitempty"`
	// CSV is how a CSV is written.
	CSV catalog.CSVFormat `json:"csv,omitzero"`
	// Guard has texts that a spreadsheet would take for formulas marked in CSV.
	Guard bool `json:"guard,omitempty"`
}

// Reports lists the published reports.
func (c *Client) Reports(ctx context.Context) (out []wire.ReportInfo, err error) {
	return out, c.call(ctx, http.MethodGet, "/reports", nil, &out)
}

// Ask tells what a report asks; of the run, the answers play no part.
func (c *Client) Ask(ctx context.Context, report string, run Run) (out wire.ReportForm, err error) {
	path := "/reports/" + url.PathEscape(report) + "?draft=" + strconv.FormatBool(run.Draft)
	if run.AsOf != "" {
		path += "&as_of=" + url.QueryEscape(run.AsOf)
	}
	return out, c.call(ctx, http.MethodGet, path, nil, &out)
}

// Explain tells how a run would come about, and with plan how the database
// would go about it.
func (c *Client) Explain(ctx context.Context, report string, plan bool, run Run) (out wire.Explanation, err error) {
	return out, c.call(ctx, http.MethodPost, "/reports/"+url.PathEscape(report)+"/explain?plan="+strconv.FormatBool(plan), run, &out)
}

// Why tells why a run would find what it finds.
func (c *Client) Why(ctx context.Context, report string, run Run) (out wire.Why, err error) {
	return out, c.call(ctx, http.MethodPost, "/reports/"+url.PathEscape(report)+"/why", run, &out)
}

// WhyRun tells why a run found what it found.
func (c *Client) WhyRun(ctx context.Context, id uint) (out wire.Why, err error) {
	return out, c.call(ctx, http.MethodGet, "/runs/"+strconv.FormatUint(uint64(id), 10)+"/why", nil, &out)
}

// Preview tells how inputs would be understood.
func (c *Client) Preview(ctx context.Context, report string, run Run) (out wire.Preview, err error) {
	return out, c.call(ctx, http.MethodPost, "/reports/"+url.PathEscape(report)+"/preview", run, &out)
}

// Choices lists what a question's answer is chosen from, the other answers applied.
func (c *Client) Choices(ctx context.Context, of Asker, question, search string, limit int, run Run) (out []parameter.Choice, err error) {
	path := of.path + "/questions/" + url.PathEscape(question) + "/choices?limit=" + strconv.Itoa(limit) + "&search=" + url.QueryEscape(search)
	return out, c.call(ctx, http.MethodPost, path, run, &out)
}

// Coverage tells how many records each unit of time holds.
func (c *Client) Coverage(ctx context.Context, report, by string, run Run) (out wire.Coverage, err error) {
	return out, c.call(ctx, http.MethodPost, "/reports/"+url.PathEscape(report)+"/coverage?by="+url.QueryEscape(by), run, &out)
}

// Dependents lists what depends on a definition or a source.
func (c *Client) Dependents(ctx context.Context, name string) (out []wire.Dependent, err error) {
	return out, c.call(ctx, http.MethodGet, "/uses/"+url.PathEscape(name), nil, &out)
}

// Start runs a report and gives its number and the stream of its records in
// the format; the caller closes it.
func (c *Client) Start(ctx context.Context, report string, run Run, format output.Format) (id uint, rows io.ReadCloser, err error) {
	response, err := c.send(ctx, http.MethodPost, "/reports/"+url.PathEscape(report)+"/runs?format="+format.Name, run)
	if err != nil {
		return 0, nil, err
	}
	n, err := strconv.ParseUint(response.Header.Get("Pikegate-Run"), 10, 64)
	if err != nil {
		return 0, nil, errors.Join(fmt.Errorf("client: the answer has no run number: %w", err), response.Body.Close())
	}
	return uint(n), response.Body, nil
}

// RunRecord gives the record of a run.
func (c *Client) RunRecord(ctx context.Context, id uint) (out wire.RunRecord, err error) {
	return out, c.call(ctx, http.MethodGet, "/runs/"+strconv.FormatUint(uint64(id), 10), nil, &out)
}

// Compare tells how the records of two runs differ, both asked for anew.
func (c *Client) Compare(ctx context.Context, before, after uint) (out wire.Comparison, err error) {
	return out, c.call(ctx, http.MethodGet, fmt.Sprintf("/runs/%d/compare/%d", before, after), nil, &out)
}

// RunRecords lists the newest runs, of one report or of all, with one outcome
// or any.
func (c *Client) RunRecords(ctx context.Context, report, outcome string, limit int) (out []wire.RunSummary, err error) {
	path := "/runs?limit=" + strconv.Itoa(limit) + "&report=" + url.QueryEscape(report)
	if outcome != "" {
		path += "&outcome=" + url.QueryEscape(outcome)
	}
	return out, c.call(ctx, http.MethodGet, path, nil, &out)
}

// Push keeps definitions as drafts.
func (c *Client) Push(ctx context.Context, content string, how wire.Keeping) (out wire.Checked, err error) {
	body := struct {
		Content string `json:"content"`
		wire.Keeping
	}{content, how}
	return out, c.call(ctx, http.MethodPost, "/definitions", body, &out)
}

// Check tells everything about definitions that are being written, and with run
// runs the examples among them.
func (c *Client) Check(ctx context.Context, content string, run bool) (out wire.Examination, err error) {
	return out, c.call(ctx, http.MethodPost, "/definitions/check?run="+strconv.FormatBool(run), map[string]string{"content": content}, &out)
}

// Definition gives a version of a definition, with 0 what was pushed last.
// The revision is that of what was pushed.
func (c *Client) Definition(ctx context.Context, kind, name string, version int) (content string, revision int, err error) {
	var out struct {
		Content  string `json:"content"`
		Revision int    `json:"revision"`
	}
	err = c.call(ctx, http.MethodGet, definitionPath(kind, name)+"?version="+strconv.Itoa(version), nil, &out)
	return out.Content, out.Revision, err
}

// Copy keeps what was pushed last under another name.
func (c *Client) Copy(ctx context.Context, kind, name, to string) (out wire.Checked, err error) {
	return out, c.call(ctx, http.MethodPost, "/copies", map[string]string{"kind": kind, "name": name, "to": to}, &out)
}

// Rename gives something another name in every draft that uses it, or shows what would change.
func (c *Client) Rename(ctx context.Context, r wire.Renaming) (out wire.Renamed, err error) {
	return out, c.call(ctx, http.MethodPost, "/names", r, &out)
}

// Remove removes a definition, although it is used where anyway says so.
func (c *Client) Remove(ctx context.Context, kind, name string, anyway bool) error {
	return c.call(ctx, http.MethodDelete, definitionPath(kind, name)+"?anyway="+strconv.FormatBool(anyway), nil, nil)
}

// CheckPublished holds every published report against its source.
func (c *Client) CheckPublished(ctx context.Context) (out []wire.Published, err error) {
	return out, c.call(ctx, http.MethodGet, "/published/check", nil, &out)
}

// Definitions lists everything that was pushed.
func (c *Client) Definitions(ctx context.Context) (out []wire.DefinitionInfo, err error) {
	return out, c.call(ctx, http.MethodGet, "/definitions", nil, &out)
}

// Versions lists what was published of a definition, the newest first.
func (c *Client) Versions(ctx context.Context, kind, name string) (out []wire.Version, err error) {
	return out, c.call(ctx, http.MethodGet, definitionPath(kind, name)+"/versions", nil, &out)
}

// Differences tells how one version of a definition differs from another; 0 is
// what was pushed last.
func (c *Client) Differences(ctx context.Context, kind, name string, from, to int) (out []definition.Difference, err error) {
	return out, c.call(ctx, http.MethodGet, fmt.Sprintf("%s/differences?from=%d&to=%d", definitionPath(kind, name), from, to), nil, &out)
}

func definitionPath(kind, name string) string {
	return "/definitions/" + url.PathEscape(kind) + "/" + url.PathEscape(name)
}

// Review tells what publishing a name would do.
func (c *Client) Review(ctx context.Context, name string) (out wire.Review, err error) {
	return out, c.call(ctx, http.MethodGet, "/reviews/"+url.PathEscape(name), nil, &out)
}

// Publish freezes what was pushed under a name as its next version.
func (c *Client) Publish(ctx context.Context, name string) (out wire.Checked, err error) {
	return out, c.call(ctx, http.MethodPost, "/definitions/"+url.PathEscape(name)+"/publish", nil, &out)
}

// Sources lists the sources.
func (c *Client) Sources(ctx context.Context) (out []wire.SourceInfo, err error) {
	return out, c.call(ctx, http.MethodGet, "/sources", nil, &out)
}

// AddSource connects a database; anyway sets encodings that do not fit.
func (c *Client) AddSource(ctx context.Context, info wire.SourceInfo, anyway bool) (out catalog.Source, err error) {
	return out, c.call(ctx, http.MethodPost, "/sources?anyway="+strconv.FormatBool(anyway), info, &out)
}

// ChangeSource changes the connection of a source; what is left out stays.
func (c *Client) ChangeSource(ctx context.Context, info wire.SourceInfo) (out catalog.Source, err error) {
	body := map[string]any{}
	for flag, set := range map[string]bool{"powerful_login": info.PowerfulLogin, "pass_person": info.PassPerson} {
		if set {
			body[flag] = true
		}
	}
	for key, value := range map[string]string{"engine": info.Engine, "address": info.Address, "database": info.Database, "user": info.User, "secret": info.Secret, "tls": info.TLS} {
		if value != "" {
			body[key] = value
		}
	}
	return out, c.call(ctx, http.MethodPatch, "/sources/"+url.PathEscape(info.Name), body, &out)
}

// RemoveSource removes the connection of a source, although it is used where
// anyway says so.
func (c *Client) RemoveSource(ctx context.Context, name string, anyway bool) error {
	return c.call(ctx, http.MethodDelete, "/sources/"+url.PathEscape(name)+"?anyway="+strconv.FormatBool(anyway), nil, nil)
}

// Unfit lists records in which something is stored in a column with dates that
// is none.
func (c *Client) Unfit(ctx context.Context, source, table, column string, limit int) (out output.Result, err error) {
	return out, c.call(ctx, http.MethodGet, "/sources/"+url.PathEscape(source)+"/tables/"+url.PathEscape(table)+"/unfit/"+url.PathEscape(column)+"?limit="+strconv.Itoa(limit), nil, &out)
}

// Source gives a source's tables, views and columns.
func (c *Client) Source(ctx context.Context, name string) (out catalog.Source, err error) {
	return out, c.call(ctx, http.MethodGet, "/sources/"+url.PathEscape(name), nil, &out)
}

// SourceCheck is what is found of a source.
type SourceCheck struct {
	engine.Inspection
	// Unfit are the definitions that do not fit it as it is now.
	Unfit []wire.Unfit `json:"unfit"`
}

// CheckSource looks at the connection of a source, and at what no longer fits it.
func (c *Client) CheckSource(ctx context.Context, name string) (out SourceCheck, err error) {
	path := "/sources/" + url.PathEscape(name)
	if err := c.call(ctx, http.MethodGet, path+"/check", nil, &out.Inspection); err != nil {
		return out, err
	}
	return out, c.call(ctx, http.MethodGet, path+"/unfit", nil, &out.Unfit)
}

// Extents tells what each column of a table holds.
func (c *Client) Extents(ctx context.Context, source, table string) (out []wire.ColumnExtent, err error) {
	return out, c.call(ctx, http.MethodGet, "/sources/"+url.PathEscape(source)+"/tables/"+url.PathEscape(table)+"/extents", nil, &out)
}

// Begin makes a query and a report of a table, which asks about the date on, or the one
// that fits best.
func (c *Client) Begin(ctx context.Context, source, table, on string) (out begin.Made, err error) {
	return out, c.call(ctx, http.MethodGet, "/sources/"+url.PathEscape(source)+"/tables/"+url.PathEscape(table)+"/begin?on="+url.QueryEscape(on), nil, &out)
}

// BeginSQL makes a query and a report of a statement.
func (c *Client) BeginSQL(ctx context.Context, source, sql string) (out begin.Made, err error) {
	return out, c.call(ctx, http.MethodPost, "/sources/"+url.PathEscape(source)+"/begin", map[string]string{"sql": sql}, &out)
}

// FirstRows gives the first rows of a table.
func (c *Client) FirstRows(ctx context.Context, source, table string, limit int) (out output.Result, err error) {
	return out, c.call(ctx, http.MethodGet, "/sources/"+url.PathEscape(source)+"/tables/"+url.PathEscape(table)+"/rows?limit="+strconv.Itoa(limit), nil, &out)
}

// SetFile says how the text files of a table are written.
func (c *Client) SetFile(ctx context.Context, source, table string, format catalog.FileFormat) (out catalog.Source, err error) {
	return out, c.call(ctx, http.MethodPut, "/sources/"+url.PathEscape(source)+"/files/"+url.PathEscape(table), format, &out)
}

// Upload sends a file to a source that is made of uploaded files, as it is read.
func (c *Client) Upload(ctx context.Context, source, name string, replace bool, content io.Reader) (out catalog.Source, err error) {
	path := "/sources/" + url.PathEscape(source) + "/uploads/" + url.PathEscape(name) + "?replace=" + strconv.FormatBool(replace)
	return out, c.call(ctx, http.MethodPut, path, content, &out)
}

// Uploads lists the files that were uploaded to a source.
func (c *Client) Uploads(ctx context.Context, source string) (out []wire.UploadedFile, err error) {
	return out, c.call(ctx, http.MethodGet, "/sources/"+url.PathEscape(source)+"/uploads", nil, &out)
}

// RemoveUpload removes a file that was uploaded to a source.
func (c *Client) RemoveUpload(ctx context.Context, source, name string) error {
	return c.call(ctx, http.MethodDelete, "/sources/"+url.PathEscape(source)+"/uploads/"+url.PathEscape(name), nil, nil)
}

// SetEncoding says how the dates of TABLE.COLUMN are stored.
func (c *Client) SetEncoding(ctx context.Context, source, column, encoding string, anyway bool) (out catalog.Source, err error) {
	path := "/sources/" + url.PathEscape(source) + "/encodings/" + url.PathEscape(column) + "?anyway=" + strconv.FormatBool(anyway)
	return out, c.call(ctx, http.MethodPut, path, map[string]string{"encoding": encoding}, &out)
}

// call sends a request and decodes the answer.
func (c *Client) call(ctx context.Context, method, path string, body, out any) error {
	response, err := c.send(ctx, method, path, body)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	if out == nil {
		return nil
	}
	decoder := json.NewDecoder(response.Body)
	decoder.UseNumber() // numbers keep all their digits
	if err := decoder.Decode(out); err != nil {
		return fmt.Errorf("client: the answer to %s cannot be read: %w", path, err)
	}
	return nil
}

// send sends a request; an answer that is not a success is an error.
func (c *Client) send(ctx context.Context, method, path string, body any) (*http.Response, error) {
	var content io.Reader
	kind := "application/json"
	switch body := body.(type) {
	case nil:
	case io.Reader:
		content, kind = body, "application/octet-stream"
	default:
		b, err := json.Marshal(body)
		if err != nil {
			return nil, err
		}
		content = bytes.NewReader(b)
	}
	request, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(c.Server, "/")+"/api/v1"+path, content)
	if err != nil {
		return nil, &Unreachable{c.Server, err}
	}
	if body != nil {
		request.Header.Set("Content-Type", kind)
	}
	if c.Token != "" {
		request.Header.Set("Authorization", "Bearer "+c.Token)
	}
	response, err := c.HTTP.Do(request)
	if err != nil {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		var inner *url.Error
		if errors.As(err, &inner) {
			err = inner.Err
		}
		return nil, &Unreachable{c.Server, err}
	}
	if response.StatusCode >= 300 {
		defer response.Body.Close()
		refusal := &Refusal{Status: response.StatusCode}
		if err := json.NewDecoder(io.LimitReader(response.Body, 1<<20)).Decode(refusal); err != nil {
			refusal.Detail = "The service answered " + response.Status + "."
		}
		return nil, refusal
	}
	return response, nil
}
