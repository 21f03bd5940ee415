package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pikegate/core/catalog"
	"pikegate/core/parameter"
)

// User is somebody who can sign in. Users are disabled, not removed, so that
// records keep their meaning.
type User struct {
	Name, Display, Email string
	// Language, Zone and DateOrder are how the console shows and reads dates for
	// them; blank is as the service does.
	Language, Zone, DateOrder, WeekStart, MissingYear, TwoDigitYears string
	// CSV and Guard are how a CSV is written for them, where a report does not say it.
	CSV   catalog.CSVFormat
	Guard bool

	Role string
	// Attributes are what row rules ask for, such as regions.
	Attributes map[string][]string
	Disabled   bool
	// Password is a hash, blank where none was set; Factor is the sealed secret of the
	// second factor, in force once Confirmed; Recovery are hashes of codes.
	Password  string
	Factor    []byte
	Confirmed bool
	// Step is the last time step whose code was used.
	Step      int64
	Recovery  []string
	CreatedAt time.Time
	// Provider is the issuer and the subject at the identity provider, blank for a user of
	// our own; ProviderAt is when they last signed in there.
	Provider   string
	ProviderAt time.Time
}

// Group is a set of users.
type Group struct {
	Name, Title string
	Members     []string
}

// Grant gives somebody a right in a place: a folder, or a source.
type Grant struct {
	// Kind is folder or source; Place is the path of the folder, blank for all, or the
	// name of the source, * for all.
	Kind, Place string
	Right       string
	// ToKind is user or group.
	ToKind, To string
}

// Session is somebody signed in with a browser. Hash is that of what the browser
// has.
type Session struct {
	Hash, User      string
	Begun, Seen     time.Time
	Address, Client string
}

// Token is what a script signs in with. Hash is that of what the script has.
type Token struct {
	ID         uint
	Hash, User string
	Name       string
	// Scope is full, read (nothing can be changed with it), report (one report can be
	// run with it) or link (the same, by an address that a spreadsheet reads).
	Scope   string
	Report  string
	Inputs  parameter.Inputs
	Created time.Time
	Expires time.Time
	Used    time.Time
}

// Link can be used once, to set a password. Hash is that of what its user was
// given.
type Link struct {
	Hash, User string
	Expires    time.Time
}

// closedMark is the setting that says that the service has users. It is never
// taken back.
const closedMark = "closed"

// Closed tells whether the service has users: it serves nobody it does not know.
func (s *Store) Closed(ctx context.Context) (bool, error) {
	if s.closedState.Load() {
		return true, nil
	}
	var found int
	// By hand: every request of the open state waits for it.
	err := s.isClosed.QueryRowContext(ctx).Scan(&found)
	if err == nil && found > 0 {
		s.closedState.Store(true)
	}
	return found > 0, err
}

// People is another number once users, groups or rights were changed.
func (s *Store) People() uint64 { return s.people.Load() }

// AddUser makes a user and a link with which they set their password. The first
// one closes the service. ErrTaken says that there is one of that name.
func (s *Store) AddUser(ctx context.Context, u User, link Link, e Entry) error {
	defer s.people.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		row := userRowOf(u)
		made := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&row)
		if made.Error == nil && made.RowsAffected == 0 {
			return ErrTaken
		}
		return errors.Join(
			made.Error,
			tx.Create(&linkRow{link.Hash, link.User, link.Expires.UTC()}).Error,
			tx.Save(&settingRow{closedMark, []byte("yes")}).Error,
		)
	})
}

// ErrTaken says that something of that name is there already.
var ErrTaken = errors.New("store: the name is taken")

// ErrLast says that the last administrator who can sign in would go.
var ErrLast = errors.New("store: the last administrator")

// User gives a user.
func (s *Store) User(ctx context.Context, name string) (User, error) {
	var row userRow
	err := s.db.WithContext(ctx).Take(&row, "name = ?", name).Error
	return row.domain(), found(err)
}

// Users lists the users by name.
func (s *Store) Users(ctx context.Context) ([]User, error) {
	var rows []userRow
	err := s.db.WithContext(ctx).Order("name").Find(&rows).Error
	return mapped(rows, userRow.domain), err
}

// ChangeUser changes a user; what becomes of them is told by change. Where ends,
// all their sessions and links end. ErrLast says that no administrator would be left.
func (s *Store) ChangeUser(ctx context.Context, name string, ends bool, e Entry, change func(*User) error) error {
	defer s.people.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error { return changeUser(tx, name, ends, change) })
}

func changeUser(tx *gorm.DB, name string, ends bool, change func(*User) error) error {
	var row userRow
	if err := tx.Take(&row, "name = ?", name).Error; err != nil {
		return found(err)
	}
	u := row.domain()
	if err := change(&u); err != nil {
		return err
	}
	row = userRowOf(u)
	if err := tx.Save(&row).Error; err != nil {
		return err
	}
	if ends {
		if err := errors.Join(tx.Delete(&sessionRow{}, "user = ?", name).Error, tx.Delete(&linkRow{}, "user = ?", name).Error); err != nil {
			return err
		}
	}
	var administrators int64
	err := tx.Model(&userRow{}).Where("role = 'administrator' and not disabled").Count(&administrators).Error
	if err == nil && administrators == 0 {
		return ErrLast
	}
	return err
}

// KeepLink keeps a link in the place of those its user was given before.
func (s *Store) KeepLink(ctx context.Context, l Link, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		return errors.Join(tx.Delete(&linkRow{}, "user = ?", l.User).Error, tx.Create(&linkRow{l.Hash, l.User, l.Expires.UTC()}).Error)
	})
}

// LinkUser tells whose a link is that can still be used.
func (s *Store) LinkUser(ctx context.Context, hash string, now time.Time) (User, error) {
	var row linkRow
	if err := s.db.WithContext(ctx).Take(&row, "hash = ? and expires > ?", hash, now.UTC()).Error; err != nil {
		return User{}, found(err)
	}
	return s.User(ctx, row.User)
}

// UseLink uses a link up and changes its user, all of whose sessions end.
// ErrNotFound says that it is no link any more.
func (s *Store) UseLink(ctx context.Context, hash string, now time.Time, e Entry, change func(*User) error) error {
	defer s.people.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		var row linkRow
		if err := tx.Take(&row, "hash = ? and expires > ?", hash, now.UTC()).Error; err != nil {
			return found(err)
		}
		return changeUser(tx, row.User, true, change)
	})
}

// UserOf gives the user of an identity provider.
func (s *Store) UserOf(ctx context.Context, provider string) (User, error) {
	var row userRow
	err := s.db.WithContext(ctx).Take(&row, "provider = ?", provider).Error
	return row.domain(), found(err)
}

// Provided keeps what an identity provider says of a user who signs in there: a new one,
// or what is now true of one that is known. Their groups of the provider are replaced.
// ErrTaken says that another user has the name.
func (s *Store) Provided(ctx context.Context, u User, groups []string, e Entry) error {
	defer s.people.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		var old userRow
		err := tx.Limit(1).Find(&old, "name = ?", u.Name).Error
		if err == nil && old.Name != "" && old.Provider != u.Provider {
			return ErrTaken
		}
		row := userRowOf(u)
		err = errors.Join(err, tx.Save(&row).Error, tx.Delete(&memberRow{}, "user = ? and origin = 'provider'", u.Name).Error)
		for _, g := range groups {
			err = errors.Join(err, tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&groupRow{g, ""}).Error,
				tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&memberRow{g, u.Name, "provider"}).Error)
		}
		return err
	})
}

// Groups lists the groups by name, with their members.
func (s *Store) Groups(ctx context.Context) ([]Group, error) {
	var rows []groupRow
	var members []memberRow
	db := s.db.WithContext(ctx)
	if err := errors.Join(db.Order("name").Find(&rows).Error, db.Order("group_name, user").Find(&members).Error); err != nil {
		return nil, err
	}
	of := map[string][]string{}
	for _, m := range members {
		of[m.Group] = append(of[m.Group], m.User)
	}
	return mapped(rows, func(r groupRow) Group { return Group{r.Name, r.Title, of[r.Name]} }), nil
}

// SaveGroup makes or replaces a group.
func (s *Store) SaveGroup(ctx context.Context, g Group, e Entry) error {
	defer s.people.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		if err := errors.Join(tx.Save(&groupRow{g.Name, g.Title}).Error, tx.Delete(&memberRow{}, "group_name = ? and (origin <> 'provider' or user not in ?)", g.Name, append(g.Members, "")).Error); err != nil {
			return err
		}
		for _, m := range g.Members {
			if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&memberRow{Group: g.Name, User: m}).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// RemoveGroup removes a group and what was granted to it.
func (s *Store) RemoveGroup(ctx context.Context, name string, e Entry) error {
	defer s.people.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		gone := tx.Delete(&groupRow{}, "name = ?", name)
		if gone.Error == nil && gone.RowsAffected == 0 {
			return ErrNotFound
		}
		return errors.Join(gone.Error, tx.Delete(&memberRow{}, "group_name = ?", name).Error, tx.Delete(&grantRow{}, "to_kind = 'group' and whom = ?", name).Error)
	})
}

// Grants lists what is granted, by place.
func (s *Store) Grants(ctx context.Context) ([]Grant, error) {
	var rows []grantRow
	err := s.db.WithContext(ctx).Order("kind, place, to_kind, whom").Find(&rows).Error
	return mapped(rows, func(r grantRow) Grant { return Grant(r) }), err
}

// SaveGrants takes grants back and makes others, all or none. A right that was
// granted to somebody in a place before is replaced.
func (s *Store) SaveGrants(ctx context.Context, gone, made []Grant, e Entry) error {
	defer s.people.Add(1)
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		for _, g := range gone {
			if err := tx.Delete(&grantRow{}, "kind = ? and place = ? and to_kind = ? and whom = ?", g.Kind, g.Place, g.ToKind, g.To).Error; err != nil {
				return err
			}
		}
		for _, g := range made {
			row := grantRow(g)
			if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
				return err
			}
		}
		return nil
	})
}

// BeginSession keeps a session.
func (s *Store) BeginSession(ctx context.Context, session Session, e Entry) error {
	row := sessionRowOf(session)
	return s.audited(ctx, e, func(tx *gorm.DB) error { return tx.Create(&row).Error })
}

// Session gives a session.
func (s *Store) Session(ctx context.Context, hash string) (Session, error) {
	var row sessionRow
	err := s.db.WithContext(ctx).Take(&row, "hash = ?", hash).Error
	return Session(row), found(err)
}

// Sessions lists those of a user, the newest first.
func (s *Store) Sessions(ctx context.Context, user string) ([]Session, error) {
	var rows []sessionRow
	err := s.db.WithContext(ctx).Order("begun desc").Find(&rows, "user = ?", user).Error
	return mapped(rows, func(r sessionRow) Session { return Session(r) }), err
}

// EndSession ends a session of a user. ErrNotFound says that there is none.
func (s *Store) EndSession(ctx context.Context, user, hash string, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		gone := tx.Delete(&sessionRow{}, "user = ? and hash = ?", user, hash)
		if gone.Error == nil && gone.RowsAffected == 0 {
			return ErrNotFound
		}
		return gone.Error
	})
}

// Noted keeps when sessions (by hash) and tokens (by ID) were last used, and lets
// sessions and links go that ended.
func (s *Store) Noted(ctx context.Context, sessions map[string]time.Time, tokens map[uint]time.Time, begunBefore, seenBefore, now time.Time) error {
	return s.write(ctx, false, func(tx *gorm.DB) error {
		for hash, at := range sessions {
			if err := tx.Model(&sessionRow{}).Where("hash = ?", hash).Update("seen", at.UTC()).Error; err != nil {
				return err
			}
		}
		for id, at := range tokens {
			if err := tx.Model(&tokenRow{}).Where("id = ?", id).Update("used", at.UTC()).Error; err != nil {
				return err
			}
		}
		return errors.Join(
			tx.Delete(&sessionRow{}, "begun < ? or seen < ?", begunBefore.UTC(), seenBefore.UTC()).Error,
			tx.Delete(&linkRow{}, "expires < ?", now.UTC()).Error,
		)
	})
}

// SaveToken keeps a token and gives its number.
func (s *Store) SaveToken(ctx context.Context, t Token, e Entry) (uint, error) {
	row := tokenRowOf(t)
	err := s.audited(ctx, e, func(tx *gorm.DB) error { return tx.Create(&row).Error })
	return row.ID, err
}

// Token gives the token of a hash.
func (s *Store) Token(ctx context.Context, hash string) (Token, error) {
	var row tokenRow
	err := s.db.WithContext(ctx).Take(&row, "hash = ?", hash).Error
	return row.domain(), found(err)
}

// Tokens lists those of a user, or of all where the user is blank.
func (s *Store) Tokens(ctx context.Context, user string) ([]Token, error) {
	var rows []tokenRow
	query := s.db.WithContext(ctx).Order("id")
	if user != "" {
		query = query.Where("user = ?", user)
	}
	err := query.Find(&rows).Error
	return mapped(rows, tokenRow.domain), err
}

// EndToken ends a token of a user, of anybody where the user is blank.
// ErrNotFound says that there is none.
func (s *Store) EndToken(ctx context.Context, user string, id uint, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		query := tx.Where("id = ?", id)
		if user != "" {
			query = query.Where("user = ?", user)
		}
		gone := query.Delete(&tokenRow{})
		if gone.Error == nil && gone.RowsAffected == 0 {
			return ErrNotFound
		}
		return gone.Error
	})
}

// Asker is what asks questions: a report or an overview.
type Asker struct{ Kind, Name string }

// Answers are answers to a report or an overview under a name. Those that are shared are for
// all its readers, others for their owner.
type Answers struct {
	To          Asker
	Name, Owner string
	Shared      bool
	Inputs      parameter.Inputs
	// Begins tells that the page begins with them.
	Begins bool
	At     time.Time
}

// SaveAnswers keeps answers in the place of those of the same name. Where they are to
// begin with, no others of the same reach do.
func (s *Store) SaveAnswers(ctx context.Context, a Answers, e Entry) error {
	if a.Shared {
		a.Owner = ""
	}
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		if a.Begins {
			if err := tx.Model(&answersRow{}).Where("kind = ? and report = ? and owner = ? and shared = ?", a.To.Kind, a.To.Name, a.Owner, a.Shared).Update("begins", false).Error; err != nil {
				return err
			}
		}
		row := answersRow{a.To.Kind, a.To.Name, a.Name, a.Owner, a.Shared, text(a.Inputs), a.Begins, a.At.UTC()}
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error
	})
}

// AnswersTo lists the answers to a report or an overview that a user has, and those for all
// readers, by name.
func (s *Store) AnswersTo(ctx context.Context, to Asker, user string) ([]Answers, error) {
	var rows []answersRow
	err := s.db.WithContext(ctx).Order("name, shared").Find(&rows, "kind = ? and report = ? and (shared or owner = ?)", to.Kind, to.Name, user).Error
	return mapped(rows, answersRow.domain), err
}

// RemoveAnswers removes answers. ErrNotFound says that there are none.
func (s *Store) RemoveAnswers(ctx context.Context, to Asker, name, owner string, shared bool, e Entry) error {
	if shared {
		owner = ""
	}
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		gone := tx.Delete(&answersRow{}, "kind = ? and report = ? and name = ? and owner = ? and shared = ?", to.Kind, to.Name, name, owner, shared)
		if gone.Error == nil && gone.RowsAffected == 0 {
			return ErrNotFound
		}
		return gone.Error
	})
}

// Secret is a password that is kept sealed.
type Secret struct {
	Name   string
	Sealed []byte
	At     time.Time
}

// SaveSecret keeps a sealed password in the place of one there is.
func (s *Store) SaveSecret(ctx context.Context, k Secret, e Entry) error {
	row := secretRow(k)
	return s.audited(ctx, e, func(tx *gorm.DB) error { return tx.Save(&row).Error })
}

// Secrets lists the sealed passwords by name.
func (s *Store) Secrets(ctx context.Context) ([]Secret, error) {
	var rows []secretRow
	err := s.db.WithContext(ctx).Order("name").Find(&rows).Error
	return mapped(rows, func(r secretRow) Secret { return Secret(r) }), err
}

// Secret gives a sealed password.
func (s *Store) Secret(ctx context.Context, name string) (Secret, error) {
	var row secretRow
	err := s.db.WithContext(ctx).Take(&row, "name = ?", name).Error
	return Secret(row), found(err)
}

// RemoveSecret removes a sealed password.
func (s *Store) RemoveSecret(ctx context.Context, name string, e Entry) error {
	return s.audited(ctx, e, func(tx *gorm.DB) error {
		gone := tx.Delete(&secretRow{}, "name = ?", name)
		if gone.Error == nil && gone.RowsAffected == 0 {
			return ErrNotFound
		}
		return gone.Error
	})
}

// Setting gives what is kept under a key, nil for nothing.
func (s *Store) Setting(ctx context.Context, key string) ([]byte, error) {
	var row settingRow
	err := s.db.WithContext(ctx).Limit(1).Find(&row, "key = ?", key).Error
	return row.Value, err
}

// KeepSetting keeps something under a key.
func (s *Store) KeepSetting(ctx context.Context, key string, value []byte) error {
	return s.write(ctx, true, func(tx *gorm.DB) error { return tx.Save(&settingRow{key, value}).Error })
}
