package wire

import (
	"time"

	"pikegate/core/diag"
	"pikegate/core/parameter"
)

// ScheduleInfo is a schedule in a list.
type ScheduleInfo struct {
	Name     string `json:"name" doc:"Its name; one that was made of a result ends in @ and its owner"`
	Title    string `json:"title"`
	Report   string `json:"report"`
	Overview bool   `json:"overview,omitempty" doc:"Whether it is an overview that is run"`
	Version  int    `json:"version"`
	Owner    string `json:"owner" doc:"Whose rights it runs with"`
	Own      bool   `json:"own" doc:"Whether it was made of a result, and belongs to its owner alone"`
	When     string `json:"when" doc:"When it is due, as it is kept"`
	Zone     string `json:"zone" doc:"The zone of its times"`
	Paused   string `json:"paused,omitempty" doc:"Why nothing is run; blank where it is"`
	// PausedBy is blank where the service paused it.
	PausedBy string             `json:"paused_by,omitempty" doc:"Who paused it; blank where the service did"`
	Next     *time.Time         `json:"next,omitempty" doc:"When it is due next"`
	Last     *OccurrenceSummary `json:"last,omitempty" doc:"What came of it last"`
	// Changes tells whether whoever asks may change it.
	Changes bool `json:"changes" doc:"Whether whoever asks may pause, resume and run it"`
}

// ScheduleDetail is a schedule in full.
type ScheduleDetail struct {
	ScheduleInfo
	Content      string              `json:"content" doc:"Its definition"`
	Each         string              `json:"each,omitempty" doc:"The question it goes through"`
	Only         string              `json:"only,omitempty" doc:"The condition without which nothing is sent"`
	Missed       string              `json:"missed" doc:"What becomes of times that passed while the service was down: once, each or skip"`
	Retries      int                 `json:"retries" doc:"How often what failed is tried again"`
	RetryMinutes int                 `json:"retry_minutes" doc:"Over how many minutes"`
	Set          parameter.Inputs    `json:"set" doc:"The answers as they are typed"`
	Deliver      []ScheduledDelivery `json:"deliver" doc:"Where it goes"`
	Times        []DueAt             `json:"times" doc:"When it is due next, and what its answers mean then"`
	Ended        string              `json:"ended,omitempty" doc:"Why there are no further times"`
	Occurrences  []OccurrenceSummary `json:"occurrences" doc:"What came of it, the newest first"`
}

// ScheduledDelivery is one way out of a schedule.
type ScheduledDelivery struct {
	Way    string `json:"way" doc:"folder, mail, web or keep"`
	Target string `json:"target" doc:"The path, addresses, address or table"`
	Format string `json:"format,omitempty"`
}

// DueAt is a time at which a schedule is due.
type DueAt struct {
	At    string `json:"at" doc:"The time on the clock of the zone, with its offset from UTC"`
	Meant string `json:"meant,omitempty" doc:"The time that was meant, where the clock leaves it out"`
	// Answers are what is asked, and what the answers are read as at this time.
	Answers  []Answer      `json:"answers" doc:"What each answer means at this time"`
	Problems diag.Problems `json:"problems,omitempty" doc:"What is wrong with the answers at this time"`
}

// OccurrenceSummary is one time at which a schedule was due.
type OccurrenceSummary struct {
	Occurrence uint       `json:"occurrence" doc:"Its number"`
	Schedule   string     `json:"schedule"`
	Due        time.Time  `json:"due"`
	DueText    string     `json:"due_text" doc:"The time on the clock of the zone"`
	Repeat     int        `json:"repeat" doc:"0, or which time it was run again"`
	State      string     `json:"state" doc:"due, running, retrying, delivered, partly_delivered, nothing_to_send, failed, missed, skipped or cancelled"`
	Problem    string     `json:"problem,omitempty"`
	Started    *time.Time `json:"started,omitempty"`
	Ended      *time.Time `json:"ended,omitempty"`
	Retry      *time.Time `json:"retry,omitempty" doc:"When it is tried again"`
}

// Occurrence is one of them in full.
type Occurrence struct {
	OccurrenceSummary
	Version  int              `json:"version" doc:"The version of the schedule it was run with"`
	Owner    string           `json:"owner"`
	Report   string           `json:"report"`
	AsOf     string           `json:"as_of" doc:"The instant its dates were read as of"`
	Zone     string           `json:"zone"`
	Attempts int              `json:"attempts"`
	Parts    []OccurrencePart `json:"parts"`
	Changes  bool             `json:"changes" doc:"Whether whoever asks may run it again or cancel it"`
}

// OccurrencePart is what was made for one value of the question that a schedule goes through.
type OccurrencePart struct {
	Number     int              `json:"number"`
	Value      string           `json:"value,omitempty"`
	Label      string           `json:"label,omitempty"`
	Blank      bool             `json:"blank,omitempty" doc:"Whether it was made for no value"`
	State      string           `json:"state" doc:"due, ran or nothing_to_send"`
	Run        uint             `json:"run,omitempty"`
	Count      int64            `json:"count"`
	First      string           `json:"first,omitempty"`
	Last       string           `json:"last,omitempty"`
	ReadBack   string           `json:"readback,omitempty"`
	Problem    string           `json:"problem,omitempty"`
	ReadAt     *time.Time       `json:"read_at,omitempty" doc:"When the records were read"`
	Deliveries []DeliveryRecord `json:"deliveries"`
}

// DeliveryRecord is what became of one delivery.
type DeliveryRecord struct {
	ID        string     `json:"id" doc:"Its identity, however often it is tried"`
	Way       string     `json:"way"`
	Target    string     `json:"target"`
	Format    string     `json:"format,omitempty"`
	State     string     `json:"state" doc:"waiting, ready, sending, retrying, delivered, failed, nothing_to_send or cancelled"`
	Attempts  int        `json:"attempts"`
	Problem   string     `json:"problem,omitempty"`
	Answer    string     `json:"answer,omitempty" doc:"What the other side answered"`
	SHA256    string     `json:"sha256,omitempty" doc:"The SHA-256 of the file's bytes, in hexadecimal"`
	Bytes     int64      `json:"bytes,omitempty"`
	Kept      bool       `json:"kept" doc:"Whether the file is still in the spool"`
	Delivered *time.Time `json:"delivered,omitempty"`
	Retry     *time.Time `json:"retry,omitempty" doc:"When it is tried again"`
}

// OwnSchedule is what somebody makes of a result.
type OwnSchedule struct {
	Title  string `json:"title,omitempty" maxLength:"200" doc:"What it is called; the report's title when left out"`
	Report string `json:"report,omitempty" doc:"The report that is run"`
	// Overview is run in its place.
	Overview string           `json:"overview,omitempty" doc:"The overview that is run instead"`
	Set      parameter.Inputs `json:"set,omitempty" doc:"The answers by question, as they are typed"`
	When     string           `json:"when" doc:"When it is due" example:"every monday at 07:00"`
	Zone     string           `json:"zone,omitempty" doc:"The zone of its times, where not the report's"`
	Only     string           `json:"only,omitempty" doc:"A condition on totals, without which nothing is sent" example:"count >= 1"`
	Format   string           `json:"format,omitempty" enum:"csv,json,jsonl,xlsx,parquet,pdf,html,xml" doc:"The format of the file attached"`
	// To are addresses; those of others need the right to deliver there.
	To []string `json:"to,omitempty" doc:"Mail addresses; one's own when left out. Those of others need the right to deliver there"`
}

// Provenance tells where a file came from.
type Provenance struct {
	SHA256     string    `json:"sha256"`
	Bytes      int64     `json:"bytes"`
	Schedule   string    `json:"schedule"`
	Occurrence uint      `json:"occurrence"`
	Part       int       `json:"part"`
	Delivery   string    `json:"delivery"`
	Way        string    `json:"way"`
	Delivered  time.Time `json:"delivered"`
	// What follows is told to those who may see the run.
	Target   string           `json:"target,omitempty"`
	Report   string           `json:"report,omitempty"`
	Version  int              `json:"version,omitempty" doc:"The version of the report"`
	Run      uint             `json:"run,omitempty"`
	Typed    parameter.Inputs `json:"typed,omitempty" doc:"The answers as they were typed"`
	Resolved map[string]any   `json:"resolved,omitempty" doc:"What they were read as"`
	ReadBack string           `json:"readback,omitempty"`
	AsOf     string           `json:"as_of,omitempty"`
	Zone     string           `json:"zone,omitempty"`
	ReadAt   *time.Time       `json:"read_at,omitempty"`
	Count    int64            `json:"count"`
	First    string           `json:"first,omitempty"`
	Last     string           `json:"last,omitempty"`
	Totals   any              `json:"totals,omitempty"`
}

// Notice tells somebody of something that happened without them.
type Notice struct {
	Number     uint      `json:"number"`
	At         time.Time `json:"at"`
	Schedule   string    `json:"schedule,omitempty"`
	Title      string    `json:"title,omitempty" doc:"What the schedule is called"`
	Occurrence uint      `json:"occurrence,omitempty"`
	Words      string    `json:"words"`
}

// Destinations are where things may go.
type Destinations struct {
	// Mails tells whether a mail server is known.
	Mails   bool          `json:"mails" doc:"Whether there is a mail server"`
	Address string        `json:"address" doc:"The address of whoever asks; blank for none"`
	Mailbox string        `json:"mailbox,omitempty" doc:"Where the mails of the demonstration are shown; blank elsewhere"`
	Places  []Destination `json:"places" doc:"What the administrator named"`
}

// Destination is one of them.
type Destination struct {
	Place string `json:"place" doc:"folder:NAME, mail:DOMAIN, web:HOST, mail:* or keep"`
	May   bool   `json:"may" doc:"Whether whoever asks may deliver there"`
}
