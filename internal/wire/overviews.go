package wire

// OverviewForm is what an overview asks, and what stands on its page.
type OverviewForm struct {
	ReportForm
	Parts []OverviewPart `json:"parts" doc:"What stands on the page, in this order"`
}

// OverviewPart is one report on the page of an overview.
type OverviewPart struct {
	Report string `json:"report" doc:"The report's name, blank where whoever asks may not see it"`
	Title  string `json:"title" doc:"What people read above it"`
	Show   string `json:"show" enum:"records,chart,number" doc:"What is shown of it"`
	Width  string `json:"width" enum:"third,half,whole" doc:"How much of the page's width it takes"`
	// Takes is, by question of the report, the one of the page that answers it.
	Takes   map[string]string `json:"takes,omitempty" doc:"The question of the page that answers one of the report, by the latter"`
	Fixed   map[string]string `json:"fixed,omitempty" doc:"What the page answers itself, by question of the report"`
	Problem string            `json:"problem,omitempty" doc:"Why nothing can be shown of it"`
}
