package service

import (
	"context"
	"encoding/json"
	"errors"

	"pikegate/core/diag"
	"pikegate/internal/identity"
	"pikegate/internal/store"
	"pikegate/internal/wire"
)

// AuditLog lists what was done, the newest first.
func (s *Service) AuditLog(ctx context.Context, who identity.Actor, f store.AuditFilter, limit int) ([]wire.AuditEntry, error) {
	if err := administrators(who); err != nil {
		return nil, err
	}
	kept, err := s.Store.AuditLog(ctx, f, limit)
	out := make([]wire.AuditEntry, len(kept))
	for i, e := range kept {
		out[i] = wire.AuditEntry{Number: e.Number, At: e.At, Who: e.Who, From: e.From, What: e.What, To: e.To, Before: decodedJSON(e.Before), After: decodedJSON(e.After)}
	}
	return out, err
}

func decodedJSON(text string) any {
	if text == "" {
		return nil
	}
	var v any
	if json.Unmarshal([]byte(text), &v) != nil { // it was changed by somebody
		return text
	}
	return v
}

// VerifyAudit tells whether the audit log is as it was written; noted is a head that
// was written down before, blank for none.
func (s *Service) VerifyAudit(ctx context.Context, who identity.Actor, noted string) (wire.Verified, error) {
	if err := administrators(who); err != nil {
		return wire.Verified{}, err
	}
	var before *store.Head
	if noted != "" {
		head, err := store.ParseHead(noted)
		if err != nil {
			return wire.Verified{}, diag.Problems{{Code: "bad_head", Field: "head", Message: "That is not the head of an audit log.", Hint: "Copy it from the service's log or from an earlier pikegate audit verify: a number, a colon and 64 digits."}}
		}
		before = &head
	}
	head, err := s.Store.VerifyAudit(ctx, before)
	out := wire.Verified{Whole: true, Head: head.String(), Entries: head.Count}
	var tampered *store.Tampered
	if errors.As(err, &tampered) {
		out.Whole, out.Problem, err = false, tampered.Error(), nil
	}
	return out, err
}
