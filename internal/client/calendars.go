package client

import (
	"context"
	"fmt"
	"net/http"
	"net/url"

	"pikegate/internal/wire"
)

// Calendars lists the published calendars.
func (c *Client) Calendars(ctx context.Context) (out []wire.CalendarInfo, err error) {
	return out, c.call(ctx, http.MethodGet, "/calendars", nil, &out)
}

// CalendarYear tells a year as a calendar has it, this one where year is 0.
func (c *Client) CalendarYear(ctx context.Context, name string, year int) (out wire.CalendarYear, err error) {
	return out, c.call(ctx, http.MethodGet, fmt.Sprintf("/calendars/%s?year=%d", url.PathEscape(name), year), nil, &out)
}
