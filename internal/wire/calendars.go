package wire

// CalendarInfo is one of the calendars in the list.
type CalendarInfo struct {
	Name    string `json:"name"`
	Title   string `json:"title"`
	About   string `json:"about,omitempty"`
	Version int    `json:"version" doc:"The version that is published"`
}

// CalendarYear is a year as a calendar has it.
type CalendarYear struct {
	CalendarInfo
	Year      int      `json:"year"`
	Known     bool     `json:"known" doc:"Whether the holidays of the year are known"`
	WeekStart string   `json:"week_start"`
	Working   []string `json:"working" doc:"The weekdays that are worked"`
	// Months are twelve, in order.
	Months   []CalendarStretch `json:"months"`
	Weeks    []CalendarStretch `json:"weeks" doc:"Its ISO weeks, in order"`
	Fiscal   []CalendarStretch `json:"fiscal" doc:"The fiscal years, quarters, periods and weeks that the year has days of"`
	Periods  []CalendarStretch `json:"periods" doc:"The named periods that the year has days of"`
	Holidays []CalendarHoliday `json:"holidays"`
}

// CalendarStretch is some days of a calendar.
type CalendarStretch struct {
	Name    string `json:"name" doc:"What it is called, and how it is written" example:"season 2026"`
	Kind    string `json:"kind" doc:"What it is one of" example:"season"`
	From    string `json:"from" doc:"Its first day"`
	Through string `json:"through" doc:"Its last day"`
	Days    int    `json:"days"`
	Worked  int    `json:"worked" doc:"How many of its days are worked"`
}

// CalendarHoliday is a day nobody works on.
type CalendarHoliday struct {
	Day  string `json:"day"`
	Name string `json:"name,omitempty"`
	Off  bool   `json:"off,omitempty" doc:"Whether it would not be worked anyway"`
}
