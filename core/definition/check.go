package definition

import (
	"slices"

	"pikegate/core/catalog"
	"pikegate/core/diag"
)

// Known is what a check may look up beyond the documents it is given. Each
// function may be nil, and may answer that it does not know.
type Known struct {
	// Source gives the catalogue of a source.
	Source func(name string) (*catalog.Source, bool)
	// Query gives a query that is kept elsewhere.
	Query func(name string) (*Query, bool)
}

// Check checks documents together: each by itself, and reports against their
// queries, which may be among the documents.
func Check(documents []Document, known Known) diag.Problems {
	var problems diag.Problems
	queries := map[string]*Query{}
	var seen []string
	for _, d := range documents {
		kind, name := d.Ident()
		id := kind + " " + name
		if slices.Contains(seen, id) {
			problems = append(problems, diag.Problem{Code: "twice", Field: id, Message: "There are two documents " + id + "."})
		}
		seen = append(seen, id)
		if q, ok := d.(*Query); ok {
			queries[name] = q
		}
	}
	for _, d := range documents {
		switch d := d.(type) {
		case *Query:
			var source *catalog.Source
			if known.Source != nil {
				found, ok := known.Source(d.Source)
				if !ok {
					problems = append(problems, diag.Problem{
						Code: "unknown_source", Field: "query " + d.Name + ": source",
						Message: "There is no source " + d.Source + ".", Hint: "Add it with pikegate source add.",
					})
				}
				source = found
			}
			_, found := Compile(d, source)
			problems = append(problems, prefixed("query "+d.Name, found)...)
		case *Report:
			if d.Query == "" {
				continue // told when it was read
			}
			q := queries[d.Query]
			if q == nil && known.Query != nil {
				q, _ = known.Query(d.Query)
			}
			if q == nil {
				p := diag.Problem{Code: "unknown_query", Field: "report " + d.Name + ": query", Message: "There is no query " + d.Query + " here."}
				if known.Query == nil {
					p.Severity, p.Hint = diag.Warning, "Give its file as well to have the report checked against it."
				} else {
					p.Hint = "Push the query first, or with the report."
				}
				problems = append(problems, p)
				continue
			}
			problems = append(problems, prefixed("report "+d.Name, CheckReport(d, q))...)
		}
	}
	return problems
}

func prefixed(document string, problems diag.Problems) diag.Problems {
	for i := range problems {
		problems[i].Field = document + ": " + problems[i].Field
	}
	return problems
}
