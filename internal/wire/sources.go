package wire

// ColumnExtent is what a column holds.
type ColumnExtent struct {
	Column   string `json:"column"`
	Earliest string `json:"earliest,omitempty" doc:"The earliest date, or the least number"`
	Latest   string `json:"latest,omitempty" doc:"The latest date, or the greatest number"`
	Blank    int64  `json:"blank" doc:"How many records are blank there"`
	Distinct int64  `json:"distinct" doc:"How many different values there are; none for types that cannot be counted"`
	Records  int64  `json:"records" doc:"How many records the table has"`
}

// SourceInfo is a source as it was added.
type SourceInfo struct {
	Name    string `json:"name" doc:"The name definitions use"`
	Engine  string `json:"engine" doc:"The kind of database: sqlite, postgresql, mysql (which is MariaDB too), or files" example:"sqlite"`
	Address string `json:"address" doc:"Where it is: for SQLite the path of the file, otherwise HOST:PORT"`
	// A password is never part of it: the service looks it up under the name
	// of the secret.
	Database string `json:"database,omitempty" doc:"The name of the database on the server"`
	User     string `json:"user,omitempty" doc:"The login; the password comes from the service's environment or file of secrets"`
	Secret   string `json:"secret,omitempty" doc:"The name of the password, the source's own when left out"`
	TLS      string `json:"tls,omitempty" enum:"off,on,verify" doc:"off, on or verify; when left out verify, and on this machine where the server offers it"`
	// PowerfulLogin takes a login that can do what a read-only transaction does not
	// keep it from.
	PowerfulLogin bool `json:"powerful_login,omitempty" doc:"Take a login that can write all the same: a superuser, one that reaches files, or other databases"`
	// PassPerson tells the database who asks.
	PassPerson bool `json:"pass_person,omitempty" doc:"Tell a PostgreSQL database who asks, in the setting pikegate.user of each transaction"`
	// Encodings are the date encodings set by hand.
	Encodings map[string]string `json:"encodings,omitempty" doc:"Date encodings set by hand, by TABLE.COLUMN"`
}

// StoredValue is a value as it is stored, and how it would be read.
type StoredValue struct {
	Stored  string `json:"stored"`
	Reads   string `json:"reads,omitempty" doc:"The date it would be read as, left out where it would be none"`
	Records *int64 `json:"records,omitempty" doc:"How many records have it"`
}
