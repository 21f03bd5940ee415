package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"strings"

	"pikegate/core/catalog"
	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/dialect"
	"pikegate/core/plan"
	"pikegate/core/sqltext"
	"pikegate/internal/engine"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/store"
)

// itself is the service, which sees everything and shows nothing of it.
var itself = plan.Viewer{All: true}

// viewerOf is for whom rows are read that somebody asks for; in the open state all of
// them.
func viewerOf(who identity.Actor) plan.Viewer {
	return plan.Viewer{All: who.IsOpen(), Groups: who.Groups(), Attributes: who.User().Attributes}
}

// sight is what a viewer may see of a source: its published rules as they are now.
type sight struct {
	plan.Viewer
	rules []rule
}

// rule is a published row rule.
type rule struct {
	document *definition.RowRule
	version  int
}

// RowRule is the rule without its version.
func (r rule) RowRule() *definition.RowRule { return r.document }

// sight gives what a viewer may see of a source now.
func (s *Service) sight(ctx context.Context, v plan.Viewer, source string) (sight, error) {
	d, err := s.directory(ctx)
	if err != nil {
		return sight{}, err
	}
	return sight{v, d.rules[source]}, nil
}

// rulesIn are the rules that are published, by source.
func rulesIn(entries []entry) map[string][]rule {
	rules := map[string][]rule{}
	for _, e := range entries {
		if e.draft.Kind != "rule" || e.published.Number == 0 {
			continue
		}
		documents, err := decoded(e.published.Content)
		if err != nil {
			continue // it was read when it was published
		}
		if r, ok := documents[0].(*definition.RowRule); ok {
			rules[r.Source] = append(rules[r.Source], rule{r, e.published.Number})
		}
	}
	return rules
}

// PreviewRule gives the first rows of a rule's table as a user would see them, with the
// rule as it is written in the place of the published one of its name.
func (s *Service) PreviewRule(ctx context.Context, who identity.Actor, content, user string, most int) (output.Result, error) {
	if err := administrators(who); err != nil {
		return output.Result{}, err
	}
	documents, err := decoded(content)
	if err != nil {
		return output.Result{}, err
	}
	r, ok := documents[0].(*definition.RowRule)
	if !ok {
		kind, _ := documents[0].Ident()
		return output.Result{}, &NotFound{What: "row rule in a", Name: kind}
	}
	if _, problems := definition.Check(documents[:1], s.known(ctx, who, true, false)); problems.Failed() {
		return output.Result{}, problems.Err()
	}
	u, err := s.User(ctx, who, user)
	if err != nil {
		return output.Result{}, err
	}
	g, err := s.sight(ctx, plan.Viewer{Groups: u.Groups, Attributes: u.Attributes}, r.Source)
	if err != nil {
		return output.Result{}, err
	}
	g.rules = append(slices.DeleteFunc(slices.Clone(g.rules), func(other rule) bool { return other.document.Name == r.Name }), rule{r, 0})
	o, t, err := s.table(ctx, who, r.Source, r.On)
	if err != nil {
		return output.Result{}, err
	}
	entry := who.Entry("rule.previewed", r.Name).With(nil, map[string]any{"as": user})
	if err := s.Store.Audit(ctx, entry); err != nil {
		return output.Result{}, err
	}
	return runner.FirstRows(ctx, s.guard(g, o.shared, t.Name), s.rows(g, o.known.Load()), t, most, s.Calendar.Zone)
}

// unknownGroups says which groups that rules name there are not.
func (s *Service) unknownGroups(ctx context.Context, documents []definition.Document) (problems diag.Problems) {
	for _, d := range documents {
		r, ok := d.(*definition.RowRule)
		if !ok || len(r.For)+len(r.Unrestricted) == 0 {
			continue
		}
		groups, err := s.Store.Groups(ctx)
		if err != nil {
			return diag.Problems{{Code: "internal", Message: err.Error()}}
		}
		known := make([]string, len(groups))
		for i, g := range groups {
			known[i] = g.Name
		}
		found := append(thereAre("unknown_group", "group", "rule "+r.Name+": for", r.For, known), thereAre("unknown_group", "group", "rule "+r.Name+": unrestricted", r.Unrestricted, known)...)
		for i := range found {
			found[i].Severity = diag.Warning // it may be made later, or come from the identity provider
		}
		problems = append(problems, found...)
	}
	return problems
}

// on tells whether a table has rules.
func (g sight) on(table string) bool {
	return slices.ContainsFunc(g.rules, func(r rule) bool { return strings.EqualFold(r.document.On, table) })
}

// rows is what a planner asks of a source's tables; nil where every row may be seen.
func (s *Service) rows(g sight, source *catalog.Source) plan.Rows {
	if g.All || len(g.rules) == 0 {
		return nil
	}
	calendar, _ := s.usual(context.Background(), "") // whatever day a report is asked as of
	return plan.RuledRows(g.Viewer, g.rules, source, calendar, func(r *definition.RowRule, problems diag.Problems) {
		s.Log.Error("a row rule does not fit its table and opens nothing", "rule", r.Name, "problem", problems.Err())
	})
}

// everything is what is read in SQL that cannot be followed.
const everything = "*"

// seenOf is what a viewer sees of tables, for the record of a run: by table blank where
// it is all, or else the rules that opened rows and the attributes they were given.
func (g sight) seenOf(source string, tables []string) store.Seen {
	seen := store.Seen{Source: source, Tables: map[string]string{}}
	for _, t := range tables {
		seen.Tables[strings.ToLower(t)] = g.key(t)
	}
	return seen
}

// key says what a viewer sees of a table; alike where it is the same.
func (g sight) key(table string) string {
	if table == everything {
		var all []string
		for _, r := range g.rules {
			all = append(all, g.key(r.document.On))
		}
		slices.Sort(all)
		return strings.Join(slices.Compact(all), "|")
	}
	opening, restricted := plan.Opening(g.Viewer, g.rules, table)
	if !restricted {
		return ""
	}
	parts := []string{"restricted"}
	attributes := map[string][]string{}
	for _, r := range opening {
		parts = append(parts, fmt.Sprintf("%s@%d", r.document.Name, r.version))
		for name, values := range g.Attributes {
			if strings.Contains(strings.ToLower(r.document.Criteria.Value), "user."+name) {
				attributes[name] = values
			}
		}
	}
	slices.Sort(parts)
	for _, name := range slices.Sorted(maps.Keys(attributes)) {
		parts = append(parts, fmt.Sprintf("%s=%q", name, attributes[name]))
	}
	return strings.Join(parts, ";")
}

// mayShow tells whether what a run found can be shown to somebody else: they see the
// same of every table it read, or all of it.
func (s *Service) mayShow(ctx context.Context, who identity.Actor, r store.Run) (bool, error) {
	if who.IsOpen() || r.User == who.Name() {
		return true, nil
	}
	d, err := s.directory(ctx)
	if err != nil {
		return false, err
	}
	if r.Seen.Source == "" { // from before this was kept
		return len(d.rules) == 0, nil
	}
	g := sight{viewerOf(who), d.rules[r.Seen.Source]}
	for table, then := range r.Seen.Tables {
		if now := g.key(table); now != "" && now != then {
			return false, nil
		}
	}
	return true, nil
}

// hideFound takes away what a run found, and what it was bound to; what was typed
// stays, so that it can be asked anew.
func hideFound(r *store.Run) {
	r.Count, r.First, r.Last, r.Edges, r.Reason, r.LeftOut, r.Problem, r.Hidden = 0, "", "", nil, "", "", "", true
	r.ReadBack, r.Args = "", nil
}

// mayReadRows says what stands in the way of answering a query under the rules: a view
// reads tables of which only some rows may be seen, and SQL by hand reads them other
// than by rows(t).
func (s *Service) mayReadRows(ctx context.Context, g sight, o *openSource, compiled *definition.Compiled) error {
	if len(g.rules) == 0 {
		return nil
	}
	var problems diag.Problems
	for _, c := range compiled.Queries() {
		if c.Parts != nil { // each of its queries is looked at
			continue
		}
		found, err := s.readsOtherwise(ctx, g, o, c)
		if err != nil {
			return err
		}
		problems = append(problems, found...)
	}
	return problems.Err()
}

// readsOtherwise says what a query reads other than under the rules.
func (s *Service) readsOtherwise(ctx context.Context, g sight, o *openSource, compiled *definition.Compiled) (problems diag.Problems, err error) {
	known := o.known.Load()
	for _, name := range compiled.Touches() {
		if t, ok := known.Table(name); ok && t.View {
			problems = append(problems, g.view(known, t)...)
		}
	}
	if compiled.SQL == nil {
		return problems, nil
	}
	found, err := s.directly(ctx, o, compiled.Query)
	if err != nil {
		return nil, err
	}
	for _, what := range found.Unknown {
		problems = append(problems, diag.Problem{Code: "not_followed_here", Field: "sql", Message: "What this reads cannot be told: " + what + ". The source has row rules, so that is not taken.", Hint: "Name tables of the source, and functions that read nothing."})
	}
	for _, name := range found.Tables {
		t, ok := known.Table(name)
		switch {
		case !ok:
			problems = append(problems, diag.Problem{Code: "not_followed_here", Field: "sql", Message: "The source has no table " + name + ", and it has row rules, so that this is not taken.", Hint: "Name tables of the source."})
		case g.on(t.Name):
			problems = append(problems, diag.Problem{Code: "ruled_table", Field: "sql", Message: t.Name + " has row rules, and the SQL reads all of it.", Hint: "Write rows(" + name + ") in its place."})
		case t.View:
			problems = append(problems, g.view(known, t)...)
		}
	}
	return problems, nil
}

// view says that a view shows more of a table than may be seen. A rule on the view
// itself settles it.
func (g sight) view(known *catalog.Source, t catalog.Table) (problems diag.Problems) {
	if g.All || g.on(t.Name) {
		return nil
	}
	reads := t.Reads
	if reads == nil {
		reads = &catalog.Reads{Unknown: []string{"the view " + t.Name}}
	}
	for _, name := range reads.Tables {
		if g.key(name) != "" {
			return diag.Problems{ruledView(t.Name, name)}
		}
	}
	for _, r := range g.rules {
		if len(reads.Unknown) > 0 && g.key(r.document.On) != "" {
			return diag.Problems{ruledView(t.Name, "what cannot be told")}
		}
	}
	return nil
}

func ruledView(view, table string) diag.Problem {
	return diag.Problem{Code: "ruled_view", Message: fmt.Sprintf("The view %s reads %s, of which not every row may be seen.", view, table), Hint: "An administrator can publish a row rule on the view itself."}
}

// directly tells what SQL by hand reads other than by rows(t). SQLite tells it itself;
// elsewhere it is what the text names.
func (s *Service) directly(ctx context.Context, o *openSource, q *definition.Query) (catalog.Reads, error) {
	known := o.known.Load()
	if o.file {
		pieces, _ := sqltext.Split(q.SQL.Value, known.Traits.SQL)
		described, err := o.Describe(ctx, o.Dialect().WriteRaw(plan.Described(q, pieces, known.Table, true)))
		if err != nil || described.Reads != nil {
			return orNothing(described.Reads), err
		}
	}
	text := sqltext.DirectOf(q.SQL.Value, known.Traits.SQL)
	reads := catalog.Reads{Unknown: text.Unknown, Tables: text.Tables}
	for _, name := range text.Names {
		if catalog.IsSystem(name) {
			reads.Unknown = append(reads.Unknown, "the database's own tables, "+name)
		}
	}
	for _, t := range known.Tables { // wherever it stands
		if slices.Contains(text.Names, strings.ToLower(t.Own())) && !slices.Contains(reads.Tables, t.Name) {
			reads.Tables = append(reads.Tables, t.Name)
		}
	}
	return reads, nil
}

func orNothing(r *catalog.Reads) catalog.Reads {
	if r == nil {
		return catalog.Reads{}
	}
	return *r
}

// guarded is a source that says no more of what went wrong than its code: a database
// quotes values of rows that may not be seen.
type guarded struct {
	*shared
	log *slog.Logger
}

// guard guards a source where only some rows may be seen of any of the tables that are
// to be read.
func (s *Service) guard(g sight, source *shared, tables ...string) engine.Source {
	if !g.restrictedOn(tables) {
		return source
	}
	return guarded{source, s.Log}
}

func (g guarded) kept(err error) error {
	var failure *engine.Failure
	if !errors.As(err, &failure) {
		return err
	}
	g.log.Warn("a source failed; who asked is not told why, since they may not see all that was read", "problem", err)
	told := *failure
	told.Message, told.Hint, told.Err = "The source could not answer.", "The service's log says why.", nil
	return &told
}

func (g guarded) Stream(ctx context.Context, q dialect.Query, row func([]any) error) error {
	return g.kept(g.shared.Stream(ctx, q, row))
}

func (g guarded) Plan(ctx context.Context, q dialect.Query) (engine.Plan, error) {
	plan, err := g.shared.Plan(ctx, q)
	return plan, g.kept(err)
}

func (g guarded) Describe(ctx context.Context, q dialect.Query) (engine.Description, error) {
	described, err := g.shared.Describe(ctx, q)
	return described, g.kept(err)
}

// restrictedOn tells whether only some rows of any of some tables may be seen.
func (g sight) restrictedOn(tables []string) bool {
	for _, t := range tables {
		if g.key(t) != "" {
			return true
		}
	}
	return false
}
