// Package schedules tries schedules over days of simulated time: stopped at every step, killed in
// the middle, with servers that fail.
package schedules

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/emersion/go-smtp"
	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/core/civil"
	"pikegate/internal/delivery"
	"pikegate/internal/demo/mailbox"
	"pikegate/internal/engine"
	"pikegate/internal/engine/files"
	"pikegate/internal/engine/sqlite"
	"pikegate/internal/identity"
	"pikegate/internal/service"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// begins is when the simulated days begin: a day on which London's clock goes forward.
var begins = time.Date(2026, 3, 28, 23, 30, 0, 0, time.UTC)

// secret signs requests; source: the example of Standard Webhooks.
const secret = "whsec_MfKQ9r8GKYqrTwjUPD8ILPZIo2LaLaSw"

// world is what is outside of a service: where it delivers.
type world struct {
	folder string // of the service's data, and of all else
	mail   *mailbox.Mailbox
	web    *httptest.Server

	mu       sync.Mutex // guards the rest
	posted   map[string][]post
	attempts int
}

// post is a request that arrived whole.
type post struct{ id, sum string }

// newWorld makes a mail server that fails one in five and a web receiver that breaks off one in
// four.
func newWorld(t testing.TB) *world {
	t.Helper()
	w := &world{folder: t.TempDir(), posted: map[string][]post{}}
	var mails atomic.Int64
	var err error
	w.mail, err = mailbox.Listen("127.0.0.1:0", func(s *smtp.Server) { s.WriteTimeout = 5 * time.Second })
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, w.mail.Close()) })
	w.mail.Most = 100_000
	w.mail.Refuse = func(_, _ string, content []byte) error {
		if content != nil && mails.Add(1)%5 == 0 {
			return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "come back later"}
		}
		return nil
	}
	w.web = httptest.NewServer(http.HandlerFunc(w.receive))
	t.Cleanup(w.web.Close)
	return w
}

// receive takes a signed request, and breaks off in the middle of some.
func (w *world) receive(out http.ResponseWriter, r *http.Request) {
	w.mu.Lock()
	w.attempts++
	breaks := w.attempts%4 == 0
	w.mu.Unlock()
	if breaks {
		_, _ = io.ReadFull(r.Body, make([]byte, 1))
		panic(http.ErrAbortHandler)
	}
	body, err := io.ReadAll(r.Body)
	if err != nil {
		panic(http.ErrAbortHandler)
	}
	id, stamp := r.Header.Get("webhook-id"), r.Header.Get("webhook-timestamp")
	key, _ := base64.StdEncoding.DecodeString(strings.TrimPrefix(secret, "whsec_"))
	mac := hmac.New(sha256.New, key)
	fmt.Fprintf(mac, "%s.%s.%s", id, stamp, body)
	if r.Header.Get("webhook-signature") != "v1,"+base64.StdEncoding.EncodeToString(mac.Sum(nil)) {
		http.Error(out, "the signature is not good", http.StatusForbidden)
		return
	}
	w.mu.Lock()
	w.posted[id] = append(w.posted[id], post{id, sumOf(body)})
	w.mu.Unlock()
	out.WriteHeader(http.StatusNoContent)
}

func sumOf(content []byte) string {
	sum := sha256.Sum256(content)
	return hex.EncodeToString(sum[:])
}

// place is where the service delivers, as the world or a child of it knows it.
type place struct{ Folder, Mail, Web string }

func (w *world) place() place {
	return place{w.folder, w.mail.Address(), strings.TrimPrefix(w.web.URL, "http://")}
}

// destinations are those of the service.
func (p place) destinations() delivery.Destinations {
	return delivery.Destinations{
		Folders: map[string]string{"out": filepath.Join(p.Folder, "out")},
		Mail:    delivery.MailServer{Server: p.Mail, TLS: "none", From: "reports@navigation.example", Domains: []string{"navigation.example"}},
		Web:     map[string]delivery.WebHost{p.Web: {Private: true}},
	}
}

// running is a service that was started on the folder of a world.
type running struct {
	*service.Service
	store *store.Store
	end   context.CancelFunc
}

// start starts a service whose clock is handed in.
func start(p place, now func() time.Time) (*running, error) {
	ctx, end := context.WithCancel(context.Background())
	vault, err := identity.NewVault([]byte("0123456789abcdef0123456789abcdef"))
	if err != nil {
		end()
		return nil, err
	}
	kept, err := store.Open(filepath.Join(p.Folder, "pikegate.db"), []byte("key of the audit log"))
	if err != nil {
		end()
		return nil, err
	}
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		end()
		return nil, err
	}
	log := slog.New(slog.DiscardHandler)
	if os.Getenv("SCHEDULES_LOG") != "" {
		log = slog.New(slog.NewTextHandler(os.Stderr, nil))
	}
	s, err := service.New(ctx, service.Config{
		Store: kept, Vault: vault, Engines: []engine.Engine{sqlite.Engine, files.Engine}, Now: now, Elapsed: func() time.Duration { return now().Sub(begins) },
		Calendar: civil.Calendar{Zone: london, WeekStart: time.Monday}, Log: log, TimeLimit: time.Minute,
		Delivered: filepath.Join(p.Folder, "spool"), Kept: filepath.Join(p.Folder, "kept"), Uploads: filepath.Join(p.Folder, "uploads"),
		Destinations: p.destinations(), Demonstration: true, Public: "http://reports.navigation.example",
		Secret: func(name string) (string, bool) { return secret, name == "ledger" },
	})
	if err != nil {
		end()
		return nil, err
	}
	return &running{s, kept, end}, nil
}

// stop stops it, whatever is under way.
func (r *running) stop() {
	r.end()
	_ = r.Close()
	_ = r.store.Close()
}

// report asks for invoices of a period.
const report = `kind: query
name: invoices
source: dues
from: invoices
parameters:
  - {name: period, kind: period, required: true}
  - {name: owner, kind: text, choices: {column: invoices.owner}, when_blank: match_blank}
columns: [id, owner, issued_on, amount]
criteria: issued_on within :period and owner = :owner
sort: [issued_on, id]
---
kind: report
name: invoices
query: invoices
totals: [count, sum of amount]
---
kind: query
name: all-invoices
source: dues
from: invoices
parameters:
  - {name: period, kind: period, required: true}
columns: [id, owner, issued_on, amount]
criteria: issued_on within :period
sort: [issued_on, id]
---
kind: report
name: all-invoices
query: all-invoices
totals: [count, sum of amount]
`

// records makes the database: an invoice or two for each of three owners and nobody on each day of
// March 2026.
func records(t testing.TB, folder string) {
	t.Helper()
	db, err := sql.Open("sqlite3", filepath.Join(folder, "dues.db"))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(`create table invoices (id integer primary key, owner text, issued_on text, amount integer);
		create table owners (name text, email text);
		insert into owners values ('Aldous', 'aldous@navigation.example'), ('Osier', 'osier@navigation.example'), ('Wold', 'wold@navigation.example');
		with recursive n(i) as (select 0 union all select i + 1 from n where i < 199)
		insert into invoices select i + 1, case i % 4 when 0 then 'Aldous' when 1 then 'Osier' when 2 then 'Wold' end, date('2026-03-01', '+' || (i / 6) || ' days'), i * 100 from n`)
	require.NoError(t, err)
}

// install makes the source and the reports, and publishes schedules.
func install(t testing.TB, r *running, p place, schedules []string) {
	t.Helper()
	ctx := context.Background()
	who, err := r.People.Open(ctx, "")
	require.NoError(t, err)
	_, err = r.AddSource(ctx, who, wire.SourceInfo{Name: "dues", Engine: "sqlite", Address: filepath.Join(p.Folder, "dues.db"), Encodings: map[string]string{"invoices.issued_on": "iso-date"}}, false)
	require.NoError(t, err)
	_, err = r.Push(ctx, who, report, wire.Keeping{})
	require.NoError(t, err)
	for _, name := range []string{"invoices", "all-invoices"} {
		_, err = r.Publish(ctx, who, name)
		require.NoError(t, err)
	}
	if len(schedules) == 0 {
		return
	}
	_, err = r.Push(ctx, who, strings.Join(schedules, "\n---\n"), wire.Keeping{})
	require.NoError(t, err)
	for i := range schedules {
		_, err = r.Publish(ctx, who, fmt.Sprintf("s-%03d", i))
		require.NoError(t, err)
	}
}

// timed is a schedule of the day, and the times at which it is due, worked out without the language
// of recurrence.
type timed struct {
	document string
	due      []int64
}

// daily are n schedules, each due a few times a day on London's clock: at half past one the clock
// jumps to half past two.
func daily(n int, web string, until time.Time) (all []timed) {
	london, err := time.LoadLocation("Europe/London")
	if err != nil {
		panic(err)
	}
	for i := range n {
		first, step, times := (i*37)%(14*60), 300, 1+i%2
		var clocks []string
		var due []int64
		for k := range times {
			minute := first + k*step
			if minute >= 24*60 {
				break
			}
			clocks = append(clocks, fmt.Sprintf("%02d:%02d", minute/60, minute%60))
			for day := begins.AddDate(0, 0, -1); day.Before(until.AddDate(0, 0, 1)); day = day.AddDate(0, 0, 1) {
				// In the gap Date gives the time by the offset before it, an hour late: the first instant
				// after the gap is meant.
				at := time.Date(day.Year(), day.Month(), day.Day(), minute/60, minute%60, 0, 0, london)
				if at.Hour() != minute/60 || at.Minute() != minute%60 {
					at = time.Date(day.Year(), day.Month(), day.Day(), 2, 0, 0, 0, london)
				}
				if at.After(begins) && !at.After(until) && !slices.Contains(due, at.Unix()) {
					due = append(due, at.Unix())
				}
			}
		}
		slices.Sort(due)
		deliver := fmt.Sprintf("  - folder: {file: 'out/%d/{due}-{due.time}-{owner}.csv'}", i)
		name, each := "invoices", "each: {question: owner}\n"
		if i%8 != 0 { // most are for all owners together
			name, each = "all-invoices", ""
			deliver = fmt.Sprintf("  - folder: {file: 'out/%d/{due}-{due.time}.csv', provenance: %t}", i, i%3 == 0)
		}
		switch i % 3 {
		case 0:
			deliver += "\n  - mail: {to: [office@navigation.example], format: xlsx}"
		case 1:
			deliver += fmt.Sprintf("\n  - web: {url: 'http://%s/in', secret: ledger}", web)
		}
		if i%10 == 9 {
			deliver += fmt.Sprintf("\n  - keep: {as: kept_%d, how: append}", i)
		}
		document := fmt.Sprintf("kind: schedule\nname: s-%03d\nreport: %s\nset: {period: yesterday}\nwhen: every day at %s\n%smissed: each\ndeliver:\n%s\n", i, name, strings.Join(clocks, " and "), each, deliver)
		all = append(all, timed{document, due})
	}
	return all
}

func documents(all []timed) []string {
	out := make([]string, len(all))
	for i, s := range all {
		out[i] = s.document
	}
	return out
}

// dayEnds is when the simulated day does.
var dayEnds = begins.Add(25 * time.Hour)

// begun is a service with schedules at the beginning of the day.
func begun(t *testing.T, schedules int) (*world, []timed, *clock, *running) {
	t.Helper()
	w := newWorld(t)
	records(t, w.folder)
	all := daily(schedules, w.place().Web, dayEnds)
	require.NoError(t, os.MkdirAll(filepath.Join(w.folder, "out"), 0o755))
	c := newClock(begins)
	r, err := start(w.place(), c.now)
	require.NoError(t, err)
	install(t, r, w.place(), documents(all))
	return w, all, c, r
}

// settled is when everything that was due by the end of a day, and every retry, has ended.
func settled(until time.Time) time.Time { return until.Add(8 * time.Hour) }

// accounted holds what became of the schedules against what was to happen. Stops is how often the
// service was stopped: only that often something can have gone out twice.
func accounted(t *testing.T, w *world, kept *store.Store, all []timed, until time.Time, stops int) {
	t.Helper()
	ctx := context.Background()
	mails := map[string][]mailbox.Mail{}
	for _, m := range w.mail.Mails() {
		mails[m.MessageID] = append(mails[m.MessageID], m)
	}
	twice, told := 0, map[string]bool{}
	runs := map[uint]string{}
	for i, s := range all {
		name := fmt.Sprintf("s-%03d", i)
		list, err := kept.Occurrences(ctx, name, 0, 1000)
		require.NoError(t, err)
		var due []int64
		for _, o := range list {
			parts, err := kept.Parts(ctx, o.ID)
			require.NoError(t, err)
			sends, err := kept.Deliveries(ctx, o.ID)
			require.NoError(t, err)
			if o.Due > until.Unix() { // the next day's
				for _, d := range sends {
					told[d.ID] = true
				}
				continue
			}
			due = append(due, o.Due)
			require.Equal(t, store.Delivered, o.State, "%s due %s: %s", name, time.Unix(o.Due, 0).UTC(), o.Problem)
			require.Zero(t, o.Repeat)
			require.NotEmpty(t, parts)
			for _, p := range parts {
				if p.Run > 0 {
					require.Empty(t, runs[p.Run], "a run is that of one part")
					runs[p.Run] = name
				}
				for _, d := range sends {
					if d.Part != p.Number {
						continue
					}
					if p.State == "nothing_to_send" {
						require.Equal(t, store.NothingToSend, d.State)
						continue
					}
					require.Equal(t, store.Delivered, d.State, d.Problem)
					told[d.ID] = true
					twice += arrived(t, w, mails, d, p)
				}
			}
		}
		slices.Sort(due)
		require.Equal(t, s.due, due, "%s was due then and at no other time, once each", name)
	}
	for id := range mails {
		require.True(t, told[strings.Trim(strings.Split(id, "@")[0], "<")], "no mail went out that nothing is known of")
	}
	require.LessOrEqual(t, twice, stops, "what went out twice did so because of a stop")
}

// arrived looks for a delivery where it went, byte for byte, and tells how often it did so beyond
// once.
func arrived(t *testing.T, w *world, mails map[string][]mailbox.Mail, d store.Delivery, p store.Part) (again int) {
	t.Helper()
	switch d.Way {
	case "folder":
		content, err := os.ReadFile(filepath.Join(w.folder, d.Target))
		require.NoError(t, err)
		require.Equal(t, d.SHA256, sumOf(content))
		require.Equal(t, int(p.Count), strings.Count(string(content), "\n")-1, "a line of heads, and one for each record")
	case "mail":
		got := mails["<"+d.ID+"@navigation.example>"]
		require.NotEmpty(t, got, "a mail that was told as delivered")
		for _, m := range got {
			require.Len(t, m.Files, 1)
			require.Equal(t, d.SHA256, sumOf(m.Files[0].Content), "each attempt sends the same bytes")
		}
		return len(got) - 1
	case "web":
		w.mu.Lock()
		defer w.mu.Unlock()
		got := w.posted[d.ID]
		require.NotEmpty(t, got, "a request that was told as delivered")
		for _, q := range got {
			require.Equal(t, d.SHA256, q.sum)
		}
		return len(got) - 1
	case "keep":
		content, err := os.ReadFile(filepath.Join(w.folder, "kept", d.Target, d.ID+".parquet"))
		require.NoError(t, err)
		require.Equal(t, d.SHA256, sumOf(content))
	}
	return 0
}
