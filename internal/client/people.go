package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"pikegate/internal/wire"
)

// Me tells who the service takes the client for.
func (c *Client) Me(ctx context.Context) (out wire.Me, err error) {
	return out, c.call(ctx, http.MethodGet, "/me", nil, &out)
}

// SignOut ends the token that is signed in with.
func (c *Client) SignOut(ctx context.Context) error {
	return c.call(ctx, http.MethodPost, "/sign-out", nil, nil)
}

// Users lists everybody who can sign in.
func (c *Client) Users(ctx context.Context) (out []wire.User, err error) {
	return out, c.call(ctx, http.MethodGet, "/users", nil, &out)
}

// User gives somebody who can sign in.
func (c *Client) User(ctx context.Context, name string) (out wire.User, err error) {
	return out, c.call(ctx, http.MethodGet, userPath(name), nil, &out)
}

// Invite makes a user, and a link with which they set their password.
func (c *Client) Invite(ctx context.Context, u wire.User) (out wire.Invitation, err error) {
	body := map[string]any{"name": u.Name, "display": u.Display, "email": u.Email, "role": u.Role, "groups": u.Groups, "attributes": u.Attributes}
	return out, c.call(ctx, http.MethodPost, "/users", body, &out)
}

// ChangeUser changes a user; what is left out stays.
func (c *Client) ChangeUser(ctx context.Context, name string, change wire.UserChange) (out wire.User, err error) {
	return out, c.call(ctx, http.MethodPatch, userPath(name), change, &out)
}

// NewLink gives a user another link to set their password with.
func (c *Client) NewLink(ctx context.Context, name string) (out wire.Invitation, err error) {
	return out, c.call(ctx, http.MethodPost, userPath(name)+"/link", nil, &out)
}

func userPath(name string) string { return "/users/" + url.PathEscape(name) }

// Groups lists the groups and who is in them.
func (c *Client) Groups(ctx context.Context) (out []wire.Group, err error) {
	return out, c.call(ctx, http.MethodGet, "/groups", nil, &out)
}

// SaveGroup makes or replaces a group.
func (c *Client) SaveGroup(ctx context.Context, g wire.Group) (out wire.Group, err error) {
	body := map[string]any{"title": g.Title, "members": g.Members}
	return out, c.call(ctx, http.MethodPut, "/groups/"+url.PathEscape(g.Name), body, &out)
}

// RemoveGroup removes a group and what was granted to it.
func (c *Client) RemoveGroup(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/groups/"+url.PathEscape(name), nil, nil)
}

// Tokens lists one's own tokens, or everybody's.
func (c *Client) Tokens(ctx context.Context, all bool) (out []wire.Token, err error) {
	return out, c.call(ctx, http.MethodGet, "/tokens?all="+strconv.FormatBool(all), nil, &out)
}

// EndToken ends a token.
func (c *Client) EndToken(ctx context.Context, id uint) error {
	return c.call(ctx, http.MethodDelete, "/tokens/"+strconv.FormatUint(uint64(id), 10), nil, nil)
}

// Rights lists who was granted what.
func (c *Client) Rights(ctx context.Context) (out []wire.Grant, err error) {
	return out, c.call(ctx, http.MethodGet, "/rights", nil, &out)
}

// GiveRight gives a right.
func (c *Client) GiveRight(ctx context.Context, g wire.Grant) error {
	return c.call(ctx, http.MethodPost, "/rights", g, nil)
}

// TakeRight takes a right back.
func (c *Client) TakeRight(ctx context.Context, g wire.Grant) error {
	return c.call(ctx, http.MethodPost, "/rights/take", g, nil)
}

// ApplyRights puts rights in the place of all that there are; dry only tells what
// that would change.
func (c *Client) ApplyRights(ctx context.Context, grants []wire.Grant, dry bool) (out wire.AppliedRights, err error) {
	return out, c.call(ctx, http.MethodPut, "/rights?dry="+strconv.FormatBool(dry), grants, &out)
}

// Readers tells who can run a report, and why.
func (c *Client) Readers(ctx context.Context, report string) (out []wire.ReportReader, err error) {
	return out, c.call(ctx, http.MethodGet, "/reports/"+url.PathEscape(report)+"/readers", nil, &out)
}

// Audited says which entries of the audit log are meant; what is left out restricts
// nothing.
type Audited struct {
	Who, What   string
	From, Until time.Time
	Before      int64
}

// AuditLog lists what was done, the newest first.
func (c *Client) AuditLog(ctx context.Context, f Audited, limit int) (out []wire.AuditEntry, err error) {
	query := url.Values{"limit": {strconv.Itoa(limit)}}
	for name, value := range map[string]string{"who": f.Who, "what": f.What} {
		if value != "" {
			query.Set(name, value)
		}
	}
	for name, at := range map[string]time.Time{"from": f.From, "until": f.Until} {
		if !at.IsZero() {
			query.Set(name, at.Format(time.RFC3339))
		}
	}
	if f.Before > 0 {
		query.Set("before", strconv.FormatInt(f.Before, 10))
	}
	return out, c.call(ctx, http.MethodGet, "/audit?"+query.Encode(), nil, &out)
}

// VerifyAudit tells whether the audit log is as it was written.
func (c *Client) VerifyAudit(ctx context.Context, head string) (out wire.Verified, err error) {
	return out, c.call(ctx, http.MethodGet, "/audit/verify?head="+url.QueryEscape(head), nil, &out)
}

// SavedAnswers lists the answers that are saved to a report or an overview.
func (c *Client) SavedAnswers(ctx context.Context, to Asker) (out []wire.SavedAnswers, err error) {
	return out, c.call(ctx, http.MethodGet, to.path+"/answers", nil, &out)
}

// SaveAnswers keeps answers under a name.
func (c *Client) SaveAnswers(ctx context.Context, to Asker, a wire.SavedAnswers) (out wire.SavedAnswers, err error) {
	return out, c.call(ctx, http.MethodPut, to.path+"/answers", a, &out)
}

// RemoveAnswers removes saved answers: one's own, or those for all readers.
func (c *Client) RemoveAnswers(ctx context.Context, to Asker, name string, shared bool) error {
	return c.call(ctx, http.MethodDelete, to.path+"/answers/"+url.PathEscape(name)+"?shared="+strconv.FormatBool(shared), nil, nil)
}

// Asker is what asks questions: a report or an overview.
type Asker struct{ path string }

// ReportAsker and OverviewAsker are those of a name.
func ReportAsker(name string) Asker   { return Asker{"/reports/" + url.PathEscape(name)} }
func OverviewAsker(name string) Asker { return Asker{overviewPath(name)} }

// Secrets lists the passwords of sources that are kept sealed, by name.
func (c *Client) Secrets(ctx context.Context) (out []wire.SecretInfo, err error) {
	return out, c.call(ctx, http.MethodGet, "/secrets", nil, &out)
}

// SaveSecret keeps the password of sources under a name.
func (c *Client) SaveSecret(ctx context.Context, name, secret string) error {
	return c.call(ctx, http.MethodPut, "/secrets/"+url.PathEscape(name), map[string]string{"secret": secret}, nil)
}

// RemoveSecret forgets the password under a name.
func (c *Client) RemoveSecret(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "/secrets/"+url.PathEscape(name), nil, nil)
}
