package service

import (
	"context"

	"pikegate/core/definition"
	"pikegate/internal/identity"
	"pikegate/internal/wire"
)

// Copy keeps what was pushed last under another name, to be varied. A report takes its
// query along where no other report uses that, so that both can be varied.
func (s *Service) Copy(ctx context.Context, who identity.Actor, kind, name, to string) (wire.Checked, error) {
	if err := authorChanges(who); err != nil {
		return wire.Checked{}, err
	}
	content, _, err := s.Definition(ctx, who, kind, name, 0)
	if err != nil {
		return wire.Checked{}, err
	}
	documents, err := decoded(content)
	if err != nil {
		return wire.Checked{}, err
	}
	d, err := s.directory(ctx)
	if err != nil {
		return wire.Checked{}, err
	}
	taken := func(kind string) error {
		if _, there := d.entry(kind, to); there {
			return nameTaken("name", kind, to)
		}
		return nil
	}
	if err := taken(kind); err != nil {
		return wire.Checked{}, err
	}
	rename := func(d definition.Document, query string) (string, error) {
		text, _, err := definition.Rewritten(d, s.flavour(ctx, d), func(m definition.Mention) string {
			if m.Own && m.Kind != "question" && m.Kind != "column" || m.Kind == "query" && m.Name == query {
				return to
			}
			return m.Name
		})
		return text, err
	}
	query, copied := "", ""
	if report, ok := documents[0].(*definition.Report); ok && s.ownQuery(ctx, who, report) {
		content, _, err := s.Definition(ctx, who, "query", report.Query, 0)
		if err != nil {
			return wire.Checked{}, err
		}
		if err := taken("query"); err != nil {
			return wire.Checked{}, err
		}
		documents, err := decoded(content)
		if err != nil {
			return wire.Checked{}, err
		}
		if copied, err = rename(documents[0], ""); err != nil {
			return wire.Checked{}, err
		}
		query, copied = report.Query, copied+"\n---\n"
	}
	renamed, err := rename(documents[0], query)
	if err != nil {
		return wire.Checked{}, err
	}
	return s.Push(ctx, who, copied+renamed, wire.Keeping{})
}

// ownQuery tells whether a report is the only one that uses its query, as far as its
// author sees, and may write such a query.
func (s *Service) ownQuery(ctx context.Context, who identity.Actor, report *definition.Report) bool {
	content, _, err := s.Definition(ctx, who, "query", report.Query, 0)
	if err != nil {
		return false
	}
	documents, err := decoded(content)
	if err != nil || mayWrite(who, documents) != nil {
		return false
	}
	users, err := s.usersOf(ctx, who, "query", report.Query)
	if err != nil {
		return false
	}
	for _, u := range users {
		if u.Through == "" && (u.Kind != "report" || u.Name != report.Name) {
			return false
		}
	}
	return true
}
