package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"pikegate/internal/wire"
)

func schedulePath(name string) string { return "/schedules/" + url.PathEscape(name) }

// Schedules lists one's own schedules, or all that one may see.
func (c *Client) Schedules(ctx context.Context, all bool) (out []wire.ScheduleInfo, err error) {
	return out, c.call(ctx, http.MethodGet, "/schedules?all="+strconv.FormatBool(all), nil, &out)
}

// Schedule tells of a schedule in full.
func (c *Client) Schedule(ctx context.Context, name string) (out wire.ScheduleDetail, err error) {
	return out, c.call(ctx, http.MethodGet, schedulePath(name), nil, &out)
}

// MakeSchedule has a report come by itself.
func (c *Client) MakeSchedule(ctx context.Context, own wire.OwnSchedule) (out wire.ScheduleInfo, err error) {
	return out, c.call(ctx, http.MethodPost, "/schedules", own, &out)
}

// RemoveSchedule ends a schedule of one's own.
func (c *Client) RemoveSchedule(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, schedulePath(name), nil, nil)
}

// PauseSchedule stops a schedule until it is resumed.
func (c *Client) PauseSchedule(ctx context.Context, name, why string) (out wire.ScheduleInfo, err error) {
	return out, c.call(ctx, http.MethodPost, schedulePath(name)+"/pause", map[string]string{"why": why}, &out)
}

// ResumeSchedule has a schedule run again.
func (c *Client) ResumeSchedule(ctx context.Context, name string) (out wire.ScheduleInfo, err error) {
	return out, c.call(ctx, http.MethodPost, schedulePath(name)+"/resume", nil, &out)
}

// RunSchedule runs a schedule now, or again for a time at which it was due.
func (c *Client) RunSchedule(ctx context.Context, name string, due time.Time) (out wire.OccurrenceSummary, err error) {
	body := map[string]any{}
	if !due.IsZero() {
		body["due"] = due
	}
	return out, c.call(ctx, http.MethodPost, schedulePath(name)+"/run", body, &out)
}

// Occurrence tells of one time at which a schedule was due.
func (c *Client) Occurrence(ctx context.Context, id uint) (out wire.Occurrence, err error) {
	return out, c.call(ctx, http.MethodGet, "/occurrences/"+strconv.FormatUint(uint64(id), 10), nil, &out)
}

// CancelOccurrence ends what is under way of an occurrence.
func (c *Client) CancelOccurrence(ctx context.Context, id uint) error {
	return c.call(ctx, http.MethodPost, "/occurrences/"+strconv.FormatUint(uint64(id), 10)+"/cancel", nil, nil)
}

// VerifyFile tells of which deliveries a file is, by the SHA-256 of its bytes in hexadecimal.
func (c *Client) VerifyFile(ctx context.Context, sha256 string) (out []wire.Provenance, err error) {
	return out, c.call(ctx, http.MethodGet, "/files/"+sha256, nil, &out)
}

// Notices lists what happened without one.
func (c *Client) Notices(ctx context.Context) (out []wire.Notice, err error) {
	return out, c.call(ctx, http.MethodGet, "/notices", nil, &out)
}

// DropNotice takes a notice away.
func (c *Client) DropNotice(ctx context.Context, number uint) error {
	return c.call(ctx, http.MethodDelete, "/notices/"+strconv.FormatUint(uint64(number), 10), nil, nil)
}

// Destinations tells where schedules may deliver.
func (c *Client) Destinations(ctx context.Context) (out wire.Destinations, err error) {
	return out, c.call(ctx, http.MethodGet, "/destinations", nil, &out)
}

// HandOver gives the schedules of somebody to somebody else.
func (c *Client) HandOver(ctx context.Context, from, to string) (out []wire.ScheduleInfo, err error) {
	return out, c.call(ctx, http.MethodPost, userPath(from)+"/hand-over", map[string]string{"to": to}, &out)
}
