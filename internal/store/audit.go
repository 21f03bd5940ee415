package store

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"
)

// Entry is what the audit log says of something that was done.
type Entry struct {
	Number int64
	At     time.Time
	// Who did it, blank for whoever is at the machine or in the open state; From is
	// their address.
	Who, From string
	// What was done, such as user.disabled; To is what it was done to.
	What, To string
	// Before and After are JSON, blank for nothing.
	Before, After string
	mac           string
}

// With says what was before and what is now, as JSON; nil for nothing.
func (e Entry) With(before, after any) Entry {
	if before != nil {
		e.Before = text(before)
	}
	if after != nil {
		e.After = text(after)
	}
	return e
}

// Head is the end of the audit log: how many entries there are, and the code of the
// last, which covers all before it.
type Head struct {
	Count int64
	Code  string
}

func (h Head) String() string { return fmt.Sprintf("%d:%s", h.Count, h.Code) }

// ParseHead reads a head as String writes it.
func ParseHead(text string) (Head, error) {
	count, code, _ := strings.Cut(text, ":")
	n, err := strconv.ParseInt(count, 10, 64)
	if raw, bad := hex.DecodeString(code); err != nil || bad != nil || n < 0 || len(raw) != sha256.Size && n > 0 {
		return Head{}, fmt.Errorf("store: %q is no head of an audit log", text)
	}
	return Head{n, code}, nil
}

// seal gives the code of an entry: an HMAC under the installation's key over the
// entry and the code of the one before.
func (s *Store) seal(before string, e Entry) string {
	mac := hmac.New(sha256.New, s.key)
	_ = json.NewEncoder(mac).Encode([]any{before, e.Number, e.At.UTC().Format(time.RFC3339Nano), e.Who, e.From, e.What, e.To, e.Before, e.After}) // an HMAC takes everything
	return hex.EncodeToString(mac.Sum(nil))
}

// audited makes a change and appends what the audit log says of it, or neither.
func (s *Store) audited(ctx context.Context, e Entry, do func(tx *gorm.DB) error) error {
	return s.write(ctx, true, func(tx *gorm.DB) error {
		if err := do(tx); err != nil {
			return err
		}
		return s.append(tx, e)
	})
}

// append puts an entry at the end of the audit log. Whoever writes holds the file
// alone, another process included.
func (s *Store) append(tx *gorm.DB, e Entry) error {
	if e.What == "" {
		return nil // nothing that is told
	}
	var last auditRow
	if err := tx.Order("number desc").Limit(1).Find(&last).Error; err != nil {
		return err
	}
	e.Number, e.At = last.Number+1, tx.NowFunc()
	row := auditRow{e.Number, e.At.Format(time.RFC3339Nano), e.Who, e.From, e.What, e.To, e.Before, e.After, s.seal(last.Code, e)}
	return tx.Create(&row).Error
}

// Audit appends an entry to the audit log.
func (s *Store) Audit(ctx context.Context, e Entry) error {
	return s.write(ctx, true, func(tx *gorm.DB) error { return s.append(tx, e) })
}

// AuditFilter says which entries are meant; what is left out restricts nothing.
type AuditFilter struct {
	Who, What string
	From      time.Time
	Until     time.Time
	// Before is the number of an entry: only older ones.
	Before int64
}

// AuditLog lists entries, the newest first.
func (s *Store) AuditLog(ctx context.Context, f AuditFilter, limit int) ([]Entry, error) {
	query := s.db.WithContext(ctx).Order("number desc").Limit(limit)
	if f.Who != "" {
		query = query.Where("who = ?", f.Who)
	}
	if f.What != "" {
		query = query.Where("what = ? or what like ? escape '\\'", f.What, strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(f.What)+".%")
	}
	if !f.From.IsZero() {
		query = query.Where("at >= ?", f.From.UTC().Format(time.RFC3339Nano))
	}
	if !f.Until.IsZero() {
		query = query.Where("at < ?", f.Until.UTC().Format(time.RFC3339Nano))
	}
	if f.Before > 0 {
		query = query.Where("number < ?", f.Before)
	}
	var rows []auditRow
	err := query.Find(&rows).Error
	return mapped(rows, auditRow.domain), err
}

// AuditHead gives the end of the audit log.
func (s *Store) AuditHead(ctx context.Context) (Head, error) {
	var last auditRow
	err := s.db.WithContext(ctx).Order("number desc").Limit(1).Find(&last).Error
	return Head{last.Number, last.Code}, err
}

// Tampered says where the audit log is not as it was written.
type Tampered struct {
	Number int64
	Reason string
}

func (t *Tampered) Error() string { return fmt.Sprintf("Entry %d %s.", t.Number, t.Reason) }

// VerifyAudit walks the audit log and gives its end; the error is a Tampered where
// an entry was changed, left out or put in, and where the log does not go as far as
// the head that was noted before, if one is given.
func (s *Store) VerifyAudit(ctx context.Context, noted *Head) (Head, error) {
	rows, err := s.db.WithContext(ctx).Model(&auditRow{}).Order("number").Rows()
	if err != nil {
		return Head{}, err
	}
	defer rows.Close()
	var head Head
	for rows.Next() {
		var row auditRow
		if err := s.db.ScanRows(rows, &row); err != nil {
			return head, err
		}
		switch e := row.domain(); {
		case e.Number != head.Count+1:
			return head, &Tampered{head.Count + 1, "is missing"}
		case !hmac.Equal([]byte(s.seal(head.Code, e)), []byte(e.mac)):
			return head, &Tampered{e.Number, "was changed, or put in by somebody without the installation's key"}
		case noted != nil && noted.Count == e.Number && noted.Code != e.mac:
			return head, &Tampered{e.Number, "is not the one that was noted"}
		}
		head = Head{row.Number, row.Code}
	}
	if noted != nil && noted.Count > head.Count {
		return head, &Tampered{head.Count + 1, fmt.Sprintf("is missing, and those after it: the log was noted to have %d", noted.Count)}
	}
	return head, errors.Join(rows.Err(), ctx.Err())
}
