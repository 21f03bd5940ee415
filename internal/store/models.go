package store

import "time"

// The rows of our own database. They never leave this package: convert.go
// turns them into the types the service works with.

type sourceRow struct {
	Name      string `gorm:"primaryKey"`
	Engine    string
	Address   string
	Database  string
	User      string
	Secret    string
	TLS       string
	Powerful  bool
	Person    bool   // is passed on
	Encodings string // JSON: TABLE.COLUMN to encoding
	CreatedAt time.Time
}

func (sourceRow) TableName() string { return "sources" }

type draftRow struct {
	Kind      string `gorm:"primaryKey"`
	Name      string `gorm:"primaryKey"`
	Content   string
	Revision  int
	UpdatedAt time.Time
}

func (draftRow) TableName() string { return "drafts" }

// revisionRow is a draft as it was, so that two authors can be told what each of
// them changed.
type revisionRow struct {
	Kind     string `gorm:"primaryKey"`
	Name     string `gorm:"primaryKey"`
	Revision int    `gorm:"primaryKey;autoIncrement:false"`
	Content  string
}

func (revisionRow) TableName() string { return "revisions" }

// retiredRow is a definition that is published no longer; its versions stay for
// the runs that were made with them.
type retiredRow struct {
	Kind string `gorm:"primaryKey"`
	Name string `gorm:"primaryKey"`
	At   time.Time
}

func (retiredRow) TableName() string { return "retired" }

type versionRow struct {
	Kind        string `gorm:"primaryKey"`
	Name        string `gorm:"primaryKey"`
	Number      int    `gorm:"primaryKey;autoIncrement:false"`
	Content     string
	Uses        string // what a report was frozen with, as written
	PublishedAt time.Time
	PublishedBy string
}

func (versionRow) TableName() string { return "versions" }

type runRow struct {
	ID        uint   `gorm:"primaryKey;autoIncrement"`
	Report    string `gorm:"index"`
	Version   int
	Outcome   string
	Format    string
	StartedAt time.Time `gorm:"index"`
	AsOf      string
	Zone      string
	Sort      string `gorm:"column:sorted_by"` // JSON
	Inputs    string // JSON
	Values    string `gorm:"column:resolved"` // JSON
	ReadBack  string
	SQL       string
	Args      string // JSON
	Count     int64
	First     string
	Last      string
	Millis    int64
	Problem   string
	Reason    string
	LeftOut   string
	Edges     string // JSON
	User      string
	Seen      string // JSON
	Reading   string // JSON
	Forgotten bool
}

func (runRow) TableName() string { return "runs" }

// printsRow is what tells the records of a run apart from those of today.
type printsRow struct {
	Run   uint `gorm:"primaryKey;autoIncrement:false"`
	Bytes []byte
}

func (printsRow) TableName() string { return "prints" }

// bindingRow is the one place that a secret is given to.
type bindingRow struct {
	Secret  string `gorm:"primaryKey"`
	Place   string // engine, login and address
	BoundAt time.Time
}

func (bindingRow) TableName() string { return "bindings" }

type userRow struct {
	Name      string `gorm:"primaryKey"`
	Display   string
	Email     string
	Language  string
	Zone      string
	DateOrder string
	WeekStart string

	MissingYear, TwoDigitYears string

	CSV   string `gorm:"column:csv"` // JSON
	Guard bool

	Role       string
	Attributes string // JSON
	Disabled   bool
	Password   string
	Factor     []byte
	Confirmed  bool
	Step       int64
	Recovery   string // JSON
	CreatedAt  time.Time
	Provider   string // issuer and subject
	ProviderAt time.Time
}

func (userRow) TableName() string { return "users" }

type groupRow struct {
	Name  string `gorm:"primaryKey"`
	Title string
}

func (groupRow) TableName() string { return "groups" }

type memberRow struct {
	Group  string `gorm:"primaryKey;column:group_name"`
	User   string `gorm:"primaryKey"`
	Origin string // here where it is blank, or the provider
}

func (memberRow) TableName() string { return "members" }

type grantRow struct {
	Kind   string `gorm:"primaryKey"`
	Place  string `gorm:"primaryKey"`
	Right  string `gorm:"column:granted"`
	ToKind string `gorm:"primaryKey"`
	To     string `gorm:"primaryKey;column:whom"`
}

func (grantRow) TableName() string { return "grants" }

type sessionRow struct {
	Hash    string `gorm:"primaryKey"`
	User    string
	Begun   time.Time
	Seen    time.Time
	Address string
	Client  string
}

func (sessionRow) TableName() string { return "sessions" }

type tokenRow struct {
	ID      uint `gorm:"primaryKey;autoIncrement"`
	Hash    string
	User    string
	Name    string
	Scope   string
	Report  string
	Inputs  string // JSON
	Created time.Time
	Expires time.Time
	Used    time.Time
}

func (tokenRow) TableName() string { return "tokens" }

type linkRow struct {
	Hash    string `gorm:"primaryKey"`
	User    string
	Expires time.Time
}

func (linkRow) TableName() string { return "links" }

type answersRow struct {
	Kind   string `gorm:"primaryKey"`
	Report string `gorm:"primaryKey"` // or the overview
	Name   string `gorm:"primaryKey"`
	Owner  string `gorm:"primaryKey"`
	Shared bool   `gorm:"primaryKey"`
	Inputs string // JSON
	Begins bool
	At     time.Time
}

func (answersRow) TableName() string { return "answers" }

type secretRow struct {
	Name   string `gorm:"primaryKey"`
	Sealed []byte
	At     time.Time
}

func (secretRow) TableName() string { return "secrets" }

type settingRow struct {
	Key   string `gorm:"primaryKey"`
	Value []byte
}

func (settingRow) TableName() string { return "settings" }

type auditRow struct {
	Number int64 `gorm:"primaryKey;autoIncrement:false"`
	At     string
	Who    string
	From   string `gorm:"column:from_address"`
	What   string
	To     string `gorm:"column:done_to"`
	Before string
	After  string
	Code   string
}

func (auditRow) TableName() string { return "audit" }
