package access

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// operations says what comes back of every operation: a line has its name, the method
// and the path of a call, what each caller is answered with, and the body. In path and
// body, WHO is the caller's name and RUN the number of a run of ann's.
//
//	rita     a reader without any right        rob     a reader who may run what is in dues
//	ann      an author who may publish in dues and write queries on the source
//	abe      an author elsewhere               ada     an administrator
//	reading  a token of ann's that can only read
//
// Besides, nobody and a token that has expired are answered with 401 by all of them,
// and a token for the one report tolls with 403 by all but its run.
const operations = `
                                                                              rita rob ann abe ada reading
list-audit            GET    /audit                                            403 403 403 403 200 403
verify-audit          GET    /audit/verify                                     403 403 403 403 200 403
list-definitions      GET    /definitions                                      403 403 200 200 200 200
push-definitions      POST   /definitions                                      403 403 200 422 200 403  {"content": "kind: report\nname: new-WHO\nfolder: dues\nquery: tolls\n"}
check-definitions     POST   /definitions/check                                403 403 200 200 200 200  {"content": "kind: report\nname: new\nquery: tolls\n"}
look-at-results       POST   /definitions/results                              403 403 200 422 200 200  {"content": "kind: query\nname: q\nsource: tolls\nfrom: tolls\ncolumns: [id]\n"}
preview-rule          POST   /definitions/rule-preview?user=rita               403 403 403 403 200 403  {"content": "kind: rule\nname: r\nsource: tolls\non: tolls\ncriteria: pence > 100\n"}
show-definition       GET    /definitions/report/tolls                         403 403 200 404 200 200
show-differences      GET    /definitions/report/tolls/differences             403 403 200 404 200 200
list-versions         GET    /definitions/report/tolls/versions                403 403 200 404 200 200
review-definition     GET    /reviews/tolls                                    403 403 200 404 200 200
list-dependents       GET    /uses/tolls                                       403 403 200 404 200 200
list-dependents       GET    /uses/tolls.day                                   403 403 200 404 200 200
publish-definition    POST   /definitions/spare-WHO/publish                    403 403 200 404 200 403
remove-definition     DELETE /definitions/report/spare-WHO                     403 403 204 404 204 403
check-published       GET    /published/check                                  403 403 200 200 200 200
list-groups           GET    /groups                                           403 403 403 403 200 403
save-group            PUT    /groups/new-WHO                                   403 403 403 403 200 403  {"members": ["rita"]}
remove-group          DELETE /groups/spare-WHO                                 403 403 403 403 204 403
show-me               GET    /me                                               200 200 200 200 200 200
change-me             PUT    /me/profile                                       200 200 200 200 200 403  {"zone": "Europe/London"}
change-password       PUT    /me/password                                      422 422 422 422 422 403  {"old": "x", "password": "y"}
begin-second-factor   POST   /me/second-factor                                 422 422 422 422 422 403  {"password": "x"}
confirm-second-factor PUT    /me/second-factor                                 422 422 422 422 422 403  {"code": "123456"}
drop-second-factor    POST   /me/second-factor/drop                            422 422 422 422 422 403  {"password": "x"}
list-sessions         GET    /me/sessions                                      200 200 200 200 200 200
end-session           DELETE /me/sessions/0123456789abcdef                     404 404 404 404 404 403
list-tokens           GET    /tokens                                           200 200 200 200 200 200
list-tokens           GET    /tokens?all=true                                  403 403 403 403 200 403
make-token            POST   /tokens                                           201 201 201 201 201 403  {"name": "of WHO", "scope": "read"}
make-token            POST   /tokens                                           404 201 201 404 201 403  {"name": "of WHO", "scope": "report", "report": "tolls"}
end-token             DELETE /tokens/999                                       404 404 404 404 404 403
read-period           GET    /period?expression=today                          200 200 200 200 200 200
list-schedules        GET    /schedules                                        200 200 200 200 200 200
show-schedule         GET    /schedules/none                                   404 404 404 404 404 404
preview-schedule      POST   /schedule-preview                                 404 422 422 404 422 422  {"report": "tolls", "when": "every day at 07:00"}
make-schedule         POST   /schedules                                        404 422 422 404 422 403  {"report": "tolls", "when": "every day at 07:00"}
change-schedule       PUT    /schedules/none                                   404 404 404 404 404 403  {"report": "tolls", "when": "every day at 07:00"}
remove-schedule       DELETE /schedules/none                                   404 404 404 404 404 403
pause-schedule        POST   /schedules/none/pause                             404 404 404 404 404 403  {}
resume-schedule       POST   /schedules/none/resume                            404 404 404 404 404 403
run-schedule          POST   /schedules/none/run                               404 404 404 404 404 403  {}
show-occurrence       GET    /occurrences/999                                  404 404 404 404 404 404
cancel-occurrence     POST   /occurrences/999/cancel                           404 404 404 404 404 403
verify-file           GET    /files/0000000000000000000000000000000000000000000000000000000000000000 200 200 200 200 200 200
list-notices          GET    /notices                                          200 200 200 200 200 200
drop-notice           DELETE /notices/999                                      404 404 404 404 404 403
list-destinations     GET    /destinations                                     200 200 200 200 200 200
hand-over-schedules   POST   /users/rita/hand-over                             403 403 403 403 200 403  {"to": "ann"}
list-calendars        GET    /calendars                                        200 200 200 200 200 200
show-calendar         GET    /calendars/nothing                                404 404 404 404 404 404
definition-schema     GET    /schema                                           200 200 200 200 200 200
list-reports          GET    /reports                                          200 200 200 200 200 200
ask-report            GET    /reports/tolls                                    404 200 200 404 200 200
ask-report            GET    /reports/tolls?draft=true                         404 404 200 404 200 200
ask-report            GET    /reports/wages                                    404 404 404 404 200 404
cover-report          POST   /reports/tolls/coverage                           404 200 200 404 200 200  {}
explain-report        POST   /reports/tolls/explain                            404 200 200 404 200 200  {}
preview-report        POST   /reports/tolls/preview                            404 200 200 404 200 200  {}
list-choices          POST   /reports/tolls/questions/lock/choices             404 200 200 404 200 200  {}
why-report            POST   /reports/tolls/why                                404 200 200 404 200 200  {}
run-report            POST   /reports/tolls/runs                               404 200 200 404 200 200  {}
run-report            POST   /reports/tolls/runs                               404 404 200 404 200 200  {"draft": true}
run-report            POST   /reports/wages/runs                               404 404 404 404 200 404  {}
list-overviews        GET    /overviews                                        200 200 200 200 200 200
ask-overview          GET    /overviews/both                                   404 200 200 404 200 200
ask-overview          GET    /overviews/both?draft=true                        404 404 200 404 200 200
preview-overview      POST   /overviews/both/preview                           404 200 200 404 200 200  {}
list-overview-choices POST   /overviews/both/questions/lock/choices            404 200 200 404 200 200  {}
cover-overview        POST   /overviews/both/coverage                          404 200 200 404 200 200  {}
measure-part          POST   /overviews/both/parts/1/number                    404 200 200 404 200 200  {}
measure-part          POST   /overviews/both/parts/3/number                    404 422 422 404 200 422  {}
run-part              POST   /overviews/both/parts/2/runs                      404 200 200 404 200 200  {}
run-part              POST   /overviews/both/parts/3/runs                      404 422 422 404 200 422  {}
run-overview          POST   /overviews/both/runs                              404 200 200 404 200 200  {}
copy-definition       POST   /copies                                           403 403 200 404 200 403  {"kind": "report", "name": "tolls", "to": "tolls-copied-by-WHO"}
rename                POST   /names                                            403 403 200 404 200 403  {"kind": "report", "name": "tolls", "question": "lock", "to": "locks_of_WHO"}
draw-chart            POST   /drawings                                         200 200 200 200 200 200  {"chart": {"kind": "bars", "x": "a", "y": "b", "points": []}, "width": 100, "height": 60}
read-criteria         POST   /criteria/read                                    403 403 200 200 200 200  {"content": "kind: criterion\nname: dear\non: tolls\ncriteria: pence > 5"}
write-criteria        POST   /criteria/write                                   403 403 200 200 200 200  {"content": "kind: criterion\nname: dear\non: tolls\ncriteria: pence > 5", "condition": {"kind": "all", "parts": []}}
count-criteria        POST   /criteria/counts                                  403 403 200 422 200 200  {"content": "kind: query\nname: dear\nsource: tolls\nfrom: tolls\ncolumns: [id]\ncriteria: pence > 5"}
list-comparisons      GET    /criteria/comparisons                             403 403 200 200 200 200
list-readers          GET    /reports/tolls/readers                            403 403 403 404 200 403
list-answers          GET    /reports/tolls/answers                            404 200 200 404 200 200
save-answers          PUT    /reports/tolls/answers                            404 200 200 404 200 403  {"name": "mine", "shared": false, "begins": false, "inputs": {"period": "last month"}}
save-answers          PUT    /reports/tolls/answers                            404 403 403 404 200 403  {"name": "ours", "shared": true, "begins": true, "inputs": {}}
remove-answers        DELETE /reports/tolls/answers/mine                       404 204 204 404 204 403
remove-answers        DELETE /reports/tolls/answers/ours?shared=true           404 403 403 404 204 403
list-overview-answers GET    /overviews/both/answers                           404 200 200 404 200 200
save-overview-answers PUT    /overviews/both/answers                           404 200 200 404 200 403  {"name": "mine", "shared": false, "begins": false, "inputs": {}}
save-overview-answers PUT    /overviews/both/answers                           404 403 403 404 200 403  {"name": "ours", "shared": true, "begins": true, "inputs": {}}
remove-overview-answers DELETE /overviews/both/answers/mine                    404 204 204 404 204 403
remove-overview-answers DELETE /overviews/both/answers/ours?shared=true        404 403 403 404 204 403
list-secrets          GET    /secrets                                          403 403 403 403 200 403
save-secret           PUT    /secrets/tolls                                    403 403 403 403 204 403  {"secret": "x"}
remove-secret         DELETE /secrets/tolls                                    403 403 403 403 204 403
see-as-oneself        POST   /see-as/end                                       204 204 204 204 204 204
see-as                POST   /see-as                                           403 403 403 403 404 403  {"user": "nobody-there"}
list-rights           GET    /rights                                           403 403 200 200 200 200
give-right            POST   /rights                                           403 403 403 403 204 403  {"folder": "dues/old", "right": "run", "user": "rita"}
take-right            POST   /rights/take                                      403 403 403 403 204 403  {"folder": "dues/old", "right": "run", "user": "rita"}
apply-rights          PUT    /rights?dry=true                                  403 403 403 403 200 403  []
list-runs             GET    /runs                                             200 200 200 200 200 200
show-run              GET    /runs/RUN                                         404 404 200 404 200 200
compare-runs          GET    /runs/RUN/compare/RUN                             404 404 200 404 200 200
why-run               GET    /runs/RUN/why                                     404 404 200 404 200 200
list-sources          GET    /sources                                          403 403 200 200 200 200
add-source            POST   /sources                                          403 403 403 403 422 403  {"name": "more", "engine": "none", "address": "x"}
remove-source         DELETE /sources/tolls                                    403 403 403 404 422 403
show-source           GET    /sources/tolls                                    403 403 200 404 200 200
change-source         PATCH  /sources/tolls                                    403 403 403 404 200 403  {}
check-source          GET    /sources/tolls/check                              403 403 403 404 200 403
set-file              PUT    /sources/tolls/files/tolls                        403 403 403 404 422 403  {"header": "yes"}
upload-file           PUT    /sources/tolls/uploads/a.csv                      403 403 403 404 422 403  {}
upload-file           PUT    /sources/new-WHO/uploads/a.csv                    403 403 403 403 200 403  {}
list-uploads          GET    /sources/tolls/uploads                            403 403 200 404 200 200
remove-upload         DELETE /sources/tolls/uploads/a.csv                      403 403 403 404 404 403
set-encoding          PUT    /sources/tolls/encodings/tolls.day                403 403 403 404 200 403  {"encoding": "iso-date"}
show-extents          GET    /sources/tolls/tables/tolls/extents               403 403 200 404 200 200
list-readings         GET    /sources/tolls/tables/tolls/columns/lock/readings?encoding=ymd    403 403 200 404 200 200
list-unfit-definitions GET    /sources/tolls/unfit                              403 403 200 404 200 200
list-values           GET    /sources/tolls/tables/tolls/columns/lock/values    403 403 200 404 200 200
begin-report          GET    /sources/tolls/tables/tolls/begin                 403 403 200 404 200 200
begin-from-sql        POST   /sources/tolls/begin                              403 403 200 404 200 200 {"sql":"select 1"}
show-rows             GET    /sources/tolls/tables/tolls/rows                  403 403 200 404 200 200
show-unfit            GET    /sources/tolls/tables/tolls/unfit/day             403 403 200 404 200 200
list-users            GET    /users                                            403 403 403 403 200 403
invite-user           POST   /users                                            403 403 403 403 201 403  {"name": "new-WHO", "role": "reader"}
show-user             GET    /users/rita                                       403 403 403 403 200 403
change-user           PATCH  /users/rita                                       403 403 403 403 200 403  {"display": "Rita"}
link-user             POST   /users/spare/link                                 403 403 403 403 201 403
sign-out              POST   /sign-out                                         204 204 204 204 204 204
`

// public are the operations that need no sign-in, and what they answer whoever asks.
const public = `
ways-to-sign-in       GET    /sign-in           200
read-link             GET    /linked/x/records.csv  401
look-at-link-file     HEAD   /linked/x/records.csv  401
sign-in               POST   /sign-in           401  {"name": "ada", "password": "x"}
sign-in-at-provider   GET    /sign-in/provider         303
return-from-provider  GET    /sign-in/provider/return  303
ask-to-unsubscribe    GET    /unsubscribe/x     404
unsubscribe           POST   /unsubscribe/x     404
look-at-link          POST   /welcome           401  {"link": "x"}
set-password          POST   /welcome/password  401  {"link": "x", "password": "nine barges at the lock"}
`

func TestOperations(t *testing.T) {
	t.Parallel()
	g := open(t)
	for _, who := range []string{"ann", "ada"} {
		g.nobody().publish(tolls("spare-"+who, "dues"), "spare-"+who)
	}
	ada := g.administrator("ada")
	ada.invite("rita", "reader")
	ada.invite("rob", "reader")
	ada.invite("abe", "author")
	ann := ada.invite("ann", "author")
	ada.must("POST", "/users", map[string]string{"name": "spare", "role": "reader"})
	ada.must("PUT", "/groups/spare-ada", map[string]any{"members": []string{}})
	ada.give("run", "dues", "rob")
	ada.give("publish", "dues", "ann")
	ada.give("publish", "elsewhere", "abe")
	ada.must("POST", "/rights", map[string]string{"right": "read", "source": "tolls", "user": "ann"})
	reading := ann.makeToken(map[string]any{"name": "reads", "scope": "read"})
	narrowed := ann.makeToken(map[string]any{"name": "narrowed", "scope": "report", "report": "tolls"})
	expired := ann.makeToken(map[string]any{"name": "short", "days": 1})
	g.now.ahead = 25 * time.Hour // sessions ended, too
	rita, rob, abe := g.signIn("rita"), g.signIn("rob"), g.signIn("abe")
	ann, ada = g.signIn("ann"), g.signIn("ada")
	run := ann.must("POST", "/reports/tolls/runs", map[string]any{}).header.Get("Pikegate-Run")

	left := map[string]string{} // operations, with what the description says of signing in
	content, err := g.api.OpenAPI()
	require.NoError(t, err)
	var document struct {
		Paths map[string]map[string]struct {
			OperationID string `json:"operationId"`
			Security    []any  `json:"security"`
		} `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(content, &document))
	for _, methods := range document.Paths {
		for _, o := range methods {
			left[o.OperationID] = fmt.Sprint(len(o.Security) > 0)
		}
	}
	delete(left, "health") // outside the interface

	callers := []*caller{rita, rob, ann, abe, ada, reading}
	for _, line := range strings.Split(strings.TrimSpace(operations), "\n")[1:] {
		operation, method, path, statuses, body := parted(t, line, len(callers))
		try := func(c *caller, status string) {
			t.Helper()
			fill := strings.NewReplacer("WHO", strings.ReplaceAll(c.name, "'s token", ""), "RUN", run)
			var sent any
			if body != "" {
				sent = fill.Replace(body)
			}
			a := c.call(method, fill.Replace(path), sent)
			assert.Equal(t, status, fmt.Sprint(a.status), "%s as %s: %s", operation, c.name, a.body)
			if status == "401" {
				assert.Equal(t, `Bearer realm="Pike Gate"`, a.header.Get("WWW-Authenticate"))
			}
		}
		assert.Equal(t, "true", left[operation], "%s is described as one that needs a sign-in", operation)
		try(g.nobody(), "401")
		try(expired, "401")
		switch {
		case operation == "run-report" && path == "/reports/tolls/runs" && body == "{}":
			try(narrowed, "200")
		case operation != "sign-out":
			try(narrowed, "403")
		}
		for i, c := range callers {
			try(c, statuses[i])
		}
	}
	for _, line := range strings.Split(strings.TrimSpace(public), "\n") {
		operation, method, path, statuses, body := parted(t, line, 1)
		assert.Equal(t, "false", left[operation], "%s is described as one that needs no sign-in", operation)
		for _, c := range []*caller{g.nobody(), g.signIn("ada")} {
			var sent any
			if body != "" {
				sent = body
			}
			assert.Equal(t, statuses[0], fmt.Sprint(c.call(method, path, sent).status), operation)
		}
	}
	for _, line := range strings.Split(operations+public, "\n") {
		if fields := strings.Fields(line); len(fields) > 1 {
			delete(left, fields[0])
		}
	}
	assert.Empty(t, left, "operations without a row")
}

// parted takes a line of the table apart.
func parted(t *testing.T, line string, callers int) (operation, method, path string, statuses []string, body string) {
	t.Helper()
	fields := strings.Fields(line)
	require.GreaterOrEqual(t, len(fields), 3+callers, line)
	if _, rest, ok := strings.Cut(line, fields[2]+" "); ok && len(fields) > 3+callers {
		for _, s := range fields[3 : 3+callers] {
			_, rest, _ = strings.Cut(rest, s)
		}
		body = strings.TrimSpace(rest)
	}
	return fields[0], fields[1], fields[2], fields[3 : 3+callers], body
}
