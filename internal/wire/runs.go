// Package wire holds what the service says over HTTP and its client reads.
package wire

import (
	"time"

	"pikegate/core/diag"
	"pikegate/core/dialect"
	"pikegate/core/parameter"
	"pikegate/core/plan"
	"pikegate/internal/output"
)

// Comparison is how the records of two runs differ, both asked for anew.
type Comparison struct {
	Columns []plan.Output `json:"columns" doc:"The columns both runs have"`
	// Whole tells that nothing tells the records apart, so that one that
	// changed is one that went and one that came.
	Whole   bool              `json:"whole,omitempty" doc:"Whether only whole records could be compared, so that none is reported as changed"`
	Before  Side              `json:"before"`
	After   Side              `json:"after"`
	Same    int64             `json:"same" doc:"How many records are the same in both"`
	Came    int64             `json:"came" doc:"How many are only in the second run"`
	Went    int64             `json:"went" doc:"How many are only in the first run"`
	Changed int64             `json:"changed" doc:"How many are in both, with other values"`
	Rows    []DifferentRecord `json:"rows" doc:"The differences, up to 500 of each kind"`
}

// Side is one of the two runs.
type Side struct {
	Run      uint   `json:"run"`
	Version  int    `json:"version"`
	ReadBack string `json:"readback"`
	Then     int64  `json:"then" doc:"How many records the run found"`
	Now      int64  `json:"now" doc:"How many it finds now, with the same version, answers and day"`
	// Since is nil where it is not known.
	Since *Since `json:"since,omitempty" doc:"What changed in the data since the run, known of runs of up to 20,000 records"`
}

// Since is what changed in the data since a run.
type Since struct {
	Came int64 `json:"came" doc:"How many of the records it finds now were not among those it found then, or had other values; up to 500 are among the rows"`
	Went int64 `json:"went" doc:"How many of those it found then it does not find now, with the same values; their values are not kept"`
}

// DifferentRecord is a record that is not the same in both runs.
type DifferentRecord struct {
	Kind string `json:"kind" enum:"came,went,changed,since"`
	// Run is the run a record came since.
	Run    uint  `json:"run,omitempty" doc:"For since: the run the record came after"`
	Before []any `json:"before,omitempty" doc:"Its values in the first run"`
	After  []any `json:"after,omitempty" doc:"Its values in the second run"`
}

// Why tells what each condition of a run lets through, and where the nearest
// records are.
type Why struct {
	ReadBack string   `json:"readback"`
	Advice   []string `json:"advice" doc:"What it comes down to, sentence by sentence"`
	Reason   string   `json:"reason,omitempty" doc:"Why no record can match with these answers, where that is proved"`
	Table    string   `json:"table" doc:"The table whose records are returned"`
	Records  int64    `json:"records" doc:"How many records the table has"`
	Joined   int64    `json:"joined" doc:"How many are left, or made, by joining the other tables"`
	Matches  int64    `json:"matches" doc:"How many meet every condition"`
	// Conditions are in the order in which they are applied.
	Conditions []WhyCondition `json:"conditions"`
	Clash      *WhyClash      `json:"clash,omitempty" doc:"The first two conditions that no record meets together"`
	Nearest    []WhyNearest   `json:"nearest,omitempty" doc:"For each date condition, the nearest records that meet all the others"`
	WaysOut    []WayOut       `json:"ways_out,omitempty" doc:"Answers with which there are records"`
}

// WhyCondition is what one condition lets through.
type WhyCondition struct {
	Words string `json:"words"`
	Text  string `json:"text" doc:"The condition as the author wrote it"`
	Alone int64  `json:"alone" doc:"How many records it matches by itself"`
	Left  int64  `json:"left" doc:"How many are left once it and those before it are applied"`
}

// WhyClash is two conditions, by their place from 0, the first being earlier.
type WhyClash struct {
	First  int `json:"first"`
	Second int `json:"second"`
}

// WhyNearest is the nearest records outside a date condition.
type WhyNearest struct {
	Condition int    `json:"condition" doc:"The condition's place, from 0"`
	Before    string `json:"before,omitempty" doc:"The nearest date before"`
	After     string `json:"after,omitempty" doc:"The nearest date after"`
}

// WayOut is other answers that lead to records.
type WayOut struct {
	Words  string            `json:"words" doc:"What it does"`
	Inputs map[string]string `json:"inputs" doc:"The answers to give instead, by question"`
}

// Answer is how one question was understood.
type Answer struct {
	Name      string   `json:"name"`
	Label     string   `json:"label"`
	Typed     string   `json:"typed" doc:"What was typed, or the default"`
	Default   bool     `json:"default" doc:"Whether the question was left to its default"`
	Given     bool     `json:"given" doc:"Whether there is an answer at all"`
	Canonical []string `json:"canonical" doc:"The answer in a form that reads back to the same value"`
	ReadBack  string   `json:"readback" doc:"The answer in words"`
	From      string   `json:"from,omitempty" doc:"The first day of a period"`
	Through   string   `json:"through,omitempty" doc:"The last day of a period"`
	Days      int      `json:"days,omitempty" doc:"How many days a period touches"`
}

// Preview is how inputs would be understood, without running anything.
type Preview struct {
	ReadBack string        `json:"readback" doc:"What would be selected, in words; empty while there are problems"`
	Answers  []Answer      `json:"answers"`
	Problems diag.Problems `json:"problems" doc:"Everything that stands in the way of a run"`
}

// Explanation is how a run would come about.
type Explanation struct {
	Report   string `json:"report"`
	Version  int    `json:"version"`
	ReadBack string `json:"readback"`
	AsOf     string `json:"as_of" doc:"The instant taken for now"`
	Zone     string `json:"zone"`
	// Calendar is that which dates, holidays and periods were read by; empty for none.
	Calendar        string         `json:"calendar,omitempty" doc:"The calendar by which dates are read, holidays and periods of its own among them"`
	CalendarVersion int            `json:"calendar_version,omitempty" doc:"The version of the calendar"`
	Answers         []Answer       `json:"answers"`
	Conditions      []dialect.Line `json:"conditions" doc:"Each criterion in words, as written, and as SQL"`
	SQL             string         `json:"sql" doc:"The statement, its values numbered"`
	Values          []BoundValue   `json:"values" doc:"The values bound to it"`
	Findings        diag.Problems  `json:"findings,omitempty" doc:"What can be proved of the criteria with these answers"`
	Plan            *QueryPlan     `json:"plan,omitempty" doc:"How the database would run it, where that was asked for"`
	Files           []string       `json:"files,omitempty" doc:"Of tables that are made of several files, which are read"`
	// Restrictions are what row rules leave.
	Restrictions []Restriction `json:"restrictions,omitempty" doc:"The tables of which not every row may be seen"`
	Computed     []string      `json:"computed,omitempty" doc:"Columns worked out from what the database returns, exactly"`
}

// Restriction is a table of which not every row may be seen.
type Restriction struct {
	Table string     `json:"table"`
	Rows  []SeenRows `json:"rows" doc:"Which rows are seen: those that any of these opens; none where it is empty"`
}

// SeenRows are rows that a rule opens.
type SeenRows struct {
	Title string `json:"title,omitempty" doc:"The rule's title, with the attributes it was told"`
	Words string `json:"words" doc:"Its condition in words"`
}

// BoundValue is one value bound to a statement.
type BoundValue struct {
	Number int `json:"number"`
	Value  any `json:"value"`
}

// RunSummary is what a list of runs tells of one.
type RunSummary struct {
	Run       uint      `json:"run" doc:"The number of the run"`
	Report    string    `json:"report"`
	Version   int       `json:"version" doc:"The version of the report, 0 for a draft"`
	Outcome   string    `json:"outcome" enum:"running,done,empty,failed,refused,cancelled,timed_out,stalled,stopped"`
	Format    string    `json:"format"`
	StartedAt time.Time `json:"started_at"`
	AsOf      string    `json:"as_of" doc:"The instant taken for now"`
	Zone      string    `json:"zone"`
	ReadBack  string    `json:"readback" doc:"What was selected, in words; in a list the beginning of what is long"`
	Count     int64     `json:"count"`
	First     string    `json:"first,omitempty"`
	Last      string    `json:"last,omitempty"`
	Millis    int64     `json:"ms"`
	Problem   string    `json:"problem,omitempty"`
	User      string    `json:"user,omitempty" doc:"Whose run it is, left out for nobody's"`
	Hidden    bool      `json:"hidden,omitempty" doc:"Whether what was typed and found is not shown, since whoever asks may not see the same rows"`
	Forgotten bool      `json:"forgotten,omitempty" doc:"Whether what was typed is kept no longer, so that the run cannot be repeated"`
}

// RunRecord is what is kept of a run: enough to explain and to repeat it.
type RunRecord struct {
	RunSummary
	Sort     []string         `json:"sort,omitempty" doc:"An order of the caller's own"`
	Typed    parameter.Inputs `json:"typed" doc:"What was typed, by question"`
	Resolved map[string]any   `json:"resolved" doc:"What it was read as, by question"`
	Reading  TypedReading     `json:"reading" doc:"How it was read, where the report did not say it"`
	SQL      string           `json:"sql"`
	Values   []BoundValue     `json:"values"`
	Reason   string           `json:"reason,omitempty" doc:"Why no record could match, where that was proved"`
	LeftOut  string           `json:"left_out,omitempty" doc:"How many records were left out because their dates cannot be read"`
	Edges    *output.Edges    `json:"edges,omitempty" doc:"What lies around the period of the run"`
}

// TypedReading is how somebody's numbers and dates were read.
type TypedReading struct {
	Language  string `json:"language,omitempty"`
	DateOrder string `json:"date_order,omitempty"`
	WeekStart string `json:"week_start,omitempty"`
	// MissingYear and TwoDigitYears are those of whoever typed.
	MissingYear   string `json:"missing_year,omitempty"`
	TwoDigitYears string `json:"two_digit_years,omitempty"`
	// Calendar is repeated with a run.
	Calendar        string `json:"calendar,omitempty" doc:"The calendar that says which days are worked and what periods are called"`
	CalendarVersion int    `json:"calendar_version,omitempty" doc:"The version of the calendar"`
}

// QueryPlan is how the database would go about a run.
type QueryPlan struct {
	Advice []string `json:"advice" doc:"In words: whether the date criterion can use an index, and which one would help if none can"`
	Steps  []string `json:"steps" doc:"The plan as the database tells it"`
}
