package api

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/core/definition"
	"pikegate/internal/demo"
	"pikegate/internal/service"
	"pikegate/testing/demonstration"
)

var update = flag.Bool("update", false, "write docs/openapi.json anew")

func TestMain(m *testing.M) { demonstration.Main(m) }

// serve starts a service on the demonstration, with a limit on statements.
func serve(t *testing.T, limit time.Duration) (*Server, *httptest.Server) {
	t.Helper()
	folder := t.TempDir()
	kept := demonstration.Open(t, folder)
	zone, err := time.LoadLocation(demo.Zone)
	require.NoError(t, err)
	s, err := service.New(t.Context(), service.Config{
		Store: kept, Engines: demonstration.Engines,
		Calendar: civil.Calendar{Zone: zone, WeekStart: time.Monday}, Now: time.Now, TimeLimit: limit, Uploads: filepath.Join(folder, "uploads"), Log: slog.New(slog.DiscardHandler),
		Demonstration: true, Delivered: filepath.Join(folder, "spool"), Kept: filepath.Join(folder, "kept"),
		Destinations: demonstration.Destinations(folder),
	})
	require.NoError(t, err)
	server := New(s, slog.New(slog.DiscardHandler), "test")
	web := httptest.NewServer(server)
	t.Cleanup(func() {
		web.Close()
		assert.NoError(t, s.Close())
		assert.NoError(t, kept.Close())
	})
	return server, web
}

// send sends a request and gives the status, type and body of the answer.
func send(t *testing.T, web *httptest.Server, method, path, body string, header ...string) (int, string, []byte) {
	t.Helper()
	request, err := http.NewRequestWithContext(t.Context(), method, web.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	if body != "" {
		request.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(header); i += 2 {
		if header[i] == "Host" {
			request.Host = header[i+1]
		}
		request.Header.Set(header[i], header[i+1])
	}
	response, err := http.DefaultTransport.RoundTrip(request)
	require.NoError(t, err)
	defer response.Body.Close()
	content, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, response.Header.Get("Content-Type"), content
}

// calls try every operation there is, with good requests and bad ones.
var calls = []struct {
	operation, method, path, body string
	status                        int
	contains                      string
}{
	{"health", "GET", "/healthz", "", 200, `"ok"`},
	{"list-reports", "GET", "/reports", "", 200, "passages-by-date"},
	{"ask-report", "GET", "/reports/passages-by-date?as_of=2025-04-02", "", 200, `"today":"2025-04-02"`},
	{"ask-report", "GET", "/reports/passages-by-dat", "", 404, "Did you mean passages-by-date?"},
	{"ask-report", "GET", "/reports/passages-by-date?as_of=2025-13", "", 422, "no_such_date"},
	{"list-choices", "POST", "/reports/passages-by-date/questions/locks/choices", "{}", 200, `"value":"Harrow Top","count"`},
	{"list-choices", "POST", "/reports/passages-by-date/questions/locks/choices?search=hARROW&limit=1", `{"inputs":{"period":"2025-03-31"}}`, 200, "Harrow Top"},
	{"list-choices", "POST", "/reports/passages-by-date/questions/lock/choices", "{}", 404, "locks"},
	{"cover-report", "POST", "/reports/passages-by-date/coverage?by=year", `{"inputs":{"locks":"Harrow Top"}}`, 200, `"period":"2024"`},
	{"cover-report", "POST", "/reports/passages-by-date/coverage?by=season", `{}`, 200, `"name":"season 2024"`},
	{"cover-report", "POST", "/reports/passages-by-date/coverage?by=fiscal%20quarter", `{}`, 200, `"name":"FY2024-Q2"`},
	{"preview-report", "POST", "/reports/passages-by-date/preview", `{"inputs":{"period":"season 2025"}}`, 200, "2025-04-01/2025-10-31"},
	{"cover-report", "POST", "/reports/passages-by-date/coverage?by=decade", `{}`, 422, "by"},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: report\nname: crossed\nquery: lock-passages\ngroups: [lock]\nacross: {by: month of passed_at, of: [sum of toll], emphasis: {when: count > 100, as: good}, link: {report: passages-by-date, set: {locks: lock, period: month of passed_at, region: ':region'}}}\n"}`, 200, `"name":"crossed"`},
	{"run-report", "POST", "/reports/crossed/runs?format=ndjson", `{"draft":true,"inputs":{"period":"2025-Q1","region":"Upper Tarn"}}`, 200, `{"on":"2025-02","report":"passages-by-date","set":{"locks":{"column":"lock"},"period":{"texts":["2025-02"]},"region":{"texts":["Upper Tarn"]}}}`},
	{"run-report", "POST", "/reports/crossed/runs?format=ndjson", `{"draft":true,"inputs":{"period":"2025-Q1","region":"Upper Tarn"}}`, 200, `{"emphasis":{"2025-01":"good","2025-02":"good","2025-03":"good"}}`},
	{"check-definitions", "POST", "/definitions/check", `{"content":"kind: report\nname: crossed\nquery: lock-passages\ngroups: [lock]\nacross: {by: month of passed_at, link: {report: passages-by-date, set: {locks: vessel}}}\n"}`, 200, "There are month of passed_at, lock."},
	{"check-definitions", "POST", "/definitions/check", `{"content":"kind: report\nname: crossed\nquery: lock-passages\ngroups: [lock]\nacross: {by: month of passed_at, emphasis: {when: sum of toll > 5, as: good, columns: [lock]}}\n"}`, 200, "not_of_cells"},
	{"check-definitions", "POST", "/definitions/check", `{"content":"kind: report\nname: crossed\nquery: lock-passages\ngroups: [lock]\nacross: {by: month of passed_at, emphasis: {when: toll > 5, as: good}}\n"}`, 200, "no_totals"},
	{"list-overviews", "GET", "/overviews", "", 200, "navigation-at-a-glance"},
	{"ask-overview", "GET", "/overviews/navigation-at-a-glance?as_of=2025-04-02", "", 200, `"takes":{"locks":"locks","period":"period","region":"region"}`},
	{"ask-overview", "GET", "/overviews/navigation-at-a-glanc", "", 404, "Did you mean navigation-at-a-glance?"},
	{"ask-overview", "GET", "/overviews/navigation-at-a-glance?as_of=2025-13", "", 422, "no_such_date"},
	{"preview-overview", "POST", "/overviews/navigation-at-a-glance/preview", `{"inputs":{"period":"2025-03"}}`, 200, `"readback":"Which days: Sat 1 Mar`},
	{"preview-overview", "POST", "/overviews/navigation-at-a-glance/preview", `{"inputs":{"period":{"start":"31 Feb 2025"},"regio":"x"}}`, 200, "Did you mean region?"},
	{"preview-overview", "POST", "/overviews/navigation-at-a-glance/preview", `{}`, 200, `"default":true`},
	{"list-overview-choices", "POST", "/overviews/navigation-at-a-glance/questions/locks/choices?search=hARROW", "{}", 200, "Harrow Top"},
	{"list-overview-choices", "POST", "/overviews/navigation-at-a-glance/questions/lock/choices", "{}", 404, "locks"},
	{"cover-overview", "POST", "/overviews/navigation-at-a-glance/coverage?by=year", `{"inputs":{"locks":"Harrow Top"}}`, 200, `"period":"2024"`},
	{"measure-part", "POST", "/overviews/navigation-at-a-glance/parts/1/number", `{"inputs":{"period":"2025-03"}}`, 200, `"change":305,"percent":14.2`},
	{"measure-part", "POST", "/overviews/navigation-at-a-glance/parts/1/number", `{"inputs":{"period":"2023-01"}}`, 200, `"uncompared"`},
	{"measure-part", "POST", "/overviews/navigation-at-a-glance/parts/1/number", `{"inputs":{"period":"2025-13"}}`, 422, `"field":"period"`},
	{"measure-part", "POST", "/overviews/navigation-at-a-glance/parts/1/number", `{"inputs":{"days":"2025-03"}}`, 422, "unknown_question"},
	{"measure-part", "POST", "/overviews/navigation-at-a-glance/parts/4/number", `{}`, 422, "not_a_number"},
	{"measure-part", "POST", "/overviews/navigation-at-a-glance/parts/99/number", `{}`, 404, "part 99"},
	{"run-part", "POST", "/overviews/navigation-at-a-glance/parts/6/runs?most=2", `{"inputs":{"period":"2025-03"}}`, 200, `"count":24`},
	{"run-part", "POST", "/overviews/navigation-at-a-glance/parts/6/runs", `{"inputs":{"period":"x"}}`, 422, "unknown_word"},
	{"run-overview", "POST", "/overviews/navigation-at-a-glance/runs?format=html", `{"inputs":{"period":"2025-03"}}`, 200, "305 more (14.2 %) than before"},
	{"run-overview", "POST", "/overviews/navigation-at-a-glance/runs", `{"inputs":{"period":"2025-03"}}`, 200, "%PDF"},
	{"run-overview", "POST", "/overviews/navigation-at-a-glance/runs", `{"inputs":{"period":"x"}}`, 422, "unknown_word"},
	{"run-overview", "POST", "/overviews/nothing/runs", `{}`, 404, "overview nothing"},
	{"list-dependents", "GET", "/uses/navigation", "", 200, `"through":"lock-passages"`},
	{"list-dependents", "GET", "/uses/navigatio", "", 404, "navigation"},
	{"preview-report", "POST", "/reports/passages-by-date/preview", `{"inputs":{"period":"2025-03"}}`, 200, "31 days"},
	{"preview-report", "POST", "/reports/passages-by-date/preview", `{"inputs":{"period":{"start":"31 Feb 2025"}}}`, 200, `"field":"period.start"`},
	{"explain-report", "POST", "/reports/jobs-due/explain", `{"inputs":{"period":"2025-03"}}`, 200, "20250401"},
	{"explain-report", "POST", "/reports/jobs-due/explain", `{"inputs":{"period":"x"}}`, 422, "unknown_word"},
	{"explain-report", "POST", "/reports/jobs-due/explain?plan=true", `{"inputs":{"period":"2025-03"}}`, 200, "looked up in the index maintenance_jobs_due_on"},
	{"why-report", "POST", "/reports/jobs-due/why", `{"inputs":{"period":"2025-03"}}`, 200, `"alone"`},
	{"why-report", "POST", "/reports/jobs-due/why", `{"inputs":{"period":"x"}}`, 422, "unknown_word"},
	{"why-report", "POST", "/reports/jobs-duee/why", `{}`, 404, "jobs-due"},
	{"run-report", "POST", "/reports/jobs-due/runs", `{"inputs":{"period":"2025-03-31"}}`, 200, `"outcome":"done"`},
	{"run-report", "POST", "/reports/jobs-due/runs?format=csv", `{"inputs":{"period":"2025-03-31"}}`, 200, "due_on,lock,job,done_on,cost\r\n2025-03-31,"},
	{"run-report", "POST", "/reports/jobs-due/runs?format=ndjson", `{"inputs":{"period":"2025-03-31"}}`, 200, "\n[\"2025-03-31\","},
	{"run-report", "POST", "/reports/jobs-due/runs?format=xlsx", `{"inputs":{"period":"2025-03-31"}}`, 200, "[Content_Types].xml"},
	{"run-report", "POST", "/reports/passages-by-date/runs?format=pdf", `{"inputs":{"period":"2025"}}`, 422, "A PDF holds 20000 records at the most."},
	{"run-report", "POST", "/reports/jobs-due/runs?format=pdf", `{"inputs":{"period":"2025-03-31"}}`, 200, "%PDF-"},
	{"run-report", "POST", "/reports/jobs-due/runs?format=csv", `{"inputs":{"period":"2025-03"},"sort":["cost descending"]}`, 200, "cost\r\n"},
	{"explain-report", "POST", "/reports/jobs-due/explain", `{"inputs":{"period":"2025-03"},"sort":["cost descending"]}`, 200, `cost_pence\" desc`},
	{"run-report", "POST", "/reports/jobs-due/runs", `{"inputs":{"period":"2025-03"},"sort":["cots downwards"]}`, 422, "Did you mean cost?"},
	{"run-report", "POST", "/reports/jobs-due/runs", `{"inputs":{"period":{"from":1}}}`, 422, "wrong_shape"},
	{"run-report", "POST", "/reports/jobs-due/runs", `{"inputs":{"period":"2025-02-30","locks":["Harow Top"],"x":"y"},"as_of":"never"}`, 422, "unknown_question"},
	{"run-report", "POST", "/reports/jobs-due/runs", `{"inputs":{"period":"2025-03","locks":["Harow Top"]}}`, 422, "Harrow Top"},
	{"run-report", "POST", "/reports/jobs-due/runs", `{"inputs":`, 400, "errors"},
	{"run-report", "POST", "/reports/jobs-due/runs?format=xls", `{}`, 422, "format"},
	{"run-report", "POST", "/reports/nothing/runs", `{}`, 404, "not_found"},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: query\nname: dear\nsource: navigation\nfrom: maintenance_jobs\nparameters: [{name: least, kind: integer}]\ncolumns: [id]\ncriteria: cost_pence >= :least\n---\nkind: report\nname: dear\nquery: dear\n"}`, 200, `"draft":true`},
	{"run-report", "POST", "/reports/dear/runs", `{"draft":true,"inputs":{"least":1000000}}`, 200, `Cost pence is at least 1000000`},
	{"run-report", "POST", "/reports/dear/runs", `{"draft":true,"inputs":{"least":9007199254740993}}`, 200, `9007199254740993`},
	{"explain-report", "POST", "/reports/dear/explain", `{"draft":true,"inputs":{"least":1e6}}`, 200, `1000000`},
	{"show-run", "GET", "/runs/1", "", 200, `"sql"`},
	{"show-run", "GET", "/runs/99999", "", 404, "not_found"},
	{"why-run", "GET", "/runs/1/why", "", 200, `"conditions"`},
	{"why-run", "GET", "/runs/99999/why", "", 404, "not_found"},
	{"list-runs", "GET", "/runs?limit=2", "", 200, `"outcome"`},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [name]\nsort: [name]\n---\nkind: report\nname: few-locks\nquery: few\n"}`, 200, `"draft":true`},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: query\nname: bad\nsource: navgation\nfrom: lcks\ncolumns: [nme]\n"}`, 422, "unknown_source"},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: query\nname: bad\nsource: navigation\nfrom: lcks\ncolumns: [nme]\n"}`, 422, "Did you mean locks?"},
	{"list-definitions", "GET", "/definitions", "", 200, "few-locks"},
	{"show-definition", "GET", "/definitions/query/few", "", 200, "kind: query"},
	{"show-definition", "GET", "/definitions/query/fewer", "", 404, "not_found"},
	{"check-definitions", "POST", "/definitions/check?run=true", `{"content":"kind: report\nname: few-locks\nquery: few\nexamples: [{ask: {}, expect: {rows: 14}}, {ask: {}, expect: {rows: 9, first: 2025}}, {ask: {}, expect: {refused: missing}}]\n"}`, 200, `"words":"The number of records should be 9 and is 14; the first date should be 2025 and is none."`},
	{"check-definitions", "POST", "/definitions/check", `{"content":"kind: query\nname: bad\nsource: navigation\nfrom: locks\ncolumns: [nme]\n"}`, 200, "Did you mean name?"},
	{"check-definitions", "POST", "/definitions/check", `{"content":"kind: query\n  name: [bad"}`, 200, "not_yaml"},
	{"check-definitions", "POST", "/definitions/check", `{"content":"kind: criterion\nname: in_service\non: locks\ncriteria: xopened_on <= passages.passed_at\n"}`, 200, "The query tolls-by-month, which uses it, would not be valid"},
	// A required question is required in an example, though the criteria were read back without an answer.
	{"check-definitions", "POST", "/definitions/check?run=true", `{"content":"kind: query\nname: asked\nsource: navigation\nfrom: locks\nparameters: [{name: day, kind: date, required: true}]\ncolumns: [name]\ncriteria: opened_on <= :day\n---\nkind: report\nname: asked\nquery: asked\nexamples: [{ask: {}, expect: {refused: missing}}]\n"}`, 200, `"kept":true,"words":"The answers are refused (missing)`},
	{"look-at-results", "POST", "/definitions/results?limit=1", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [name]\nsort: [name]\n"}`, 200, `"rows":[["Barley Staithe"]]`},
	{"look-at-results", "POST", "/definitions/results", `{"content":"kind: parameter\nname: p\nparameter: {kind: text}\n"}`, 404, "result of a parameter"},
	{"copy-definition", "POST", "/copies", `{"kind":"report","name":"jobs-due","to":"jobs-due-copied"}`, 200, `"name":"jobs-due-copied"`},
	{"copy-definition", "POST", "/copies", `{"kind":"report","name":"jobs-due","to":"jobs-due"}`, 422, "name_taken"},
	{"copy-definition", "POST", "/copies", `{"kind":"report","name":"jobs-due","to":"Jobs!"}`, 422, "bad_name"},
	{"copy-definition", "POST", "/copies", `{"kind":"report","name":"jobs-dew","to":"other"}`, 404, "jobs-dew"},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: criterion\nname: in_service\ntitle: Open\non: locks\ncriteria: opened_on <= passages.passed_at\n","preview":true}`, 200, `"definitions":[],"changes":[{"kind":"criterion","name":"in_service","differences":[{"field":"title"`},
	{"list-readings", "GET", "/sources/navigation/tables/dues_invoices/columns/paid_on/readings?encoding=iso-date&limit=2", "", 200, `[{"stored":"2023-01-05","reads":"2023-01-05","records":2},`},
	{"list-readings", "GET", "/sources/navigation/tables/locks/columns/name/readings?encoding=iso-date&limit=1", "", 200, `[{"stored":"Barley Staithe","records":1}]`},
	{"list-readings", "GET", "/sources/navigation/tables/locks/columns/name/readings?encoding=weeks", "", 422, "unknown_encoding"},
	{"list-readings", "GET", "/sources/navigation/tables/locks/columns/nme/readings?encoding=ymd", "", 404, "Did you mean name?"},
	{"list-unfit-definitions", "GET", "/sources/navigation/unfit", "", 200, "[]"},
	{"list-unfit-definitions", "GET", "/sources/navigatio/unfit", "", 404, "Did you mean navigation?"},
	{"rename", "POST", "/names", `{"kind":"query","name":"lock-passages","column":"toll","to":"dues"}`, 200, `{"kind":"report","name":"passages-by-date","lines":[{"line":13,"was":"totals: [sum of toll]","is":"totals: [sum of dues]"}]}`},
	{"rename", "POST", "/names", `{"kind":"report","name":"passages-by-date","question":"period","to":"days"}`, 200, `old_answers`},
	{"rename", "POST", "/names", `{"kind":"criterion","name":"in_service","to":"open_then"}`, 200, `"becomes":"open_then","lines":[{"line":2,"was":"name: in_service","is":"name: open_then"}]`},
	{"rename", "POST", "/names", `{"kind":"query","name":"lock-passages","column":"toll","to":"lock"}`, 422, "name_taken"},
	{"rename", "POST", "/names", `{"kind":"query","name":"lock-passages","to":"lock-passages"}`, 422, "same_name"},
	{"rename", "POST", "/names", `{"kind":"query","name":"lock-passages","column":"tol","to":"dues"}`, 404, "Did you mean toll?"},
	{"rename", "POST", "/names", `{"kind":"report","name":"passages-by-date","to":"others"}`, 422, "not_renamed"},
	{"rename", "POST", "/names", `{"kind":"query","name":"lock-passages","question":"period","to":"The Days"}`, 422, "bad_name"},
	{"read-criteria", "POST", "/criteria/read", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [{name: lock, value: name}]\ncriteria: name = 'Osier Bend' or region in :region\n"}`, 200, `{"kind":"query","name":"few","criteria":"name = 'Osier Bend' or region in :region","condition":{"kind":"all","parts":[{"id":"0","kind":"any","parts":[{"id":"0.0","kind":"says","subject":{"text":"name","label":"Lock","type":"text","column":"locks.name"},"comparison":"=","values":[{"from":"fixed","text":"Osier Bend"}]`},
	{"read-criteria", "POST", "/criteria/read", `{"content":"kind: criterion\nname: old\non: locks\ncriteria: opened_on < '1900'\n"}`, 200, `"subject":{"text":"opened_on","label":"Opened on","type":"date","column":"locks.opened_on"}`},
	{"read-criteria", "POST", "/criteria/read", `{"content":"kind: rule\nname: own\nsource: navigation\non: locks\ncriteria: region in :user.regions\n"}`, 200, `"values":[{"from":"worked","text":":user.regions"}]`},
	{"read-criteria", "POST", "/criteria/read", `{"content":"kind: query\nname: few\ncriteria: name = \n"}`, 200, `"parts":[{"kind":"text","text":"name ="`},
	{"read-criteria", "POST", "/criteria/read", `{"content":"kind: report\nname: few\nquery: few\n"}`, 422, "no_criteria"},
	{"write-criteria", "POST", "/criteria/write", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [name]\ncriteria: name = 'A'\n","condition":{"kind":"all","parts":[{"kind":"says","subject":{"text":"opened_on","type":"date"},"comparison":"<","values":[{"from":"fixed","text":"1900"}]}]}}`, 200, `"criteria":"opened_on < '1900'"`},
	{"write-criteria", "POST", "/criteria/write", `{"content":"kind: query\nname: few\ncriteria: name = 'A'\n","condition":{"kind":"all","parts":[{"kind":"any"}]}}`, 422, `"code":"empty_group"`},
	{"count-criteria", "POST", "/criteria/counts", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\nparameters: [{name: region, kind: text}]\ncolumns: [name]\ncriteria: region = :region and name >= 'H' and (name = 'Osier Bend' or not name < 'P') and count of passages > 0\n"}`, 200, `{"records":14,"conditions":[{"id":"0","open":true,"left":14},{"id":"1","alone":11,"left":11},{"id":"2","alone":4,"left":4},{"id":"2.0","alone":1},{"id":"2.1","alone":3},{"id":"2.1.0","alone":11},{"id":"3","alone":14,"left":4}]}`},
	{"count-criteria", "POST", "/criteria/counts", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: passages\nparameters: [{name: period, kind: period, required: true, default: 2025-03-30}]\ncolumns: [{name: n, value: count}]\ncriteria: passed_at within :period and id > 0\nbeside: {question: period, with: year-before}\n"}`, 200, `"conditions":[{"id":"0","alone":100,"left":100},{"id":"1","alone":120132,"left":100}]}`},
	{"count-criteria", "POST", "/criteria/counts", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [nme]\n"}`, 422, "nme"},
	{"count-criteria", "POST", "/criteria/counts", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [name]\ncriteria: ` + strings.Repeat("id > 0 and ", 300) + `id > 0\n"}`, 200, `{"records":14,"conditions":[]}`},
	{"list-comparisons", "GET", "/criteria/comparisons", "", 200, `{"comparison":"within","words":"is within","takes":"period"}`},
	{"list-values", "GET", "/sources/navigation/tables/passages/columns/direction/values", "", 200, `[{"value":"downstream","count":`},
	{"list-values", "GET", "/sources/navigation/tables/locks/columns/name/values?search=osier", "", 200, `[{"value":"Osier Bend","count":1}]`},
	{"list-values", "GET", "/sources/navigation/tables/locks/columns/nam/values", "", 404, "name"},
	{"draw-chart", "POST", "/drawings", `{"chart":{"kind":"bars","x":"Month","y":"Tolls","points":[{"x":"<2025-01>","y":5},{"x":"b","y":12345678901234567890}]},"width":100,"height":60}`, 200, `<title>&lt;2025-01&gt;: 5</title>`},
	{"draw-chart", "POST", "/drawings", `{"chart":{"kind":"pie","x":"Month","y":"Tolls","points":[]},"width":10,"height":60}`, 422, "body.width"},
	{"begin-report", "GET", "/sources/navigation/tables/passages/begin", "", 200, `"name":"passages","content":"kind: query\nname: passages\ntitle: Passages\nsource: navigation\nfrom: passages\njoins:\n  - table: locks\n    on: passages.lock_id = locks.id\n`},
	{"begin-report", "GET", "/sources/navigation/tables/passages/begin?on=passed", "", 422, "Take passed_at."},
	{"begin-report", "GET", "/sources/navigation/tables/passage/begin", "", 404, "passages"},
	{"begin-from-sql", "POST", "/sources/navigation/begin", `{"sql": "select id from passages where passed_at >= '2025-01-01' and passed_at < '2025-04-01'"}`, 200, `"becomes":"{ passed_at within :period }"`},
	{"begin-from-sql", "POST", "/sources/navigation/begin", `{"sql": "select id from passages where direction = 'upstream'", "asked": ["direction"]}`, 200, `"becomes":"{ direction = :direction_2 }"`},
	{"begin-from-sql", "POST", "/sources/navigation/begin", `{"sql": "delete from passages"}`, 422, "Begin with select or with."},
	{"review-definition", "GET", "/reviews/few-locks", "", 200, `"version":1`},
	{"review-definition", "GET", "/reviews/few-lock", "", 404, "few-locks"},
	{"review-definition", "GET", "/reviews/lock-passages", "", 200, `"changes":[],"problems":[],"examples":[],"users":[{"kind":"report","name":"passages-by-date"`},
	{"publish-definition", "POST", "/definitions/lock-passages/publish", "", 200, "nothing_new"},
	{"ask-report", "GET", "/reports/few-locks?draft=true", "", 200, `"version":0`},
	{"ask-report", "GET", "/reports/few-loks?draft=true", "", 404, "Did you mean few-locks?"},
	{"run-report", "POST", "/reports/few-locks/runs", `{"draft":true}`, 200, `"version":0`},
	{"publish-definition", "POST", "/definitions/few-locks/publish", "", 200, `"version":1`},
	{"publish-definition", "POST", "/definitions/few-lock/publish", "", 404, "few-locks"},
	{"run-report", "POST", "/reports/few-locks/runs", `{}`, 200, "Barley Staithe"},
	{"list-versions", "GET", "/definitions/report/few-locks/versions", "", 200, `"number":1`},
	{"list-versions", "GET", "/definitions/report/few-lock/versions", "", 404, "not_found"},
	{"show-definition", "GET", "/definitions/report/few-locks?version=1", "", 200, "query: few"},
	{"show-definition", "GET", "/definitions/report/few-locks?version=7", "", 404, "version 7"},
	{"show-differences", "GET", "/definitions/report/few-locks/differences?from=1", "", 200, "[]"},
	{"show-differences", "GET", "/definitions/report/few-locks/differences?from=5", "", 404, "version 5"},
	{"compare-runs", "GET", "/runs/1/compare/2", "", 200, `"same":`},
	{"compare-runs", "GET", "/runs/1/compare/99999", "", 404, "not_found"},
	{"list-runs", "GET", "/runs?outcome=refused&report=jobs-due&until=2020-01-01T00:00:00Z", "", 200, "[]"},
	{"list-runs", "GET", "/runs?outcome=refused", "", 200, `"refused"`},
	{"show-rows", "GET", "/sources/navigation/tables/locks/rows?limit=1", "", 200, `"Harrow Top"`},
	{"show-rows", "GET", "/sources/navigation/tables/lock/rows", "", 404, "locks"},
	{"list-sources", "GET", "/sources", "", 200, "navigation"},
	{"show-source", "GET", "/sources/navigation", "", 200, "iso-instant"},
	{"check-source", "GET", "/sources/navigation/check", "", 200, `"read_only":true`},
	{"check-source", "GET", "/sources/navgation/check", "", 404, "navigation"},
	{"show-extents", "GET", "/sources/navigation/tables/passages/extents", "", 200, `"earliest":"2023-01-01T00:00:00+00:00"`},
	{"show-extents", "GET", "/sources/navigation/tables/pasages/extents", "", 404, "passages"},
	{"show-source", "GET", "/sources/navgation", "", 404, "navigation"},
	{"add-source", "POST", "/sources", `{"name":"Bad Name","engine":"sqlit","address":""}`, 422, "There are sqlite, files."},
	{"add-source", "POST", "/sources", `{"name":"gone","engine":"sqlite","address":"/nowhere/at/all.db"}`, 502, "unreachable"},
	{"set-file", "PUT", "/sources/navigation/files/locks", `{"header":"yes"}`, 422, "no folder of files"},
	{"upload-file", "PUT", "/sources/navigation/uploads/a.csv", "id\n1\n", 422, "not_uploaded"},
	{"upload-file", "PUT", "/sources/Stock/uploads/a.exe", "id\n1\n", 422, "bad_file_name"},
	{"upload-file", "PUT", "/sources/stock/uploads/a.csv", "id\n1\n", 200, `"name":"a"`},
	{"upload-file", "PUT", "/sources/stock/uploads/a.csv", "id\n1\n", 422, "file_exists"},
	{"upload-file", "PUT", "/sources/stock/uploads/a.csv?replace=true", "tonnes\n1.5\n", 200, `"name":"tonnes"`},
	{"list-uploads", "GET", "/sources/stock/uploads", "", 200, `"name":"a.csv","size":11`},
	{"remove-upload", "DELETE", "/sources/stock/uploads/b.csv", "", 404, "a.csv"},
	{"remove-upload", "DELETE", "/sources/stock/uploads/a.csv", "", 204, ""},
	{"remove-source", "DELETE", "/sources/stock", "", 204, ""},
	{"set-encoding", "PUT", "/sources/navigation/encodings/maintenance_jobs.due_on", `{"encoding":"ymd"}`, 200, "eight digits, real days: all"},
	{"set-encoding", "PUT", "/sources/navigation/encodings/maintenance_jobs.cost_pence", `{"encoding":"ymd"}`, 422, "do not fit"},
	{"set-encoding", "PUT", "/sources/navigation/encodings/maintenance_jobs.du_on", `{"encoding":"ymd"}`, 422, "Did you mean due_on?"},
	{"show-unfit", "GET", "/sources/navigation/tables/maintenance_jobs/unfit/due_on", "", 200, `"rows":[]`},
	{"show-unfit", "GET", "/sources/navigation/tables/maintenance_jobs/unfit/cost_pence", "", 422, "no_dates"},
	{"show-unfit", "GET", "/sources/navigation/tables/maintenance_jobs/unfit/due_o", "", 404, "due_on"},
	{"add-source", "POST", "/sources", `{"name":"navigation","engine":"sqlite","address":"/nowhere/at/all.db"}`, 422, "source_exists"},
	{"change-source", "PATCH", "/sources/navigation", `{"address":"/nowhere/at/all.db"}`, 502, "unreachable"},
	{"change-source", "PATCH", "/sources/navgation", `{"address":"/nowhere/at/all.db"}`, 404, "navigation"},
	{"change-source", "PATCH", "/sources/navigation", `{}`, 200, `"tables"`},
	{"remove-source", "DELETE", "/sources/navgation", "", 404, "navigation"},
	{"remove-source", "DELETE", "/sources/navigation", "", 422, "the query lock-passages"},
	{"check-published", "GET", "/published/check", "", 200, `"report":"passages-by-date"`},
	{"list-dependents", "GET", "/uses/maintenance_jobs.due_on", "", 200, `"name":"jobs-due"`},
	// While there are no users; testing/access has the rest.
	{"ways-to-sign-in", "GET", "/sign-in", "", 200, `"state":"open"`},
	{"sign-in", "POST", "/sign-in", `{"name":"ava","password":"x"}`, 401, "wrong_sign_in"},
	{"sign-out", "POST", "/sign-out", "", 204, ""},
	{"look-at-link", "POST", "/welcome", `{"link":"x"}`, 401, "link_spent"},
	{"set-password", "POST", "/welcome/password", `{"link":"x","password":"y"}`, 401, "link_spent"},
	{"show-me", "GET", "/me", "", 200, `"state":"open"`},
	{"change-me", "PUT", "/me/profile", `{}`, 403, "not_allowed"},
	{"change-password", "PUT", "/me/password", `{"old":"x","password":"y"}`, 403, "not_allowed"},
	{"begin-second-factor", "POST", "/me/second-factor", `{"password":"x"}`, 403, "not_allowed"},
	{"confirm-second-factor", "PUT", "/me/second-factor", `{"code":"x"}`, 403, "not_allowed"},
	{"drop-second-factor", "POST", "/me/second-factor/drop", `{"password":"x"}`, 403, "not_allowed"},
	{"list-sessions", "GET", "/me/sessions", "", 200, "[]"},
	{"end-session", "DELETE", "/me/sessions/x", "", 404, "not_found"},
	{"list-tokens", "GET", "/tokens", "", 200, "[]"},
	{"make-token", "POST", "/tokens", `{"name":"x"}`, 403, "not_allowed"},
	{"end-token", "DELETE", "/tokens/1", "", 404, "not_found"},
	{"list-users", "GET", "/users", "", 200, "[]"},
	{"show-user", "GET", "/users/ava", "", 404, "not_found"},
	{"invite-user", "POST", "/users", `{"name":"ava","role":"administrator"}`, 403, "made at the machine"},
	{"change-user", "PATCH", "/users/ava", `{}`, 404, "not_found"},
	{"link-user", "POST", "/users/ava/link", "", 404, "not_found"},
	{"save-group", "PUT", "/groups/keepers", `{"members":["ava"]}`, 422, "unknown_user"},
	{"save-group", "PUT", "/groups/keepers", `{"members":[]}`, 200, `"keepers"`},
	{"list-groups", "GET", "/groups", "", 200, `"keepers"`},
	{"give-right", "POST", "/rights", `{"folder":"Dues!","right":"read","group":"keeper"}`, 422, "bad_folder"},
	{"give-right", "POST", "/rights", `{"folder":"dues","right":"run","group":"keepers"}`, 204, ""},
	{"list-rights", "GET", "/rights", "", 200, `"folder":"dues"`},
	{"take-right", "POST", "/rights/take", `{"folder":"other","right":"run","group":"keepers"}`, 404, "not_found"},
	{"apply-rights", "PUT", "/rights", `[]`, 200, `"taken":[{"folder":"dues"`},
	{"remove-group", "DELETE", "/groups/keepers", "", 204, ""},
	{"list-audit", "GET", "/audit", "", 200, `"what":"group.removed"`},
	{"verify-audit", "GET", "/audit/verify", "", 200, `"whole":true`},
	{"verify-audit", "GET", "/audit/verify?head=x", "", 422, "bad_head"},
	{"save-answers", "PUT", "/reports/jobs-due/answers", `{"name":"May","shared":true,"begins":true,"inputs":{"period":"2025-05"}}`, 200, `"May"`},
	{"list-answers", "GET", "/reports/jobs-due/answers", "", 200, `"begins":true`},
	{"preview-report", "POST", "/reports/jobs-due/preview", `{"answers":"May"}`, 200, "May 2025"},
	{"preview-report", "POST", "/reports/jobs-due/preview", `{"answers":"Mai"}`, 404, "May"},
	{"save-answers", "PUT", "/reports/jobs-due/answers", `{"name":"x","shared":true,"begins":false,"inputs":{"period":"31 Feb 2025"}}`, 422, "no_such_date"},
	{"remove-answers", "DELETE", "/reports/jobs-due/answers/May?shared=true", "", 204, ""},
	{"save-overview-answers", "PUT", "/overviews/navigation-at-a-glance/answers", `{"name":"May","shared":true,"begins":true,"inputs":{"period":"2025-05"}}`, 200, `"May"`},
	{"list-overview-answers", "GET", "/overviews/navigation-at-a-glance/answers", "", 200, `"begins":true`},
	{"list-answers", "GET", "/reports/jobs-due/answers", "", 200, `[]`},
	{"preview-overview", "POST", "/overviews/navigation-at-a-glance/preview", `{"answers":"May"}`, 200, "May 2025"},
	{"preview-overview", "POST", "/overviews/navigation-at-a-glance/preview", `{"answers":"Mai"}`, 404, "May"},
	{"save-overview-answers", "PUT", "/overviews/navigation-at-a-glance/answers", `{"name":"x","shared":true,"begins":false,"inputs":{"period":"31 Feb 2025"}}`, 422, "no_such_date"},
	{"save-overview-answers", "PUT", "/overviews/navigation-at-a-glanc/answers", `{"name":"x","shared":false,"begins":false,"inputs":{}}`, 404, "navigation-at-a-glance"},
	{"remove-overview-answers", "DELETE", "/overviews/navigation-at-a-glance/answers/May?shared=true", "", 204, ""},
	{"save-secret", "PUT", "/secrets/navigation", `{"secret":"x"}`, 204, ""},
	{"list-secrets", "GET", "/secrets", "", 200, `"navigation"`},
	{"remove-secret", "DELETE", "/secrets/navigation", "", 204, ""},
	{"see-as", "POST", "/see-as", `{"user":"ava"}`, 403, "not_allowed"},
	{"see-as-oneself", "POST", "/see-as/end", "", 204, ""},
	{"read-link", "GET", "/linked/x/records.csv", "", 401, "link_ended"},
	{"look-at-link-file", "HEAD", "/linked/x/records.csv", "", 401, ""},
	{"sign-in-at-provider", "GET", "/sign-in/provider", "", 303, ""},
	{"return-from-provider", "GET", "/sign-in/provider/return", "", 303, ""},
	{"preview-rule", "POST", "/definitions/rule-preview?user=ava", `{"content":"kind: rule\nname: r\nsource: navigation\non: locks\ncriteria: id > 3\n"}`, 404, "user ava"},
	{"list-readers", "GET", "/reports/jobs-due/readers", "", 200, "[]"},
	{"list-dependents", "GET", "/uses/locks", "", 200, `"kind":"query"`},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [name]\nsort: [name descending]\n","revisions":{"query few":1}}`, 200, `"revision":2`},
	{"push-definitions", "POST", "/definitions", `{"content":"kind: query\nname: few\nsource: navigation\nfrom: locks\ncolumns: [name]\nsort: [id]\n","revisions":{"query few":1}}`, 422, "Their change: "},
	{"remove-definition", "DELETE", "/definitions/query/few", "", 422, "the report few-locks"},
	{"remove-definition", "DELETE", "/definitions/query/fewer", "", 404, "not_found"},
	{"remove-definition", "DELETE", "/definitions/report/few-locks", "", 204, ""},
	{"run-report", "POST", "/reports/few-locks/runs", `{}`, 404, "not_found"},
	{"set-encoding", "PUT", "/sources/navigation/encodings/maintenance_jobs.due_on", `{"encoding":"ydm"}`, 422, "Did you mean ymd?"},
	{"read-period", "GET", "/period?expression=last+month&as_of=2026-03-18", "", 200, `"canonical":"2026-02"`},
	{"list-calendars", "GET", "/calendars", "", 200, `"name":"waterway"`},
	{"show-calendar", "GET", "/calendars/waterway?year=2026", "", 200, `{"day":"2026-12-25","name":"Christmas Day"}`},
	{"list-schedules", "GET", "/schedules?all=true", "", 200, `"name":"dues-of-a-week"`},
	{"show-schedule", "GET", "/schedules/dues-of-a-week", "", 200, `"when":"every monday at 07:00"`},
	{"show-schedule", "GET", "/schedules/dues-of-a-weak", "", 404, "Did you mean dues-of-a-week?"},
	{"preview-schedule", "POST", "/schedule-preview", `{"report":"jobs-due","set":{"period":"last week"},"when":"every monday at 07:00","to":["office@navigation.example"]}`, 200, `"readback":"Mon `},
	{"preview-schedule", "POST", "/schedule-preview", `{"report":"jobs-due","set":{"perod":"last week"},"when":"every mondy at 07:00","to":["office@elsewhere.example"],"only":"counts > 1"}`, 422, "unknown_destination"},
	{"make-schedule", "POST", "/schedules", `{"report":"jobs-due","set":{"period":"last week"},"when":"every monday at 07:00","to":["office@navigation.example"]}`, 201, `"name":"jobs-due@"`},
	{"make-schedule", "POST", "/schedules", `{"report":"jobs-due","when":"every monday at 07:00"}`, 422, "no_address"},
	{"change-schedule", "PUT", "/schedules/jobs-due@", `{"report":"jobs-due","set":{"period":"yesterday"},"when":"every day at 07:00","to":["office@navigation.example"]}`, 200, `"version":2`},
	{"pause-schedule", "POST", "/schedules/jobs-due@/pause", `{"why":"the lock is dry"}`, 200, `"paused":"the lock is dry"`},
	{"resume-schedule", "POST", "/schedules/jobs-due@/resume", "", 200, `"next":"`},
	{"run-schedule", "POST", "/schedules/jobs-due@/run", "{}", 202, `"state":"due"`},
	{"run-schedule", "POST", "/schedules/jobs-due@/run", `{"due":"2999-01-01T00:00:00Z"}`, 422, "not_past"},
	{"run-schedule", "POST", "/schedules/jobs-due@/run", `{"due":"2026-01-01T00:01:00Z"}`, 422, "not_due"},
	{"show-occurrence", "GET", "/occurrences/3", "", 200, `"schedule":"jobs-due@"`},
	{"show-occurrence", "GET", "/occurrences/99", "", 404, "99"},
	{"cancel-occurrence", "POST", "/occurrences/3/cancel", "", 204, ""},
	{"cancel-occurrence", "POST", "/occurrences/3/cancel", "", 422, "ended"},
	{"remove-schedule", "DELETE", "/schedules/jobs-due@", "", 204, ""},
	{"remove-schedule", "DELETE", "/schedules/dues-of-a-week", "", 403, "pikegate remove dues-of-a-week"},
	{"verify-file", "GET", "/files/" + strings.Repeat("0a", 32), "", 200, "[]"},
	{"verify-file", "GET", "/files/0a", "", 422, "pattern"},
	{"list-notices", "GET", "/notices", "", 200, "["},
	{"drop-notice", "DELETE", "/notices/99", "", 404, "99"},
	{"list-destinations", "GET", "/destinations", "", 200, `"place":"folder:dues"`},
	{"hand-over-schedules", "POST", "/users/cleo/hand-over", `{"to":"kit"}`, 404, "kit"},
	{"ask-to-unsubscribe", "GET", "/unsubscribe/x", "", 404, "This link ends no mails."},
	{"unsubscribe", "POST", "/unsubscribe/x", "", 404, "This link ends no mails."},
	{"show-calendar", "GET", "/calendars/brook", "", 404, `There is no calendar brook.`},
	{"show-calendar", "GET", "/calendars/waterway?year=-3", "", 422, `out_of_range`},
	{"read-period", "GET", "/period?expression=season+2025&calendar=waterway", "", 200, `"canonical":"2025-04-01/2025-10-31"`},
	{"read-period", "GET", "/period?expression=letzter+Monat&language=de&as_of=2026-03-18", "", 200, `"canonical":"2026-02"`},
	{"read-period", "GET", "/period?expression=letzter+Monat&as_of=2026-03-18", "", 422, `unknown_word`},
	{"read-period", "GET", "/period?expression=today&calendar=brook", "", 422, `unknown_calendar`},
	{"read-period", "GET", "/period?expression=2026-02-30", "", 422, `"length":10`},
	{"definition-schema", "GET", "/schema", "", 200, "oneOf"},
}

// TestDescription: the OpenAPI document names exactly what is served, is the
// one in docs/, and every answer above is of the shape it promises.
func TestDescription(t *testing.T) {
	server, web := serve(t, time.Minute)
	text, err := server.OpenAPI()
	require.NoError(t, err)
	var indented bytes.Buffer
	require.NoError(t, json.Indent(&indented, text, "", "  "))
	indented.WriteByte('\n')
	const golden = "../../docs/openapi.json"
	if *update {
		require.NoError(t, os.WriteFile(golden, indented.Bytes(), 0o644))
	}
	want, err := os.ReadFile(golden)
	require.NoError(t, err)
	require.Equal(t, string(want), indented.String(), "docs/openapi.json is not what is served; go test ./internal/api -update")

	document := server.huma.OpenAPI()
	operations := map[string]*huma.Operation{}
	described := map[string]bool{}
	for path, item := range document.Paths {
		for method, o := range map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put, "DELETE": item.Delete, "PATCH": item.Patch, "HEAD": item.Head} {
			if o != nil {
				operations[o.OperationID] = o
				described[method+" "+path] = true
			}
		}
	}
	for _, route := range server.handler.(*gin.Engine).Routes() {
		path := regexp.MustCompile(`:(\w+)`).ReplaceAllString(route.Path, "{$1}")
		if strings.Contains(path, "/openapi") {
			continue // the document itself
		}
		assert.True(t, described[route.Method+" "+path], "%s %s is served and not described", route.Method, path)
		delete(described, route.Method+" "+path)
	}
	assert.Empty(t, described, "described and not served")

	tried := map[string]bool{}
	for _, c := range calls {
		tried[c.operation] = true
		path := prefix + c.path
		if c.operation == "health" || strings.HasPrefix(c.path, declinePrefix) {
			path = c.path
		}
		status, contentType, body := send(t, web, c.method, path, c.body)
		what := fmt.Sprintf("%s %s: %s", c.method, c.path, body)
		require.Equal(t, c.status, status, what)
		require.Contains(t, string(body), c.contains, what)
		o := operations[c.operation]
		require.NotNil(t, o, c.operation)
		response := o.Responses[fmt.Sprint(status)]
		if response == nil {
			response = o.Responses["default"]
		}
		require.NotNil(t, response, "%s answers %d, which is not described", c.operation, status)
		if status == http.StatusNoContent || c.method == http.MethodHead || status == http.StatusSeeOther {
			continue
		}
		media := response.Content[contentType]
		require.NotNil(t, media, "%s answers %s, which is not described", c.operation, contentType)
		if strings.HasSuffix(strings.Split(contentType, ";")[0], "json") && !strings.Contains(contentType, "ndjson") {
			var value any
			require.NoError(t, json.Unmarshal(body, &value))
			var found huma.ValidateResult
			huma.Validate(document.Components.Schemas, media.Schema, huma.NewPathBuffer(nil, 0), huma.ModeReadFromServer, value, &found)
			require.Empty(t, found.Errors, what)
		}
	}
	for id := range operations {
		assert.True(t, tried[id], "the operation %s is not tried", id)
	}
}

// TestKinds: every kind of definition can be named over HTTP.
func TestKinds(t *testing.T) {
	server, _ := serve(t, time.Minute)
	document := server.huma.OpenAPI()
	path := document.Paths[prefix+"/definitions/{kind}/{name}"].Get.Parameters
	for _, kind := range definition.Kinds() {
		assert.Contains(t, path[0].Schema.Enum, kind)
		assert.Contains(t, document.Components.Schemas.Map()["Renaming"].Properties["kind"].Enum, kind)
	}
}

// TestGuard: only a loopback name, and only pages of the service's own.
func TestGuard(t *testing.T) {
	_, web := serve(t, time.Minute)
	own := strings.TrimPrefix(web.URL, "http://")
	for _, c := range []struct {
		host, origin string
		status       int
	}{
		{own, "", 200},
		{"localhost:80", "", 200},
		{"[::1]:80", "", 200},
		{own, "http://" + own, 200},
		{"pikegate.example", "", 403},
		{"127.0.0.1.example:80", "", 403},
		{"10.0.0.1", "", 403},
		{own, "http://pikegate.example", 403},
		{own, "null", 403},
		{own, "http://127.0.0.1:1", 403},
	} {
		header := []string{"Host", c.host}
		if c.origin != "" {
			header = append(header, "Origin", c.origin)
		}
		status, _, body := send(t, web, "GET", prefix+"/reports", "", header...)
		assert.Equal(t, c.status, status, "%+v: %s", c, body)
	}
}

// slow is a report whose statement takes far longer than a test.
const slow = `{"content":"kind: query\nname: slow\nsource: navigation\nfrom: passages\njoins:\n  - {table: passages, as: b, on: passages.toll_pence <> b.toll_pence}\n  - {table: passages, as: c, on: b.toll_pence <> c.toll_pence}\ncolumns:\n  - {name: toll, value: passages.toll_pence}\nsort: [toll]\n---\nkind: report\nname: slow\nquery: slow\n"}`

// endless is a report that never runs out of records.
const endless = `{"content":"kind: query\nname: endless\nsource: navigation\nsql: with recursive n(i) as (select 1 union all select i + 1 from n) select i from n\ncolumns: [i]\n---\nkind: report\nname: endless\nquery: endless\n"}`

// TestLimits: a statement stops when its time is up, and when the caller goes
// away; the record tells which.
func TestLimits(t *testing.T) {
	t.Parallel()
	_, web := serve(t, 3*time.Second) // looking at the table for the first time is within it too
	status, _, body := send(t, web, "POST", prefix+"/definitions", slow)
	require.Equal(t, 200, status, string(body))
	status, _, body = send(t, web, "POST", prefix+"/definitions/slow/publish", "")
	require.Equal(t, 200, status, string(body))

	_, _, body = send(t, web, "POST", prefix+"/reports/slow/runs", "{}")
	assert.Contains(t, string(body), `"outcome":"timed_out"`)

	// CSV cannot say that it ended early: before its first byte a problem
	// document does, after that the connection breaks off.
	status, _, body = send(t, web, "POST", prefix+"/reports/slow/runs?format=csv", "{}")
	assert.Equal(t, http.StatusGatewayTimeout, status, string(body))
	for _, path := range []string{"/definitions", "/definitions/endless/publish"} {
		status, _, body = send(t, web, "POST", prefix+path, endless)
		require.Equal(t, 200, status, string(body))
	}
	response, err := http.Post(web.URL+prefix+"/reports/endless/runs?format=csv", "application/json", strings.NewReader("{}"))
	if err == nil {
		_, err = io.ReadAll(response.Body)
		response.Body.Close()
	}
	assert.Error(t, err)

	ctx, leave := context.WithTimeout(t.Context(), 500*time.Millisecond)
	defer leave()
	request, err := http.NewRequestWithContext(ctx, "POST", web.URL+prefix+"/reports/slow/runs", strings.NewReader("{}"))
	require.NoError(t, err)
	request.Header.Set("Content-Type", "application/json")
	if response, err := http.DefaultTransport.RoundTrip(request); err == nil {
		_, err = io.ReadAll(response.Body)
		response.Body.Close()
		require.Error(t, err)
	}
	require.Eventually(t, func() bool {
		_, _, body := send(t, web, "GET", prefix+"/runs?limit=1", "")
		return strings.Contains(string(body), `"outcome":"cancelled"`)
	}, 10*time.Second, 10*time.Millisecond)
}

// TestTogether: many ask one report at once, each with answers of their own;
// what is kept ready between them is not changed by any.
func TestTogether(t *testing.T) {
	t.Parallel()
	_, web := serve(t, 0)
	asked := func(month int) string {
		return fmt.Sprintf(`{"inputs":{"period":"2025-%02d","locks":["Harrow Top","Mossgill"]},"sort":["cost descending"],"as_of":"2025-%02d-15"}`, month, month)
	}
	paths := []string{"preview", "explain", "why", "coverage", "questions/locks/choices", "runs?format=csv"}
	answer := func(month int, path string) string {
		status, _, body := send(t, web, "POST", prefix+"/reports/jobs-due/"+path, asked(month))
		assert.Equal(t, 200, status, string(body))
		return string(body)
	}
	alone := map[string]string{}
	for month := 1; month <= 4; month++ {
		for _, path := range paths {
			alone[fmt.Sprint(month, path)] = answer(month, path)
		}
	}
	var all sync.WaitGroup
	for round := range 4 {
		for month := 1; month <= 4; month++ {
			all.Go(func() {
				for i := range paths {
					path := paths[(i+round)%len(paths)]
					assert.Equal(t, alone[fmt.Sprint(month, path)], answer(month, path), "%d %s", month, path)
				}
			})
		}
	}
	all.Wait()
}

// TestServiceCalendar: what no report names is read by the calendar that the service uses.
func TestServiceCalendar(t *testing.T) {
	server, web := serve(t, time.Minute)
	ask := func() (int, string) {
		status, _, body := send(t, web, "GET", "/api/v1/period?expression=season+2025", "")
		return status, string(body)
	}
	status, body := ask()
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "unknown_word")
	server.service.CalendarName = "waterway"
	status, body = ask()
	assert.Equal(t, 200, status)
	assert.Contains(t, body, `"canonical":"2025-04-01/2025-10-31"`)
	status, _, content := send(t, web, "POST", "/api/v1/reports/invoices-issued/preview", `{"inputs":{"period":"season 2025"}}`)
	assert.Equal(t, 200, status)
	assert.Contains(t, string(content), "2025-04-01/2025-10-31")
	// One that there is not is told, and nothing is guessed.
	server.service.CalendarName = "brook"
	_, _, content = send(t, web, "POST", "/api/v1/reports/invoices-issued/explain", `{"inputs":{"period":"2025-03"}}`)
	assert.Contains(t, string(content), "unknown_calendar")
}
