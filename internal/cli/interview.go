package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"strconv"
	"strings"

	"pikegate/core/diag"
	"pikegate/core/parameter"
	"pikegate/internal/client"
	"pikegate/internal/wire"
)

// shownChoices is how many choices are listed to pick from.
const shownChoices = 20

// interview asks on the terminal for what a report needs and was not given:
// one question at a time, each answer read back, wrong ones explained and
// asked again. With nothing missing it asks nothing.
func (a *app) interview(ctx context.Context, report string, run client.Run) (client.Run, error) {
	preview, err := a.client().Preview(ctx, report, run)
	if err != nil || !missing(preview.Problems) {
		return run, err
	}
	form, err := a.client().Ask(ctx, report, run)
	if err != nil {
		return run, err
	}
	lines := bufio.NewScanner(a.Stdin)
	fmt.Fprintf(a.Stderr, "%s\nEnter takes what stands in brackets; Ctrl+C stops.\n", form.Title)
	for _, q := range form.Questions {
		if _, given := run.Inputs[q.Name]; given || q.Derive != "" || q.Shown == parameter.Stated {
			continue
		}
		if err := a.askOne(ctx, report, q, &run, lines); err != nil {
			return run, err
		}
	}
	fmt.Fprintln(a.Stderr)
	return run, nil
}

func missing(problems diag.Problems) bool {
	for _, p := range problems {
		if p.Code == "missing" {
			return true
		}
	}
	return false
}

// askOne asks one question until it is answered well.
func (a *app) askOne(ctx context.Context, report string, q wire.FormQuestion, run *client.Run, lines *bufio.Scanner) error {
	fmt.Fprintf(a.Stderr, "\n%s\n", q.Label)
	if q.Help != "" {
		fmt.Fprintln(a.Stderr, "  "+q.Help)
	}
	choices, err := a.offer(ctx, report, q, *run)
	if err != nil {
		return err
	}
	for {
		fmt.Fprintf(a.Stderr, "%s [%s]: ", q.Name, standing(q))
		if !lines.Scan() {
			if lines.Err() != nil {
				return lines.Err()
			}
			return fmt.Errorf("the answers ended before the questions: %w", io.ErrUnexpectedEOF)
		}
		answer := picked(lines.Text(), q, choices)
		tried := *run
		tried.Inputs = parameter.Inputs{q.Name: answer}
		maps.Copy(tried.Inputs, run.Inputs)
		preview, err := a.client().Preview(ctx, report, tried)
		if err != nil {
			return err
		}
		var wrong diag.Problems
		for _, p := range preview.Problems {
			if p.Field == q.Name || strings.HasPrefix(p.Field, q.Name+".") {
				wrong = append(wrong, p)
			}
		}
		if len(wrong) > 0 {
			a.explainProblems(wrong, func(string) string { return strings.TrimSpace(lines.Text()) })
			continue
		}
		*run = tried
		for _, read := range preview.Answers {
			if read.Name == q.Name {
				fmt.Fprintln(a.Stderr, "  = "+read.ReadBack)
			}
		}
		return nil
	}
}

// standing is what an empty answer means.
func standing(q wire.FormQuestion) string {
	switch {
	case len(q.Default) > 0:
		return strings.Join(q.Default, ", ")
	case q.Required:
		return "needed"
	case q.WhenBlank == parameter.MatchBlank:
		return "blank"
	}
	return "any"
}

// offer lists the choices, numbered, with their counts.
func (a *app) offer(ctx context.Context, report string, q wire.FormQuestion, run client.Run) ([]parameter.Choice, error) {
	if !q.Choices.FromData() && len(q.Choices.Listed) == 0 && q.Limits.Whole == "" {
		return nil, nil
	}
	choices, err := a.client().Choices(ctx, client.ReportAsker(report), q.Name, "", shownChoices+1, run)
	var refusal *client.Refusal
	if errors.As(err, &refusal) && refusal.Status == 422 {
		return nil, nil // nothing to offer yet
	}
	for i, c := range choices {
		if i == shownChoices {
			fmt.Fprintln(a.Stderr, "    … and more; type one")
			return choices[:i], err
		}
		count := ""
		if c.Count != nil {
			count = "  (" + strings.ToLower(records(*c.Count)) + ")"
		}
		label := c.Value
		if c.Label != "" {
			label += "  " + c.Label
		}
		fmt.Fprintf(a.Stderr, "  %2d  %s%s\n", i+1, label, count)
	}
	return choices, err
}

// picked turns a line into an answer: numbers pick choices, several answers
// are parted by commas.
func picked(line string, q wire.FormQuestion, choices []parameter.Choice) (answer parameter.Input) {
	one := func(text string) string {
		text = strings.TrimSpace(text)
		n, err := strconv.Atoi(text)
		isNumber := q.Kind == parameter.Integer || q.Kind == parameter.Decimal
		if err == nil && !isNumber && n >= 1 && n <= len(choices) {
			return choices[n-1].Value
		}
		return text
	}
	if strings.TrimSpace(line) == "" {
		return answer
	}
	if !q.Many {
		return parameter.Typed(one(line))
	}
	for _, part := range strings.Split(line, ",") {
		answer.Texts = append(answer.Texts, one(part))
	}
	return answer
}
