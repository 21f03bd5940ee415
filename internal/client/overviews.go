package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"

	"pikegate/internal/output"
	"pikegate/internal/wire"
)

func overviewPath(name string) string { return "/overviews/" + url.PathEscape(name) }

// Overviews lists the published overviews.
func (c *Client) Overviews(ctx context.Context) (out []wire.ReportInfo, err error) {
	return out, c.call(ctx, http.MethodGet, "/overviews", nil, &out)
}

// AskOverview tells what an overview asks, and what stands on it; of the run, the answers play
// no part.
func (c *Client) AskOverview(ctx context.Context, overview string, run Run) (out wire.OverviewForm, err error) {
	path := overviewPath(overview) + "?draft=" + strconv.FormatBool(run.Draft)
	if run.AsOf != "" {
		path += "&as_of=" + url.QueryEscape(run.AsOf)
	}
	return out, c.call(ctx, http.MethodGet, path, nil, &out)
}

// PreviewOverview tells how inputs would be understood by an overview.
func (c *Client) PreviewOverview(ctx context.Context, overview string, run Run) (out wire.Preview, err error) {
	return out, c.call(ctx, http.MethodPost, overviewPath(overview)+"/preview", run, &out)
}

// Measure finds the number of a part of an overview; parts are counted from 1.
func (c *Client) Measure(ctx context.Context, overview string, part int, run Run) (out output.Figure, err error) {
	return out, c.call(ctx, http.MethodPost, fmt.Sprintf("%s/parts/%d/number", overviewPath(overview), part), run, &out)
}

// StartPart runs the report of a part, as JSON lines of which so many records come at the most;
// the caller closes it.
func (c *Client) StartPart(ctx context.Context, overview string, part, most int, run Run) (io.ReadCloser, error) {
	response, err := c.send(ctx, http.MethodPost, fmt.Sprintf("%s/parts/%d/runs?most=%d", overviewPath(overview), part, most), run)
	if err != nil {
		return nil, err
	}
	return response.Body, nil
}

// StartOverview runs an overview into one document, a PDF or HTML; the caller closes it.
func (c *Client) StartOverview(ctx context.Context, overview string, run Run, format output.Format) (io.ReadCloser, error) {
	response, err := c.send(ctx, http.MethodPost, overviewPath(overview)+"/runs?format="+format.Name, run)
	if err != nil {
		return nil, err
	}
	return response.Body, nil
}
