package wire

import (
	"time"

	"pikegate/core/parameter"
)

// Coverage is how many records each unit of time holds.
type Coverage struct {
	Question string `json:"question" doc:"The question whose column is looked at"`
	By       string `json:"by" doc:"The unit: day, week, month, quarter, half, year, a fiscal one or a period of the calendar"`
	Zone     string `json:"zone"`
	Total    int64  `json:"total" doc:"How many records in all"`
	Blank    int64  `json:"blank" doc:"How many of them have no date"`
	Unfit    int64  `json:"unfit,omitempty" doc:"How many of them have something stored there that is no date of the column"`
	Outside  int64  `json:"outside,omitempty" doc:"How many of them are in no such unit"`
	// Units are those that hold records, in order.
	Units []CoveredUnit `json:"units"`
}

// CoveredUnit is one unit of time that holds records.
type CoveredUnit struct {
	Period   string `json:"period" doc:"The unit as a period expression"`
	ReadBack string `json:"readback" doc:"The unit in words"`
	Name     string `json:"name,omitempty" doc:"What the unit is called, where its days do not tell: season 2025, FY2026-Q2"`
	From     string `json:"from" doc:"Its first day"`
	Through  string `json:"through" doc:"Its last day"`
	Count    int64  `json:"count"`
}

// ReportInfo is one report in the list.
type ReportInfo struct {
	Name    string     `json:"name"`
	Title   string     `json:"title"`
	About   string     `json:"about,omitempty"`
	Tags    []string   `json:"tags,omitempty"`
	Folder  string     `json:"folder,omitempty" doc:"The folder it lies in, left out for the topmost"`
	Version int        `json:"version"`
	LastRun *time.Time `json:"last_run,omitempty" doc:"When it was last run"`
}

// ReportForm is what a report asks.
type ReportForm struct {
	ReportInfo
	Zone      string         `json:"zone" doc:"The IANA zone in which days begin and end"`
	Calendar  string         `json:"calendar,omitempty" doc:"The calendar whose holidays and named periods it goes by"`
	Today     string         `json:"today" doc:"The day it is in the zone"`
	Questions []FormQuestion `json:"questions"`
}

// FormQuestion is one question, with what its default and limits mean today.
type FormQuestion struct {
	parameter.Parameter
	DefaultReadBack string `json:"default_readback,omitempty" doc:"What the default means today, in words"`
	Earliest        string `json:"earliest,omitempty" doc:"The first day allowed"`
	Latest          string `json:"latest,omitempty" doc:"The last day allowed"`
	// Suggested are the days of its quick answers, in their order.
	Suggested []Days `json:"suggested,omitempty" doc:"The days that its quick answers mean today, in their order"`
}

// Days are the first and the last day of a period, blank where that is open.
type Days struct {
	From    string `json:"from,omitempty" doc:"The first day; left out where the period has no start"`
	Through string `json:"through,omitempty" doc:"The last day; left out where the period has no end"`
}
