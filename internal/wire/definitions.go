package wire

import (
	"time"

	"pikegate/core/definition"
	"pikegate/core/diag"
	"pikegate/core/phrase"
)

// DefinitionInfo is one definition in a list.
type DefinitionInfo struct {
	Kind  string `json:"kind"`
	Name  string `json:"name"`
	Title string `json:"title"`
	// Folder is where it lies.
	Folder string `json:"folder,omitempty" doc:"The folder it lies in, left out for the topmost"`
	// Version is the newest published one, 0 if there is none.
	Version int `json:"version" doc:"The newest published version, 0 if there is none"`
	// Draft tells that what was pushed last differs from it.
	Draft bool `json:"draft" doc:"Whether what was pushed last is not published yet"`
	// Revision counts the changes of what was pushed.
	Revision int `json:"revision,omitempty" doc:"How often what was pushed last was changed; to be given with the next change"`
	// Unchanged tells that a push changed nothing.
	Unchanged bool `json:"unchanged,omitempty" doc:"Whether it was pushed just so before"`
}

// Keeping is how definitions are kept as drafts.
type Keeping struct {
	Revisions map[string]int `json:"revisions,omitempty" doc:"By kind and name, such as \"report passages-by-date\", the revision of the draft it was changed from; where the draft is at another one by now, nothing is kept and both changes are told"`
	Merge     bool           `json:"merge,omitempty" doc:"Whether both changes are kept where they touch different fields"`
	Preview   bool           `json:"preview,omitempty" doc:"Whether it is only told what would change"`
}

// DraftChange tells in words how a draft becomes another one.
type DraftChange struct {
	Kind        string                  `json:"kind"`
	Name        string                  `json:"name"`
	New         bool                    `json:"new,omitempty" doc:"Whether there was no draft of it"`
	Differences []definition.Difference `json:"differences" doc:"How it differs from the draft before"`
	// Merged is the text with both changes.
	Merged string `json:"merged,omitempty" doc:"The text with the change that somebody else made meanwhile, where both were kept"`
}

// Checked is what a check found, and what it looked at.
type Checked struct {
	Definitions []DefinitionInfo `json:"definitions"`
	// Warnings deserve a look and stop nothing.
	Warnings diag.Problems `json:"warnings,omitempty"`
	Changes  []DraftChange `json:"changes,omitempty" doc:"What becomes other in the drafts"`
}

// Published is what was found of one published report.
type Published struct {
	Report   string          `json:"report"`
	Version  int             `json:"version"`
	Problems diag.Problems   `json:"problems" doc:"What no longer fits the database as it is now"`
	Examples []ExampleResult `json:"examples" doc:"What became of its examples"`
}

// Examination is everything that can be told of definitions that are being
// written.
type Examination struct {
	Definitions []DefinitionInfo  `json:"definitions" doc:"What could be read"`
	Problems    diag.Problems     `json:"problems" doc:"Everything that was found, warnings among it"`
	Readings    []CriteriaInWords `json:"readings" doc:"The criteria of queries and reports in words"`
	Words       []Word            `json:"words" doc:"What can be written in the criteria of the first definition"`
	Examples    []ExampleResult   `json:"examples,omitempty" doc:"What became of the examples, where they were to be run"`
}

// CriteriaInWords is the criteria of a definition in words. A question without a
// default is read as left blank.
type CriteriaInWords struct {
	Kind       string             `json:"kind"`
	Name       string             `json:"name"`
	Conditions []ConditionInWords `json:"conditions"`
}

// ConditionInWords is one criterion as written and in words.
type ConditionInWords struct {
	Text  string `json:"text"`
	Words string `json:"words"`
}

// ExampleResult is what became of an example of a report.
type ExampleResult struct {
	Report string `json:"report"`
	Number int    `json:"number" doc:"Which of the report's examples it is, from 1"`
	Kept   bool   `json:"kept" doc:"Whether what was expected was found"`
	Words  string `json:"words" doc:"What was asked and what was found, in a sentence"`
}

// Dependent is a definition that uses another.
type Dependent struct {
	Kind string `json:"kind"`
	Name string `json:"name"`
	// Draft and Published tell which of them uses it.
	Draft     bool `json:"draft" doc:"Whether what was pushed last uses it"`
	Published bool `json:"published" doc:"Whether the newest published version uses it"`
	// Through is what stands between, empty for a direct use.
	Through string `json:"through,omitempty" doc:"What stands between, empty for a direct use"`
}

// Unfit is a definition that does not fit its source as that is now.
type Unfit struct {
	Kind string `json:"kind"`
	Name string `json:"name"`
	// Draft and Version tell which of them: what was pushed last, what is published.
	Draft    bool          `json:"draft" doc:"Whether it is what was pushed last"`
	Version  int           `json:"version,omitempty" doc:"The version that is published, where it is that"`
	Problems diag.Problems `json:"problems" doc:"What does not fit, with the nearest tables and columns as ways out"`
}

// Renaming is a name that something gets: a definition, or a column or a question of it.
type Renaming struct {
	Kind     string `json:"kind" enum:"query,report,criterion,parameter,source,calendar,overview,schedule,rule" doc:"The kind of the definition" example:"query"`
	Name     string `json:"name" maxLength:"200" doc:"Its name" example:"lock-passages"`
	Column   string `json:"column,omitempty" maxLength:"200" doc:"The column of its result that gets another name, instead of the definition" example:"toll"`
	Question string `json:"question,omitempty" maxLength:"200" doc:"The question that gets another name, instead of the definition" example:"period"`
	To       string `json:"to" minLength:"1" maxLength:"200" doc:"The new name" example:"dues"`
	Keep     bool   `json:"keep,omitempty" doc:"Whether the changes are kept as drafts; else they are only shown"`
}

// Renamed is what changes with a name.
type Renamed struct {
	Changes []RenamedIn `json:"changes" doc:"The drafts that change"`
	// Stays is what is still there under its old name.
	Stays    []Dependent      `json:"stays,omitempty" doc:"What stays under its old name, for what is published or not to be seen uses it"`
	Warnings diag.Problems    `json:"warnings,omitempty"`
	Kept     []DefinitionInfo `json:"kept,omitempty" doc:"The drafts as they are kept"`
}

// RenamedIn is a draft that says another name.
type RenamedIn struct {
	Kind    string        `json:"kind"`
	Name    string        `json:"name"`
	Becomes string        `json:"becomes,omitempty" doc:"Its new name, where it is itself renamed"`
	Lines   []ChangedLine `json:"lines"`
}

// ChangedLine is a line of a text that changed.
type ChangedLine struct {
	Line int    `json:"line"`
	Was  string `json:"was"`
	Is   string `json:"is,omitempty" doc:"How it reads now, left out where lines were put together"`
}

// Version is one published version of a definition.
type Version struct {
	Number      int       `json:"number"`
	PublishedAt time.Time `json:"published_at"`
}

// Review is what publishing a name would do.
type Review struct {
	Changes  []Change        `json:"changes" doc:"What would be published, what is used first"`
	Problems diag.Problems   `json:"problems" doc:"What stands in the way, and warnings"`
	Examples []ExampleResult `json:"examples" doc:"What becomes of the examples of the reports"`
	Users    []Dependent     `json:"users" doc:"What uses it in its published version; a report goes on with the version it was published with"`
}

// Change is one definition that would be published.
type Change struct {
	Kind        string                  `json:"kind"`
	Name        string                  `json:"name"`
	Version     int                     `json:"version" doc:"The version it would become"`
	Differences []definition.Difference `json:"differences" doc:"How it differs from the version before, empty for the first"`
}

// Word is something that can be written in a definition's expressions.
type Word struct {
	Text  string `json:"text" doc:"What is written"`
	Kind  string `json:"kind" enum:"column,question,function,criterion,query,table,word"`
	About string `json:"about,omitempty" doc:"What it is, in a few words"`
}

// CriteriaTree is the criteria of a definition, taken apart into conditions that can be
// pointed at and changed.
type CriteriaTree struct {
	Kind      string        `json:"kind"`
	Name      string        `json:"name"`
	Criteria  string        `json:"criteria" doc:"The text"`
	Condition phrase.Phrase `json:"condition" doc:"The conditions of the text: a group of which all must hold"`
	Problems  diag.Problems `json:"problems,omitempty" doc:"Why the text cannot be read; it is one piece of text then"`
}

// ConditionCounts is how many records the conditions of a query let through.
type ConditionCounts struct {
	// Many tells that nothing was counted, for that would take long.
	Many       bool             `json:"many,omitempty" doc:"Whether nothing was counted: the table has more than a million records, or it took too long"`
	Records    int64            `json:"records" doc:"How many records there are without any condition"`
	Conditions []ConditionCount `json:"conditions"`
}

// ConditionCount is how many records a condition lets through.
type ConditionCount struct {
	ID    string `json:"id" doc:"Which condition it is, its places from the outside in: \"1.0\""`
	Open  bool   `json:"open,omitempty" doc:"Whether it restricts nothing with these answers"`
	Alone *int64 `json:"alone,omitempty" doc:"How many records meet it"`
	Left  *int64 `json:"left,omitempty" doc:"How many meet it and those before it, of one that is in no group"`
}
