package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

// OverviewRequest is what a caller gives to an overview.
type OverviewRequest struct {
	Overview string
	Inputs   parameter.Inputs
	// AsOf is the day or instant taken for now; blank means the clock.
	AsOf string
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

// asks is the job of the part that asks a question of the page.
func (o *overview) asks(question string) (runner.Job, bool) {
	at := slices.IndexFunc(o.asking.Questions, func(q parameter.Parameter) bool { return q.Name == question })
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
	var names []string
	for _, e := range d.entries {
		if e.draft.Kind == "overview" && e.seenBy(who, r.Draft) {
			names = append(names, e.draft.Name)
		}
	}
	return notFound("overview", r.Overview, names)
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
	at := slices.IndexFunc(o.asking.Questions, func(q parameter.Parameter) bool { return q.Name == question })
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

// part gives a part, counted from 1, that can be shown.
func (s *Service) part(ctx context.Context, who identity.Actor, r OverviewRequest, number int) (*overview, int, error) {
	o, err := s.overview(ctx, who, r)
	if err != nil {
		return nil, 0, err
	}
	if number < 1 || number > len(o.jobs) {
		return nil, 0, notFound("part", strconv.Itoa(number), nil)
	}
	if err := o.problems[number-1]; err != nil {
		return nil, 0, diag.Problems{{Code: "part_unknown", Field: "part", Message: err.Error(), Hint: "Have whoever wrote the overview look at it."}}
	}
	problems := parameter.Unknown(o.asking.Questions, r.Inputs)
	return o, number - 1, problems.Err()
}

// RunPart runs the report of a part with the answers of the page.
func (s *Service) RunPart(ctx context.Context, who identity.Actor, r OverviewRequest, number int, format output.Format, begin func(wire.RunRecord, output.Format) output.Writer) (wire.RunRecord, error) {
	o, i, err := s.part(ctx, who, r, number)
	if err != nil {
		return wire.RunRecord{}, err
	}
	record, err := s.Run(ctx, who, o.ask(i), format, begin)
	return record, o.told(i, err)
}

// told has what is wrong with answers told at the questions of the page.
func (o *overview) told(part int, err error) error {
	var problems diag.Problems
	if errors.As(err, &problems) {
		return o.placed(part, problems)
	}
	return err
}

// MeasurePart finds the number of a part with the answers of the page, and that of the period
// it is compared with.
func (s *Service) MeasurePart(ctx context.Context, who identity.Actor, r OverviewRequest, number int) (output.Figure, error) {
	o, i, err := s.part(ctx, who, r, number)
	if err != nil {
		return output.Figure{}, err
	}
	if o.document.Parts[i].Shows() != definition.ShowNumber {
		return output.Figure{}, diag.Problems{{Code: "not_a_number", Field: "part", Message: fmt.Sprintf("Part %d is no number.", number), Hint: "Run it instead."}}
	}
	figure, err := s.measure(ctx, who, o, i)
	return figure, o.told(i, err)
}

func (s *Service) measure(ctx context.Context, who identity.Actor, o *overview, i int) (output.Figure, error) {
	job, part := o.jobs[i], o.document.Parts[i]
	job.Report = part.Measure(job.Report)
	view, problems := job.Compiled.View(job.Report)
	if problems.Failed() {
		return output.Figure{}, problems
	}
	job.View = view // without an order, which changes no number
	found, err := s.found(ctx, who, job)
	if err != nil {
		return output.Figure{}, err
	}
	figure := output.Figure{
		Header: found.Header, With: part.Beside.With,
		Run: found.Header.Run, Total: numberIn(found, view.Totals[0]), Zone: found.Header.Zone, Language: found.Header.Language, ReadBack: found.Header.ReadBack, Restricted: found.Header.Restricted,
	}
	if part.Beside.Question == "" {
		return figure, nil
	}
	before, words, err := otherPeriod(job, part.Beside)
	if err != nil || before == nil {
		return figure, err
	}
	job.Inputs = before
	figure.Period = words
	var refused diag.Problems
	if found, err = s.found(ctx, who, job); errors.As(err, &refused) {
		figure.Uncompared = refused[0].Message // as where the report allows no such days
		return figure, nil
	} else if err != nil {
		return output.Figure{}, err
	}
	figure.BeforeRun = found.Header.Run
	figure.Compare(numberIn(found, view.Totals[0]))
	return figure, nil
}

// found runs a report for its totals.
func (s *Service) found(ctx context.Context, who identity.Actor, job runner.Job) (output.Found, error) {
	var found output.Found
	record, err := s.runJob(ctx, who, job, output.Number, func(wire.RunRecord, output.Format) output.Writer { return &found })
	if err == nil && record.Problem != "" {
		err = diag.Problems{{Code: record.Outcome, Message: record.Problem}}
	}
	return found, err
}

// numberIn is the number that a run was for. One that was proved to find nothing made none.
func numberIn(f output.Found, of definition.CompiledTotal) output.Total {
	if len(f.Summary.Totals) > 0 {
		return f.Summary.Totals[0]
	}
	return output.NoTotal(of.Name, of.Label)
}

// otherPeriod are the answers of a job with another period, and that in words; none where the
// one asked for has none before it.
func otherPeriod(job runner.Job, beside definition.Beside) (parameter.Inputs, string, error) {
	asked, set := job.Report.Questions(*job.Compiled.Query)
	questions := slices.Concat(asked, set)
	at := slices.IndexFunc(questions, func(q parameter.Parameter) bool { return q.Name == beside.Question })
	if at < 0 {
		return nil, "", nil
	}
	other := parameter.Parameter{Name: "other", Kind: parameter.Period, Shown: parameter.Hidden, Derive: beside.Derive(), Limits: parameter.Limits{Ends: questions[at].Limits.Ends}}
	period := questions[at]
	values, problems := parameter.Read([]parameter.Parameter{period, other}, nil, parameter.Inputs{period.Name: job.Inputs[period.Name]}, job.Context)
	if problems.Failed() || !values["other"].Given {
		return nil, "", nil // an open period has none of its length before it
	}
	inputs := parameter.Inputs{}
	for name, in := range job.Inputs {
		inputs[name] = in
	}
	inputs[period.Name] = parameter.Typed(other.Canonical(values["other"])...)
	return inputs, other.ReadBack(values["other"], job.Context.Language), nil
}

// RunOverview runs every part and writes what they find as one document. begin is called once,
// before anything is written; an error means that nothing was. A part that fails says why in
// its place, and failed counts them.
func (s *Service) RunOverview(ctx context.Context, who identity.Actor, r OverviewRequest, format output.Format, begin func() io.Writer) (failed int, err error) {
	if err := takes(who, format); err != nil {
		return 0, err
	}
	o, err := s.overview(ctx, who, r)
	if err != nil {
		return 0, err
	}
	preview, made, err := o.read(ctx)
	if err == nil {
		err = preview.Problems.Err()
	}
	if err != nil {
		return 0, err
	}
	to, ok := output.NewOverview(format, begin(), o.header(preview, made))
	if !ok {
		return 0, diag.Problems{{Code: "not_a_page", Field: "format", Message: "An overview is written as PDF or HTML.", Hint: "Take the records of one of its reports for another format."}}
	}
	return s.writeOverview(ctx, who, o, format, to, false)
}

// writeOverview writes every part. One that fails says why in its place, unless that ends it.
func (s *Service) writeOverview(ctx context.Context, who identity.Actor, o *overview, format output.Format, to output.Overview, whole bool) (failed int, err error) {
	if err := to.Begin(); err != nil {
		return 0, err
	}
	for i, part := range o.document.Parts {
		err := s.write(ctx, who, o, i, format, to)
		switch {
		case err == nil:
			continue
		case ctx.Err() != nil:
			return failed, context.Cause(ctx)
		case whole:
			return failed, fmt.Errorf("%s: %w", o.title(i), err)
		}
		failed++
		if err := to.Missing(output.Frame{Title: o.title(i), Width: part.Wide()}, err.Error()); err != nil {
			return failed, err
		}
	}
	return failed, to.End()
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

// write runs a part and writes what it finds.
func (s *Service) write(ctx context.Context, who identity.Actor, o *overview, i int, format output.Format, to output.Overview) error {
	if err := o.problems[i]; err != nil {
		return err
	}
	part := o.document.Parts[i]
	frame := output.Frame{Title: o.title(i), Width: part.Wide()}
	if part.Shows() == definition.ShowNumber {
		figure, err := s.measure(ctx, who, o, i)
		if err != nil {
			return err
		}
		return to.Number(frame, figure)
	}
	record, err := s.runJob(ctx, who, o.jobs[i], format, func(wire.RunRecord, output.Format) output.Writer {
		return to.Part(frame, part.Shows() == definition.ShowChart)
	})
	if err == nil && record.Problem != "" {
		err = errors.New(record.Problem)
	}
	return err
}

// header is what stands at the top of a document.
func (o *overview) header(preview wire.Preview, made []runner.Prepared) output.Header {
	title, _ := o.document.Heading()
	h := output.Header{Title: title, ReadBack: preview.ReadBack, Page: output.PaperOf(o.document.Page), Filled: map[string]string{}}
	for i, q := range o.asking.Questions {
		from := o.asking.From[i]
		for name, text := range runner.Filled(o.jobs[from], made[from], output.Header{Language: o.jobs[from].Report.Language}.Place()) {
			if of, _, _ := strings.Cut(name, "."); of == q.Name || name == "as_of" {
				h.Filled[name] = text
			}
		}
	}
	for _, a := range preview.Answers {
		h.Answers = append(h.Answers, output.Answered{Question: a.Label, ReadBack: a.ReadBack})
	}
	for i, job := range o.jobs {
		if o.problems[i] == nil {
			h.Zone, h.Location = job.Context.Zone.String(), job.Context.Zone
			break
		}
	}
	return h
}
