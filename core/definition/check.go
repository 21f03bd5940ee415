package definition

import (
	"cmp"
	"slices"
	"time"

	"pikegate/core/catalog"
	"pikegate/core/civil"
	"pikegate/core/diag"
)

// Environment is what a check may look up beyond the documents it is given. Each
// function may be nil, and may answer that it does not know.
type Environment struct {
	// Source gives the catalogue of a source, or a problem that says why there is
	// none: that there is no such source, or that it cannot be read now. A check
	// asks for each source once.
	Source func(name string) (*catalog.Source, *diag.Problem)
	// Zone finds a zone by its IANA name.
	Zone func(name string) (*time.Location, error)
	// Stopped tells that nobody waits for the check any more: it ends before the
	// next document, and what it returns is of no use.
	Stopped func() bool
	// Library gives definitions that are kept elsewhere.
	Library
}

// Check checks documents together: each by itself, and all against what they
// use, which may be among the documents. What it made of them is in the set.
func Check(documents []Document, known Environment) (*Set, diag.Problems) {
	var problems diag.Problems
	set := NewSet(documents, known.Library)
	known.Source = once(known.Source)
	var seen []string
	for _, d := range documents {
		if known.Stopped != nil && known.Stopped() {
			break
		}
		kind, name := d.Ident()
		id := kind + " " + name
		if slices.Contains(seen, id) {
			problems = append(problems, diag.Problem{Code: "twice", Field: id, Message: "There are two documents " + id + "."})
		}
		seen = append(seen, id)
		var found diag.Problems
		switch d := d.(type) {
		case *Source:
			found = checkSource(d, known)
		case *SharedParameter:
			found = CheckParameter(d, set.Library)
		case *Criterion:
			found = checkCriterion(d, set.Library)
		case *Query:
			found = checkQuery(d, known, set)
		case *Report:
			found = checkReport(d, known, set)
		case *RowRule:
			found = checkRowRule(d, known)
		case *Calendar:
			_, found = d.Almanac(known.Zone)
		case *Overview:
			found = checkOverview(d, known, set)
		case *Schedule:
			found = checkSchedule(d, known, set)
		}
		for i := range found {
			found[i].Field = id + ": " + found[i].Field
		}
		problems = append(problems, found...)
	}
	return set, problems
}

// once asks for each source once.
func once(source func(name string) (*catalog.Source, *diag.Problem)) func(name string) (*catalog.Source, *diag.Problem) {
	if source == nil {
		return nil
	}
	type answer struct {
		catalogue *catalog.Source
		problem   *diag.Problem
	}
	known := map[string]answer{}
	return func(name string) (*catalog.Source, *diag.Problem) {
		a, ok := known[name]
		if !ok {
			a.catalogue, a.problem = source(name)
			known[name] = a
		}
		if a.problem == nil {
			return a.catalogue, nil
		}
		own := *a.problem // it is placed where it is told
		return a.catalogue, &own
	}
}

func checkQuery(q *Query, known Environment, set *Set) diag.Problems {
	var source *catalog.Source
	var problems diag.Problems
	if known.Source != nil {
		found, problem := known.Source(q.Source)
		if problem != nil {
			problem.Field = "source"
			problems = append(problems, *problem)
		}
		source = found
	}
	_, found := set.Compile(q, source)
	return append(problems, soften(found, known)...)
}

// soften makes what cannot be known offline a warning: a definition that is
// used may be kept by the service.
func soften(problems diag.Problems, known Environment) diag.Problems {
	for i, p := range problems {
		if known.Source == nil && (p.Code == "unknown_query" || p.Code == "unknown_parameter" || p.Code == "unknown_criterion" || p.Code == "unknown_calendar" || p.Code == "unknown_report" || p.Code == "unknown_overview") {
			problems[i].Severity, problems[i].Hint = diag.Warning, "Give its file as well to have it checked too."
		}
		if known.Source == nil && p.Code == "ambiguous_date" { // the service may have a date order
			problems[i].Severity = diag.Warning
		}
	}
	return problems
}

func checkReport(r *Report, known Environment, set *Set) diag.Problems {
	library := set.Library
	if r.Query == "" {
		return nil // told when it was read
	}
	zone := known.Zone
	if zone == nil {
		zone = func(string) (*time.Location, error) { return time.UTC, nil } // not known here
	}
	_, problems := r.Calendar.Apply(civil.Calendar{}, zone)
	for i := range problems {
		problems[i].Field = "calendar." + problems[i].Field
	}
	problems = append(problems, CSVFormatProblems("csv.", r.CSV)...)
	q, ok := library.query(r.Query)
	if !ok {
		return append(problems, soften(diag.Problems{{
			Code: "unknown_query", Field: "query", Message: "There is no query " + r.Query + " here.",
			Hint: "Push the query first, or with the report.",
		}}, known)...)
	}
	var source *catalog.Source
	if known.Source != nil {
		source, _ = known.Source(q.Source) // told with the query
	}
	compiled, _ := set.Compile(q, source) // told with the query
	if library.Calendar != nil {          // in its own calendar
		own, unknown := library.In(*library.Calendar, cmp.Or(r.Calendar.Use, q.Calendar))
		own, found := r.Calendar.Apply(own, zone)
		if library.Calendar = &own; unknown.Failed() || found.Failed() {
			library.Calendar = nil // what depends on it is not known
		}
		if r.Calendar.Use != "" { // else told with the query
			problems = append(problems, soften(unknown.In("calendar.use"), known)...)
		}
	}
	problems = append(problems, CheckReport(r, compiled.Query, library)...)
	if problems.Failed() {
		return problems
	}
	_, found := compiled.View(r)
	return append(problems, found...)
}

// Uses lists what a document refers to by name, as "kind name".
func Uses(d Document) []string {
	var out []string
	add := func(kind, name string) {
		if id := kind + " " + name; name != "" && !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	switch d := d.(type) {
	case *Report:
		add("query", d.Query)
		add("calendar", d.Calendar.Use)
	case *Query:
		add("source", d.Source)
		add("calendar", d.Calendar)
		for _, name := range d.Union {
			add("query", name)
		}
		for _, q := range d.Parameters {
			add("parameter", q.Use)
			add("query", q.Choices.Query)
		}
		for _, name := range named(d.expressions()...) {
			add("criterion", name)
		}
	case *Criterion:
		for _, q := range d.Parameters {
			add("parameter", q.Use)
			add("query", q.Choices.Query)
		}
		for _, name := range named(d.Criteria) {
			add("criterion", name)
		}
	case *SharedParameter:
		add("query", d.Parameter.Choices.Query)
	case *RowRule:
		add("source", d.Source)
	case *Overview:
		for _, part := range d.Parts {
			add("report", part.Report)
		}
	case *Schedule:
		kind, name := d.Runs()
		add(kind, name)
		add("calendar", d.Calendar)
	}
	return out
}
