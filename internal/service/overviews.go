package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/runner"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// OverviewRequest is what a caller gives to an overview.
type OverviewRequest struct {
	Overview string
	Inputs   parameter.Inputs
	// AsOf is the day or instant taken for now; blank means the clock.
	AsOf string
	// Answers is the name of saved answers, under those that are given.
	Answers string
	// Draft asks for what was pushed last instead.
	Draft bool
	// due is the instant that is now for a run that was due then, in seconds since 1970; 0 for none.
	due int64
}

// errHidden says that a part's report is not there for whoever asks, without its name.
var errHidden error = hiddenPart{}

type hiddenPart struct{}

func (hiddenPart) Error() string { return "There is no report for this part that you may see." }

// overview is one that somebody may see. Its parts are reports for themselves: each is run
// with the rights of who asks, and leaves a record of its own.
type overview struct {
	request  OverviewRequest
	document *definition.Overview
	info     wire.ReportInfo
	members  []definition.Member
	jobs     []runner.Job
	// problems say why nothing can be shown of a part, nil for a part that can be.
	problems []error
	asking   definition.Asking
}

// Overviews lists the published overviews.
func (s *Service) Overviews(ctx context.Context, who identity.Actor) ([]wire.ReportInfo, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return nil, err
	}
	out := []wire.ReportInfo{}
	for _, e := range d.entries {
		if e.draft.Kind == "overview" && e.seenBy(who, false) {
			out = append(out, e.info(false))
		}
	}
	return out, nil
}

// info is what is listed of a report or an overview.
func (e entry) info(draft bool) wire.ReportInfo {
	kept, h := e.state(draft)
	return wire.ReportInfo{Name: kept.Name, Title: h.title, About: h.about, Tags: h.tags, Folder: h.folder, Version: kept.Number}
}

// overview makes an overview ready for somebody, with their answers.
func (s *Service) overview(ctx context.Context, who identity.Actor, r OverviewRequest) (*overview, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	e, seen, err := s.seen(ctx, who, "overview", r.Overview, r.Draft)
	if err != nil {
		return nil, err
	}
	if !seen {
		return nil, s.noOverview(ctx, who, r)
	}
	if r.Inputs, err = s.saved(ctx, who, store.Asker{Kind: "overview", Name: r.Overview}, r.Answers, r.Inputs); err != nil {
		return nil, err
	}
	kept, _ := e.state(r.Draft)
	documents, err := decoded(kept.Content)
	if err != nil {
		return nil, err
	}
	o := &overview{request: r, document: documents[0].(*definition.Overview), info: e.info(r.Draft)}
	for _, part := range o.document.Parts {
		job, err := s.job(ctx, who, s.partRequest(ctx, who, r, part))
		var missing *NotFound
		switch {
		case errors.As(err, &missing):
			err = errHidden
		case err == nil && job.Problems.Failed(): // of the request
			return nil, job.Problems
		}
		if ctx.Err() != nil {
			return nil, context.Cause(ctx)
		}
		o.jobs, o.problems = append(o.jobs, job), append(o.problems, err)
		member := definition.Member{}
		if err == nil {
			member = definition.Member{Report: job.Report, Query: job.Compiled.Query}
		}
		o.members = append(o.members, member)
	}
	// What does not fit any more, since a report was published anew, is no answer to anything.
	o.asking, _ = o.document.Asking(o.members)
	return o.answered(r.Inputs, ""), nil
}

// answered is the overview with answers, and what it is run for where that is a delivery.
func (o *overview) answered(inputs parameter.Inputs, delivery string) *overview {
	made := *o
	made.request.Inputs, made.jobs = inputs, slices.Clone(o.jobs)
	for i := range made.jobs {
		if made.problems[i] == nil {
			made.jobs[i].Inputs, made.jobs[i].Delivery = o.asking.Inputs(i, inputs), delivery
		}
	}
	return &made
}

// lead is a job that reads the answers of the page as the first part reads them. It is not run.
func (o *overview) lead() (runner.Job, error) {
	at := slices.Index(o.problems, nil)
	if at < 0 {
		return runner.Job{}, cmp.Or(slices.Concat(o.problems, []error{errHidden})...)
	}
	job := o.jobs[at]
	query, compiled := *job.Compiled.Query, *job.Compiled
	query.Parameters, compiled.Rules, compiled.Questions = nil, nil, o.asking.Questions
	report := definition.Report{Head: o.document.Head, Query: query.Name, Calendar: job.Report.Calendar, Language: job.Report.Language}
	for i, q := range o.asking.Questions {
		for _, own := range o.members[o.asking.From[i]].Query.Parameters {
			if own.Name == q.Name {
				own.Required = q.Required
				query.Parameters = append(query.Parameters, own)
			}
		}
		report.Ask = append(report.Ask, definition.Asked{Name: q.Name, Label: q.Label, Help: q.Help, Quick: q.Quick, Default: q.Default})
	}
	compiled.Query = &query
	job.Report, job.Compiled, job.Inputs = &report, &compiled, o.request.Inputs
	return job, nil
}

// place is that of a question among those of the page, -1 where there is none.
func (o *overview) place(question string) int {
	return slices.IndexFunc(o.asking.Questions, func(q parameter.Parameter) bool { return q.Name == question })
}

// asks is the job of the part that asks a question of the page.
func (o *overview) asks(question string) (runner.Job, bool) {
	at := o.place(question)
	if at < 0 {
		return runner.Job{}, false
	}
	return o.jobs[o.asking.From[at]], true
}

// partRequest asks for the report of a part: of a draft, also one that is not published yet.
func (s *Service) partRequest(ctx context.Context, who identity.Actor, r OverviewRequest, part definition.Part) Request {
	request := Request{Report: part.Report, AsOf: r.AsOf, due: r.due}
	if r.Draft {
		e, _, err := s.seen(ctx, who, "report", part.Report, true)
		request.Draft = err == nil && e.published.Number == 0
	}
	return request
}

func (s *Service) noOverview(ctx context.Context, who identity.Actor, r OverviewRequest) error {
	d, err := s.directory(ctx)
	if err != nil {
		return err
	}
	return notFound("overview", r.Overview, d.seenBy(who, "overview", r.Draft))
}

// AskOverview tells what an overview asks, and what stands on it.
func (s *Service) AskOverview(ctx context.Context, who identity.Actor, r OverviewRequest) (wire.OverviewForm, error) {
	o, err := s.overview(ctx, who, r)
	if err != nil {
		return wire.OverviewForm{}, err
	}
	form := wire.OverviewForm{ReportForm: wire.ReportForm{ReportInfo: o.info, Questions: []wire.FormQuestion{}}, Parts: []wire.OverviewPart{}}
	for i, part := range o.document.Parts {
		made := wire.OverviewPart{Title: o.title(i), Show: part.Shows(), Width: part.Wide()}
		if err := o.problems[i]; err != nil {
			made.Problem = err.Error()
			form.Parts = append(form.Parts, made)
			continue
		}
		made.Report = part.Report
		made.Takes, made.Fixed = map[string]string{}, map[string]string{}
		for name, taken := range o.asking.Takes[i] {
			if taken.Question == "" {
				made.Fixed[name] = taken.Text
			} else {
				made.Takes[name] = taken.Question
			}
		}
		form.Parts = append(form.Parts, made)
		if form.Zone == "" {
			c := o.jobs[i].Context
			form.Zone, form.Calendar, form.Today = c.Zone.String(), o.jobs[i].Reading.Calendar, c.Today().String()
		}
	}
	for i, q := range o.asking.Questions {
		c := o.jobs[o.asking.From[i]].Context
		v, _ := q.Read(parameter.Input{}, c)
		form.Questions = append(form.Questions, formQuestion(q, v, c))
	}
	return form, nil
}

// PreviewOverview reads inputs back, as each of the parts reads them.
func (s *Service) PreviewOverview(ctx context.Context, who identity.Actor, r OverviewRequest) (wire.Preview, error) {
	o, err := s.overview(ctx, who, r)
	if err != nil {
		return wire.Preview{Answers: []wire.Answer{}, Problems: diag.Problems{}}, err
	}
	preview, _, err := o.read(ctx)
	return preview, err
}

// read reads the answers in each part, and gives what was made of them by part.
func (o *overview) read(ctx context.Context) (wire.Preview, []runner.Prepared, error) {
	out := wire.Preview{Answers: []wire.Answer{}, Problems: diag.Problems{}}
	out.Problems = append(out.Problems, parameter.Unknown(o.asking.Questions, o.request.Inputs)...)
	made := make([]runner.Prepared, len(o.jobs))
	for i := range o.jobs {
		if o.problems[i] != nil {
			continue
		}
		prepared, err := runner.Prepare(ctx, o.jobs[i])
		var problems diag.Problems
		if err != nil && !errors.As(err, &problems) {
			if ctx.Err() != nil {
				return out, nil, context.Cause(ctx)
			}
			continue // told by the part itself
		}
		made[i] = prepared
		for _, p := range o.placed(i, problems) {
			if !slices.ContainsFunc(out.Problems, func(told diag.Problem) bool { return told.Field == p.Field && told.Message == p.Message }) {
				out.Problems = append(out.Problems, p)
			}
		}
	}
	var said []string
	for i, q := range o.asking.Questions {
		from := o.asking.From[i]
		for _, a := range answers(made[from], o.jobs[from].Context.Language) {
			if a.Name != q.Name {
				continue
			}
			_, answered := o.request.Inputs[q.Name]
			a.Label, a.Default = q.Label, !answered && len(q.Default) > 0
			out.Answers = append(out.Answers, a)
			if a.Given {
				said = append(said, strings.TrimSuffix(q.Label, "?")+": "+a.ReadBack)
			}
		}
	}
	if len(out.Problems) == 0 && said != nil {
		out.ReadBack = strings.Join(said, "; ") + "."
	}
	return out, made, nil
}

// refused are the problems that parts have with the answers, beyond those that are told.
func (o *overview) refused(told diag.Problems) (problems diag.Problems) {
	for i, job := range o.jobs {
		if o.problems[i] != nil {
			continue
		}
		_, _, found := job.Read()
		problems = append(problems, o.placed(i, found)...)
	}
	return slices.DeleteFunc(problems, func(p diag.Problem) bool {
		return slices.ContainsFunc(told, func(t diag.Problem) bool { return t.Field == p.Field && t.Code == p.Code })
	})
}

// placed are the problems of a part's answers at the questions of the page.
func (o *overview) placed(part int, problems diag.Problems) diag.Problems {
	out := make(diag.Problems, len(problems))
	for i, p := range problems {
		name, end, _ := strings.Cut(p.Field, ".")
		if taken, ok := o.asking.Takes[part][name]; ok && taken.Question != "" {
			p.Field = strings.TrimSuffix(taken.Question+"."+end, ".")
		}
		out[i] = p
	}
	return out
}

// about is the request that a question of the page is asked by, with the answers of the page.
func (o *overview) about(question string) (Request, error) {
	at := o.place(question)
	if at < 0 {
		names := make([]string, len(o.asking.Questions))
		for i, q := range o.asking.Questions {
			names[i] = q.Name
		}
		return Request{}, notFound("question", question, names)
	}
	return o.ask(o.asking.From[at]), nil
}

// ask is the request of a part.
func (o *overview) ask(part int) Request {
	job := o.jobs[part]
	return Request{Report: job.Report.Name, Inputs: job.Inputs, AsOf: o.request.AsOf, Draft: job.Version == 0}
}

// OverviewChoices lists a page of what a question's answer is chosen from, under the other
// answers.
func (s *Service) OverviewChoices(ctx context.Context, who identity.Actor, r OverviewRequest, question string, search plan.Search) ([]parameter.Choice, error) {
	o, err := s.overview(ctx, who, r)
	if err != nil {
		return nil, err
	}
	request, err := o.about(question)
	if err != nil {
		return nil, err
	}
	return s.Choices(ctx, who, request, question, search)
}

// OverviewCoverage tells how many records each unit of time holds, of the first part that asks
// for a period.
func (s *Service) OverviewCoverage(ctx context.Context, who identity.Actor, r OverviewRequest, by string) (wire.Coverage, error) {
	o, err := s.overview(ctx, who, r)
	if err != nil {
		return wire.Coverage{}, err
	}
	for _, q := range o.asking.Questions {
		if q.Kind == parameter.Period {
			request, err := o.about(q.Name)
			if err != nil {
				return wire.Coverage{}, err
			}
			return s.Coverage(ctx, who, request, by)
		}
	}
	return wire.Coverage{}, notFound("question for a period", "here", nil)
}

// title is what people read above a part.
func (o *overview) title(i int) string {
	part := o.document.Parts[i]
	if part.Title != "" || o.problems[i] != nil {
		return cmp.Or(part.Title, fmt.Sprintf("Part %d", i+1))
	}
	title, _ := o.jobs[i].Report.Heading()
	return title
}
