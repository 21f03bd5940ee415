package service

import (
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
	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/runner"
	"pikegate/internal/wire"
)

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
	before, words := otherPeriod(job, part.Beside)
	if before == nil {
		return figure, nil
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
func otherPeriod(job runner.Job, beside definition.Beside) (parameter.Inputs, string) {
	asked, set := job.Report.Questions(*job.Compiled.Query)
	questions := slices.Concat(asked, set)
	at := slices.IndexFunc(questions, func(q parameter.Parameter) bool { return q.Name == beside.Question })
	if at < 0 {
		return nil, ""
	}
	other := parameter.Parameter{Name: "other", Kind: parameter.Period, Shown: parameter.Hidden, Derive: beside.Derive(), Limits: parameter.Limits{Ends: questions[at].Limits.Ends}}
	period := questions[at]
	values, problems := parameter.Read([]parameter.Parameter{period, other}, nil, parameter.Inputs{period.Name: job.Inputs[period.Name]}, job.Context)
	if problems.Failed() || !values["other"].Given {
		return nil, "" // an open period has none of its length before it
	}
	inputs := parameter.Inputs{}
	for name, in := range job.Inputs {
		inputs[name] = in
	}
	inputs[period.Name] = parameter.Typed(other.Canonical(values["other"])...)
	return inputs, other.ReadBack(values["other"], job.Context.Language)
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
