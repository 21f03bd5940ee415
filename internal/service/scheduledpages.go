package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"

	"pikegate/internal/output"
	"pikegate/internal/schedule"
	"pikegate/internal/store"
)

// runPage runs the overview of a part of an occurrence and writes it to the spool. It is
// delivered whole or not at all.
func (s scheduled) runPage(ctx context.Context, o *occurrence, p *store.Part, sp *spooling) error {
	page := o.page.answered(sp.job.Inputs, sp.job.Delivery)
	for i, err := range page.problems {
		if errors.Is(err, errHidden) {
			return &schedule.Stop{Why: fmt.Sprintf("Its owner may not see the report of %q any more, or it is gone.", page.title(i)), Managers: true}
		}
	}
	preview, made, err := page.read(ctx)
	if err == nil {
		err = preview.Problems.Err()
	}
	if err != nil {
		return err
	}
	header := page.header(preview, made)
	header.Delivery = sp.job.Delivery
	facts := &pageFacts{}
	to := output.Overviews{facts}
	format := output.PDF
	for _, f := range sp.formats {
		if file := sp.open(f.Name); file != nil {
			one, ok := output.NewOverview(f, file, header)
			if !ok {
				return &schedule.Failed{Why: "An overview is delivered as PDF or HTML."}
			}
			to, format = append(to, one), f
		}
	}
	s.keeper.At("run begins")
	if sp.failed == nil {
		_, err = s.writeOverview(ctx, o.who, page, format, to, true)
	}
	if err := errors.Join(sp.failed, err); err != nil {
		return err
	}
	totals, err := json.Marshal(facts.numbers)
	if err != nil {
		return err
	}
	p.State, p.Run, p.Count, p.Totals = partRan, facts.run, int64(len(page.jobs)), string(totals)
	p.ReadBack, p.ReadAt = preview.ReadBack, s.Now().Unix()
	return nil
}

// pageFacts keeps what is told of an overview besides the document: its numbers, and its first
// run.
type pageFacts struct {
	numbers []output.Total
	run     uint
}

func (f *pageFacts) Begin() error { return nil }

func (f *pageFacts) ran(run uint) {
	if f.run == 0 {
		f.run = run
	}
}

func (f *pageFacts) Number(at output.Frame, figure output.Figure) error {
	total := figure.Total
	total.Label = at.Title
	f.ran(figure.Run)
	f.numbers = append(f.numbers, total)
	return nil
}

func (f *pageFacts) Part(output.Frame, bool) output.Writer { return &pageFactsPart{of: f} }

func (f *pageFacts) Missing(output.Frame, string) error { return nil }

func (f *pageFacts) End() error { return nil }

type pageFactsPart struct {
	output.Found
	of *pageFacts
}

func (p *pageFactsPart) Begin(h output.Header) error {
	p.of.ran(h.Run)
	return p.Found.Begin(h)
}
