package definition

import (
	"fmt"
	"maps"
	"net/mail"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"

	"go.yaml.in/yaml/v4"

	"pikegate/core/civil"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/period"
	"pikegate/core/recurrence"
)

// Schedule has a report run by itself, again and again, and what it finds delivered.
type Schedule struct {
	Head     `yaml:",inline"`
	Report   string           `yaml:"report" doc:"The report that is run, in its newest published version" example:"invoices-issued"`
	Overview string           `yaml:"overview" doc:"The overview that is run instead, and delivered as PDF or HTML" example:"navigation-at-a-glance"`
	Set      map[string]Given `yaml:"set" doc:"The answers by question, read as of each time it is due: a text, a list of texts, or for a period also start and end" example:"last week"`
	When     Text             `yaml:"when" doc:"When it is due: a rule of recurrence" example:"every monday at 07:00" required:"true"`
	Zone     string           `yaml:"zone" doc:"The zone of its times, where not the report's" example:"Europe/London"`
	Only     Text             `yaml:"only" doc:"A condition on totals of the records, without which nothing is sent" example:"count >= 1"`
	Each     Each             `yaml:"each" doc:"One run and one delivery for each value of a question"`
	Missed   string           `yaml:"missed" doc:"What becomes of times that passed while the service was down: once runs the last of them" enum:"once,each,skip"`
	Retry    Retry            `yaml:"retry" doc:"How often, and for how long, what failed is tried again"`
	Calendar string           `yaml:"calendar" doc:"The calendar whose working days the rule goes by, where not the report's" example:"waterway"`
	Deliver  []Delivery       `yaml:"deliver" doc:"Where it goes" required:"true"`

	query string // of its report, for what it mentions
}

// Runs is what is run: a report or an overview, and its name.
func (s *Schedule) Runs() (kind, name string) {
	if s.Overview != "" {
		return "overview", s.Overview
	}
	return "report", s.Report
}

// Of says which query its report shows: what it mentions are questions and columns of that.
func (s *Schedule) Of(query string) { s.query = query }

// Each has a run of its own made for each value of a question.
type Each struct {
	Question string `yaml:"question" doc:"A question whose answer is chosen from values that occur" example:"owner" required:"true"`
}

// Retry is how what failed is tried again.
type Retry struct {
	Times string `yaml:"times" doc:"How often it is tried again; 5 when left out" example:"5"`
	Over  string `yaml:"over" doc:"Over how long; 2 hours when left out" example:"2 hours"`
}

// Delivery is one way out: exactly one of its fields is set.
type Delivery struct {
	Folder FolderDelivery `yaml:"folder" doc:"Into a folder that the administrator has named"`
	Mail   MailDelivery   `yaml:"mail" doc:"By mail"`
	Web    WebDelivery    `yaml:"web" doc:"To a web address, as a signed POST request"`
	Keep   KeepDelivery   `yaml:"keep" doc:"Into a table of the source kept"`
}

// FolderDelivery writes a file.
type FolderDelivery struct {
	File       string `yaml:"file" doc:"The named folder, and the path in it; its ending says the format. In braces stand questions, due, schedule and report" example:"dues/{period.from}-{owner}.xlsx" required:"true"`
	Provenance bool   `yaml:"provenance" doc:"Whether a JSON document beside it says where it came from" example:"true"`
}

// MailDelivery sends a mail.
type MailDelivery struct {
	To      Recipients `yaml:"to" doc:"The addresses, or where they are looked up" required:"true"`
	Subject string     `yaml:"subject" doc:"The subject, with questions in braces; the report's title and period when left out" example:"Dues {period}"`
	Format  string     `yaml:"format" doc:"The format of the file attached; none when left out" enum:"csv,json,jsonl,xlsx,parquet,pdf,html,xml"`
	File    string     `yaml:"file" doc:"The name of the file attached, without its ending" example:"dues-{period.from}"`
}

// Recipients are mail addresses.
type Recipients struct {
	Texts []string `yaml:"-"`
	By    string   `yaml:"by" doc:"The question of each whose value tells whom" example:"owner" required:"true"`
	From  string   `yaml:"from" doc:"The column TABLE.COLUMN with their addresses, in the table that the question's values are chosen from" example:"owners.email" required:"true"`
}

func (r *Recipients) setText(t Text)          { r.Texts = []string{t.Value} }
func (r *Recipients) setTexts(texts []string) { r.Texts = texts }

// WebDelivery makes a request.
type WebDelivery struct {
	URL    string `yaml:"url" doc:"The address, on a host that the administrator has named" example:"https://ledger.example/in" required:"true"`
	Secret string `yaml:"secret" doc:"The name of the secret that requests are signed with" example:"ledger" required:"true"`
	Format string `yaml:"format" doc:"The format of what is sent; json when left out" enum:"csv,json,jsonl,xlsx,parquet,pdf,html,xml"`
}

// KeepDelivery keeps the records as a table.
type KeepDelivery struct {
	As  string `yaml:"as" doc:"The name of the table: lower-case words joined by underscores" example:"weekly_dues" required:"true"`
	How string `yaml:"how" doc:"Whether the table holds the last result, or all of them" enum:"replace,append"`
	For string `yaml:"for" doc:"How long a result is kept; for ever when left out" example:"2 years"`
}

// FileFormats are the formats a delivered file can have, by the endings of their names.
var FileFormats = []string{"csv", "json", "jsonl", "xlsx", "parquet", "pdf", "html", "xml"}

// What holds where a schedule does not say it.
const (
	UsualRetries   = 5
	UsualRetryTime = 2 * time.Hour
)

// Bounds of what a schedule may say.
const (
	mostDeliveries = 20
	mostRecipients = 200
	mostRetries    = 50
	longestRetry   = 7 * 24 * time.Hour
)

// Way is the word for where it goes, blank where none or several are set.
func (d Delivery) Way() string {
	var ways []string
	if d.Folder != (FolderDelivery{}) {
		ways = append(ways, "folder")
	}
	if d.Mail.To.By != "" || d.Mail.To.From != "" || d.Mail.To.Texts != nil || d.Mail.Subject != "" || d.Mail.Format != "" || d.Mail.File != "" {
		ways = append(ways, "mail")
	}
	if d.Web != (WebDelivery{}) {
		ways = append(ways, "web")
	}
	if d.Keep != (KeepDelivery{}) {
		ways = append(ways, "keep")
	}
	if len(ways) != 1 {
		return ""
	}
	return ways[0]
}

// Target is where it goes, as it is written.
func (d Delivery) Target() string {
	switch d.Way() {
	case "folder":
		return d.Folder.File
	case "mail":
		if d.Mail.To.By != "" {
			return d.Mail.To.From
		}
		return strings.Join(d.Mail.To.Texts, ", ")
	case "web":
		return d.Web.URL
	}
	return d.Keep.As
}

// Format is the format of the file that is delivered, blank for none.
func (d Delivery) Format() string {
	switch d.Way() {
	case "folder":
		return ending(d.Folder.File)
	case "mail":
		return d.Mail.Format
	case "web":
		if d.Web.Format == "" {
			return "json"
		}
		return d.Web.Format
	case "keep":
		return "parquet"
	}
	return ""
}

// Place is where a delivery needs the right to deliver: folder:dues, mail:navigation.example,
// web:ledger.example or keep; of mail one for each domain, and mail:* where addresses are
// looked up.
func (d Delivery) Places() (places []string) {
	switch d.Way() {
	case "folder":
		name, _, _ := strings.Cut(d.Folder.File, "/")
		return []string{"folder:" + name}
	case "mail":
		if d.Mail.To.By != "" {
			return []string{"mail:*"}
		}
		for _, to := range d.Mail.To.Texts {
			if place := "mail:" + Domain(to); !slices.Contains(places, place) {
				places = append(places, place)
			}
		}
		return places
	case "web":
		u, err := url.Parse(d.Web.URL)
		if err != nil {
			return nil
		}
		return []string{"web:" + strings.ToLower(u.Host)}
	case "keep":
		return []string{"keep"}
	}
	return nil
}

// Domain is that of a mail address, in lower case.
func Domain(address string) string {
	return strings.ToLower(address[strings.LastIndexByte(address, '@')+1:])
}

// Tries is how often what failed is tried again, and over how long.
func (r Retry) Tries() (times int, over time.Duration) {
	times, over = UsualRetries, UsualRetryTime
	if n, err := strconv.Atoi(r.Times); err == nil {
		times = n
	}
	if length, ok := lengthOf(r.Over); ok {
		over = length
	}
	return times, over
}

// lengths are the units of a length of time as people write it.
var lengths = map[string]time.Duration{"minute": time.Minute, "hour": time.Hour, "day": 24 * time.Hour}

// lengthOf reads a length such as 2 hours.
func lengthOf(text string) (time.Duration, bool) {
	number, unit, _ := strings.Cut(strings.TrimSpace(text), " ")
	n, err := strconv.Atoi(number)
	length := lengths[strings.TrimSuffix(strings.TrimSpace(unit), "s")]
	return time.Duration(n) * length, err == nil && n > 0 && n < 10_000 && length > 0
}

// KeptFor reads how long a result is kept: the length, false for ever.
func (k KeepDelivery) KeptFor() (period.Length, bool) {
	if k.For == "" {
		return period.Length{}, false
	}
	length, problems := period.ParseLength(k.For)
	return length, len(problems) == 0
}

// Rule is when it is due; a schedule that was checked has one.
func (s *Schedule) Rule() recurrence.Rule {
	rule, _ := recurrence.Parse(s.When.Value)
	return rule
}

// Inputs are the answers as they are given to a run.
func (s *Schedule) Inputs() parameter.Inputs {
	inputs := parameter.Inputs{}
	for name, given := range s.Set {
		inputs[name] = given.Input()
	}
	return inputs
}

// placeholder is a name in braces.
var placeholder = regexp.MustCompile(`\{([^{}]*)\}`)

// ownPlaceholders are those that are no questions.
var ownPlaceholders = []string{"due", "due.time", "schedule", "report"}

// Placeholders are the names in braces of a text.
func Placeholders(text string) (names []string) {
	for _, found := range placeholder.FindAllStringSubmatch(text, -1) {
		names = append(names, found[1])
	}
	return names
}

// Filled puts values in the places of the names in braces.
func Filled(text string, value func(name string) string) string {
	return placeholder.ReplaceAllStringFunc(text, func(found string) string { return value(found[1 : len(found)-1]) })
}

// longestPart is how many bytes of a value stand in the name of a file.
const longestPart = 120

// FilePart is a value as a part of the name of a file: without separators, control characters
// and leading dots, and not too long.
func FilePart(value string) string {
	var b strings.Builder
	for _, r := range value {
		switch {
		case r == '/' || r == '\\' || r == ':' || unicode.IsControl(r) || !unicode.IsPrint(r):
			r = '-'
		case r == '.' && b.Len() == 0:
			r = '-'
		}
		if b.Len()+len(string(r)) > longestPart {
			break
		}
		b.WriteRune(r)
	}
	if b.Len() == 0 {
		return "blank"
	}
	return b.String()
}

// longestName is how many bytes the name of a file, or of a folder on the way to it, may have.
const longestName = 200

// FilePath is a path whose names are not too long: those that are lose what stands before their
// ending.
func FilePath(path string) string {
	parts := strings.Split(path, "/")
	for i, part := range parts {
		if len(part) <= longestName {
			continue
		}
		tail := ""
		if i == len(parts)-1 {
			tail = "." + ending(part)
		}
		parts[i] = strings.ToValidUTF8(part[:longestName-len(tail)], "") + tail
	}
	return strings.Join(parts, "/")
}

// ending is the ending of a file's name.
func ending(file string) string { return file[strings.LastIndexByte(file, '.')+1:] }

// checkSchedule checks a schedule by itself and against its report.
func checkSchedule(s *Schedule, known Environment, set *Set) diag.Problems {
	c := compiler{query: &Query{}, library: set.Library}
	c.name(s.Head)
	zone := known.Zone
	if zone == nil {
		zone = func(string) (*time.Location, error) { return time.UTC, nil }
	}
	c.itself(s, zone)
	switch {
	case s.Report == "" && s.Overview == "":
		c.fail("report", 0, "missing_field", "Neither report nor overview is said.", "Name the report that is run.")
	case s.Report != "" && s.Overview != "":
		c.fail("overview", 0, "twice", "A schedule runs a report or an overview, not both.", "Remove one of them.")
	case s.Overview != "":
		c.againstOverview(s, known, set)
		return c.problems
	}
	report, query := s.reported(&c, known, set)
	c.against(s, report, query)
	return c.problems
}

// against checks what is answered, and where it goes, by the questions of the report; its query is nil
// where they are not known.
func (c *compiler) against(s *Schedule, report *Report, query *Query) {
	var asked []parameter.Parameter
	if query != nil {
		asked, _ = report.Questions(*query)
		c.answers(s, report.Set, asked)
	}
	c.deliveries(s, asked, query != nil)
}

func (c *compiler) deliveries(s *Schedule, asked []parameter.Parameter, known bool) {
	for i, d := range s.Deliver {
		c.delivery(fmt.Sprintf("deliver[%d]", i), s, d, asked, known)
	}
}

// pageFormats are the formats that an overview is delivered in.
var pageFormats = []string{"pdf", "html"}

// AgainstOverview checks a schedule against what its overview asks, which is known to be sound.
func (s *Schedule) AgainstOverview(asked []parameter.Parameter, zone func(name string) (*time.Location, error)) diag.Problems {
	c := compiler{query: &Query{}}
	c.itself(s, zone)
	c.page(s)
	c.answers(s, nil, asked)
	c.deliveries(s, asked, true)
	return c.problems
}

// page checks what a schedule says that an overview cannot do.
func (c *compiler) page(s *Schedule) {
	if s.Only.Value != "" {
		c.fail("only", s.Only.Line, "not_of_overview", "An overview has no totals of its own that a condition could be about.", "Remove only, or schedule one of its reports.")
	}
	for i, d := range s.Deliver {
		switch field := fmt.Sprintf("deliver[%d].", i) + d.Way(); {
		case d.Way() == "keep":
			c.fail(field, 0, "not_of_overview", "The records of an overview are of several reports, and are kept in no table.", "Schedule one of its reports.")
		case d.Way() != "" && !slices.Contains(pageFormats, d.Format()) && !(d.Way() == "mail" && d.Format() == ""):
			c.fail(field, 0, "not_a_page", "An overview is delivered as PDF or HTML.", "Write format: pdf, or a file that ends in .pdf.")
		}
	}
}

// againstOverview checks a schedule against its overview.
func (c *compiler) againstOverview(s *Schedule, known Environment, set *Set) {
	c.page(s)
	overview, ok := set.Library.overview(s.Overview)
	if !ok {
		c.problems = append(c.problems, soften(diag.Problems{{
			Code: "unknown_overview", Field: "overview", Message: "There is no overview " + s.Overview + " here.", Hint: "Publish the overview first, or give its file as well.",
		}}, known)...)
		c.deliveries(s, nil, false)
		return
	}
	members := overview.members(known, set)
	asking, _ := overview.Asking(members) // what is wrong is told with the overview
	whole := !slices.Contains(members, Member{})
	if whole {
		c.answers(s, nil, asking.Questions)
	}
	c.deliveries(s, asking.Questions, whole)
}

// itself checks what stands in a schedule without looking at its report.
func (c *compiler) itself(s *Schedule, zone func(name string) (*time.Location, error)) {
	if s.Zone != "" {
		_, found := civil.Settings{Zone: s.Zone}.Apply(civil.Calendar{}, zone)
		c.problems = append(c.problems, found...)
	}
	if s.When.Value != "" {
		_, found := recurrence.Parse(s.When.Value)
		c.place("when", s.When, found)
	}
	if s.Retry.Times != "" {
		if n, err := strconv.Atoi(s.Retry.Times); err != nil || n < 0 || n > mostRetries {
			c.fail("retry.times", 0, "bad_retry", fmt.Sprintf("%q is not how often something is tried again.", s.Retry.Times), fmt.Sprintf("Write a number from 0 to %d.", mostRetries))
		}
	}
	if s.Retry.Over != "" {
		if over, ok := lengthOf(s.Retry.Over); !ok || over > longestRetry {
			c.fail("retry.over", 0, "bad_retry", fmt.Sprintf("%q is not how long something is tried again.", s.Retry.Over), "Write minutes, hours or days, 7 days at the most: 2 hours.")
		}
	}
	if len(s.Deliver) > mostDeliveries {
		c.fail("deliver", 0, "too_many", fmt.Sprintf("A schedule delivers to %d places at the most.", mostDeliveries), "Make several schedules of it.")
	}
}

// reported is the report and its query, nil where they are not known.
func (s *Schedule) reported(c *compiler, known Environment, set *Set) (*Report, *Query) {
	if s.Report == "" {
		return nil, nil // told when it was read
	}
	report, ok := set.Library.report(s.Report)
	if !ok {
		c.problems = append(c.problems, soften(diag.Problems{{
			Code: "unknown_report", Field: "report", Message: "There is no report " + s.Report + " here.", Hint: "Publish the report first, or give its file as well.",
		}}, known)...)
		return nil, nil
	}
	q, ok := set.Library.query(report.Query)
	if !ok {
		return nil, nil // told with the report
	}
	if known.Source == nil {
		compiled, _ := set.Compile(q, nil)
		return report, compiled.Query
	}
	source, _ := known.Source(q.Source)
	compiled, problems := set.Compile(q, source)
	if problems.Failed() || source == nil {
		return nil, nil // told with the query
	}
	c.verdict(s, report, compiled)
	return report, compiled.Query
}

func (c *compiler) verdict(s *Schedule, report *Report, compiled *Compiled) {
	if s.Only.Value != "" {
		_, found := compiled.Verdict(report, s.Only)
		c.place("only", s.Only, found)
	}
}

// Against checks a schedule against its report, which is known to be sound.
func (s *Schedule) Against(report *Report, compiled *Compiled, zone func(name string) (*time.Location, error)) diag.Problems {
	c := compiler{query: &Query{}}
	c.itself(s, zone)
	c.verdict(s, report, compiled)
	c.against(s, report, compiled.Query)
	return c.problems
}

// answers checks what is answered, and what each is made for.
func (c *compiler) answers(s *Schedule, fixed map[string]string, asked []parameter.Parameter) {
	kind, of := s.Runs()
	names := make([]string, len(asked))
	for i, q := range asked {
		names[i] = q.Name
	}
	for _, name := range slices.Sorted(maps.Keys(s.Set)) {
		field := "set." + name
		if _, fixed := fixed[name]; fixed {
			c.fail(field, 0, "answered_already", fmt.Sprintf("The %s %s answers %s itself.", kind, of, name), "Remove it here, or there.")
		} else if !slices.Contains(names, name) {
			c.fail(field, 0, "unknown_question", fmt.Sprintf("The %s %s has no question %s.", kind, of, name), nearOr(name, names))
		}
	}
	if s.Each.Question == "" {
		return
	}
	at := slices.Index(names, s.Each.Question)
	switch _, both := s.Set[s.Each.Question]; {
	case at < 0:
		c.fail("each.question", 0, "unknown_question", fmt.Sprintf("The %s %s has no question %s.", kind, of, s.Each.Question), nearOr(s.Each.Question, names))
	case both:
		c.fail("each.question", 0, "answered_already", s.Each.Question+" is set, and is answered by each.", "Remove one of them.")
	case !asked[at].Choices.FromData() && len(asked[at].Choices.Listed) == 0:
		c.fail("each.question", 0, "no_choices", s.Each.Question+" has no choices that each could go through.", "Give the question choices, or set it.")
	}
}

// delivery checks where it goes.
func (c *compiler) delivery(field string, s *Schedule, d Delivery, asked []parameter.Parameter, known bool) {
	placeholders := func(field, text string) {
		for _, name := range Placeholders(text) {
			of, end, _ := strings.Cut(name, ".")
			i := slices.IndexFunc(asked, func(q parameter.Parameter) bool { return q.Name == of })
			ok := slices.Contains(ownPlaceholders, name) || i >= 0 && (end == "" || asked[i].Kind == parameter.Period && (end == "from" || end == "through")) || !known
			if !ok {
				c.fail(field, 0, "unknown_placeholder", fmt.Sprintf("{%s} stands for nothing.", name), "In braces stand questions, of a period also .from and .through, and due, due.time, schedule and report.")
			}
		}
		if strings.ContainsFunc(placeholder.ReplaceAllString(text, ""), func(r rune) bool { return r == '{' || r == '}' || unicode.IsControl(r) }) {
			c.fail(field, 0, "bad_name", "Braces stand around names alone, and there are no control characters.", "Write a name between { and }.")
		}
	}
	switch d.Way() {
	case "":
		c.fail(field, 0, "one_way", "A delivery goes one way.", "Write folder, mail, web or keep, and one of them.")
	case "folder":
		file := d.Folder.File
		name, path, ok := strings.Cut(file, "/")
		if !ok || !simpleName.MatchString(name) || path == "" || !slices.Contains(FileFormats, ending(file)) || slices.ContainsFunc(strings.Split(path, "/"), func(part string) bool { return part == "" || strings.HasPrefix(part, ".") }) || strings.Contains(path, `\`) {
			c.fail(field+".folder.file", 0, "bad_path", fmt.Sprintf("%q is not a path in a named folder.", file), "Write the folder's name, a slash and the file, which ends in "+diag.Listed(FileFormats, "or")+": dues/{period.from}.xlsx.")
		}
		placeholders(field+".folder.file", file)
	case "mail":
		c.recipients(field+".mail.to", s, d.Mail.To)
		placeholders(field+".mail.subject", d.Mail.Subject)
		placeholders(field+".mail.file", d.Mail.File)
		if d.Mail.File != "" && d.Mail.Format == "" {
			c.fail(field+".mail.file", 0, "missing_field", "A file is named, and no format.", "Write format: xlsx, or remove file.")
		}
	case "web":
		u, err := url.Parse(d.Web.URL)
		if d.Web.URL != "" && (err != nil || u.Host == "" || u.User != nil || u.Fragment != "" || u.Scheme != "https" && u.Scheme != "http") {
			c.fail(field+".web.url", 0, "bad_url", fmt.Sprintf("%q is not an address of the web.", d.Web.URL), "Write https://, the host and the path, without a login: https://ledger.example/in.")
		}
	case "keep":
		if !tableName.MatchString(d.Keep.As) && d.Keep.As != "" {
			c.fail(field+".keep.as", 0, "bad_name", fmt.Sprintf("%q is not a name for a table.", d.Keep.As), "Write lower-case words joined by underscores: weekly_dues.")
		}
		if _, ok := d.Keep.KeptFor(); !ok && d.Keep.For != "" {
			c.fail(field+".keep.for", 0, "bad_length", fmt.Sprintf("%q is not a length of time.", d.Keep.For), "Write days, weeks, months or years: 2 years.")
		}
	}
}

// tableName is a name of a table of kept results.
var tableName = regexp.MustCompile(`^[a-z][a-z0-9]*(_[a-z0-9]+)*$`)

// recipients checks to whom a mail goes.
func (c *compiler) recipients(field string, s *Schedule, r Recipients) {
	if r.By != "" || r.From != "" {
		if r.By != "" && r.By != s.Each.Question {
			c.fail(field+".by", 0, "not_each", "Addresses are looked up for each value of "+r.By+", and each goes through another question or none.", "Write each: { question: "+r.By+" }.")
		}
		if table, column, _ := strings.Cut(r.From, "."); r.From != "" && (table == "" || column == "") {
			c.fail(field+".from", 0, "unknown_column", fmt.Sprintf("%q names no column.", r.From), "Write TABLE.COLUMN.")
		}
		return
	}
	if len(r.Texts) > mostRecipients {
		c.fail(field, 0, "too_many", fmt.Sprintf("A mail goes to %d people at the most.", mostRecipients), "Use an address of a list.")
	}
	for _, address := range r.Texts {
		if !IsMailAddress(address) {
			c.fail(field, 0, "bad_address", fmt.Sprintf("%q is not a mail address.", address), "Write one such as office@navigation.example, without a name around it.")
		}
	}
}

// IsMailAddress tells whether a text is a bare mail address.
func IsMailAddress(text string) bool {
	parsed, err := mail.ParseAddress(text)
	return err == nil && parsed.Address == text && parsed.Name == "" && strings.Contains(text, "@") && !strings.ContainsFunc(text, func(r rune) bool { return unicode.IsControl(r) || unicode.IsSpace(r) })
}

// WriteSchedule writes the document of a schedule that mails, as it is kept of what was made of a
// result.
func WriteSchedule(s *Schedule) string {
	type mailed struct {
		Mail struct {
			To     []string `yaml:"to"`
			Format string   `yaml:"format,omitempty"`
		} `yaml:"mail"`
	}
	out := struct {
		Kind     string         `yaml:"kind"`
		Name     string         `yaml:"name"`
		Title    string         `yaml:"title,omitempty"`
		Report   string         `yaml:"report,omitempty"`
		Overview string         `yaml:"overview,omitempty"`
		Set      map[string]any `yaml:"set,omitempty"`
		When     string         `yaml:"when"`
		Zone     string         `yaml:"zone,omitempty"`
		Only     string         `yaml:"only,omitempty"`
		Deliver  []mailed       `yaml:"deliver"`
	}{"schedule", s.Name, s.Title, s.Report, s.Overview, map[string]any{}, s.When.Value, s.Zone, s.Only.Value, nil}
	for name, g := range s.Set {
		switch {
		case g.Start != "" || g.End != "":
			ends := map[string]string{}
			for end, text := range map[string]string{"start": g.Start, "end": g.End} {
				if text != "" {
					ends[end] = text
				}
			}
			out.Set[name] = ends
		case len(g.Texts) == 1:
			out.Set[name] = g.Texts[0]
		default:
			out.Set[name] = append([]string{}, g.Texts...)
		}
	}
	for _, d := range s.Deliver {
		var m mailed
		m.Mail.To, m.Mail.Format = d.Mail.To.Texts, d.Mail.Format
		out.Deliver = append(out.Deliver, m)
	}
	text, err := yaml.Dump(out, yaml.WithIndent(2))
	if err != nil {
		panic("definition: texts are always YAML: " + err.Error())
	}
	return string(text)
}
