package service

import (
	"bytes"
	"context"

	"pikegate/internal/identity"
	"pikegate/internal/output"
	"pikegate/internal/paper"
)

// Draw draws a chart, as the summary of a run has it, as SVG: so many millimetres wide and
// high, with numbers and dates as a language writes them. Nothing is read for it.
func (s *Service) Draw(_ context.Context, who identity.Actor, chart output.Chart, language string, width, height float64) ([]byte, error) {
	if err := admitted(who); err != nil {
		return nil, err
	}
	chart.Base = "." // of the page that shows it
	var out bytes.Buffer
	err := paper.WriteSVG(&out, chart.Draw(output.Header{Language: language}.Place(), width, height))
	return out.Bytes(), err
}
