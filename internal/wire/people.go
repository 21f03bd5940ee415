package wire

import (
	"time"

	"pikegate/core/catalog"
	"pikegate/core/parameter"
)

// Me is who asks, and what they may do.
type Me struct {
	State   string `json:"state" enum:"open,closed" doc:"open as long as there are no users: whoever reaches the machine may do everything"`
	Name    string `json:"name,omitempty" doc:"The user; left out in the open state"`
	Display string `json:"display,omitempty" doc:"How others see the name"`
	Role    string `json:"role" enum:"reader,author,administrator"`
	Profile
	Groups       []string            `json:"groups,omitempty"`
	Attributes   map[string][]string `json:"attributes,omitempty" doc:"What row rules ask for"`
	Folders      map[string]string   `json:"folders,omitempty" doc:"Rights by folder; the blank one is the topmost"`
	Sources      map[string]string   `json:"sources,omitempty" doc:"Rights by source; * is all of them"`
	SecondFactor bool                `json:"second_factor" doc:"Whether a second factor is asked for at sign-in"`
	Recovery     int                 `json:"recovery,omitempty" doc:"How many of the codes that were written down are left"`
	By           string              `json:"by" enum:"open,session,token" doc:"How they signed in"`
	SeenBy       string              `json:"seen_by,omitempty" doc:"The administrator who looks at what this user sees"`
	Writes       bool                `json:"writes" doc:"Whether anything can be changed with it"`
}

// Profile is how somebody likes to be spoken to.
type Profile struct {
	Email     string `json:"email,omitempty" maxLength:"320"`
	Language  string `json:"language,omitempty" maxLength:"35" doc:"The language numbers and dates are typed in, where a report does not say it, as a BCP 47 tag" example:"de"`
	Zone      string `json:"zone,omitempty" maxLength:"100" doc:"The IANA zone in which the console shows when something was done; a report's own days are those of its zone" example:"Europe/London"`
	DateOrder string `json:"date_order,omitempty" enum:"dmy,mdy,language" doc:"How 03/04/2026 is read, where a report does not say it"`
	// MissingYear and TwoDigitYears are as in the settings of calendars.
	MissingYear   string            `json:"missing_year,omitempty" enum:"latest,running,next" doc:"Which year 15 May is in, where a report does not say it"`
	TwoDigitYears string            `json:"two_digit_years,omitempty" maxLength:"4" doc:"The first of the hundred years that years of two digits are in, where a report does not say it" example:"1970"`
	WeekStart     string            `json:"week_start,omitempty" enum:"monday,tuesday,wednesday,thursday,friday,saturday,sunday" doc:"The first day of the week, where a report does not say it"`
	CSV           catalog.CSVFormat `json:"csv,omitzero" doc:"How a CSV is written, where a report does not say it"`
	Guard         bool              `json:"guard,omitempty" doc:"Whether texts that a spreadsheet would take for formulas get an apostrophe before them in CSV"`
}

// User is somebody who can sign in.
type User struct {
	Name         string              `json:"name"`
	Display      string              `json:"display,omitempty"`
	Email        string              `json:"email,omitempty"`
	Role         string              `json:"role" enum:"reader,author,administrator"`
	Groups       []string            `json:"groups"`
	Attributes   map[string][]string `json:"attributes,omitempty" doc:"What row rules ask for"`
	Disabled     bool                `json:"disabled"`
	HasPassword  bool                `json:"has_password" doc:"Whether a password was set"`
	SecondFactor bool                `json:"second_factor"`
	CreatedAt    time.Time           `json:"created_at"`
}

// UserChange is what is to be changed of a user; what is left out stays.
type UserChange struct {
	Display    *string              `json:"display,omitempty" maxLength:"200" doc:"How others see the name"`
	Email      *string              `json:"email,omitempty" maxLength:"320"`
	Role       *string              `json:"role,omitempty" enum:"reader,author,administrator"`
	Attributes *map[string][]string `json:"attributes,omitempty" doc:"What row rules ask for, in the place of all there are"`
	Groups     *[]string            `json:"groups,omitempty" doc:"The groups they are in, in the place of all there are"`
	Disabled   *bool                `json:"disabled,omitempty" doc:"Whether they may no longer sign in"`
	// NoFactor takes the second factor away, for somebody who has lost it.
	NoFactor bool `json:"no_second_factor,omitempty" doc:"Take the second factor away"`
}

// Invitation is a link that a user sets their password with, once, within a day.
type Invitation struct {
	User    string    `json:"user"`
	Link    string    `json:"link" doc:"To be opened in a browser"`
	Expires time.Time `json:"expires"`
}

// Group is a set of users.
type Group struct {
	Name    string   `json:"name"`
	Title   string   `json:"title,omitempty"`
	Members []string `json:"members"`
}

// Grant gives a user or a group a right in a folder and all below it, or on a source.
type Grant struct {
	Folder *string `json:"folder,omitempty" yaml:"folder,omitempty" maxLength:"200" doc:"The folder, blank for the topmost"`
	Source string  `json:"source,omitempty" yaml:"source,omitempty" maxLength:"200" doc:"The source, * for all of them"`
	// Destination is folder:NAME, mail:DOMAIN, web:HOST or keep, with * for every one of a way.
	Destination string `json:"destination,omitempty" yaml:"destination,omitempty" maxLength:"300" doc:"Where schedules may deliver: folder:NAME, mail:DOMAIN, web:HOST or keep; * for every one of a way"`
	Right       string `json:"right" yaml:"right" enum:"run,draft,publish,manage,read,sql,deliver" doc:"In a folder run, draft, publish or manage; on a source read, sql or manage, each with those before it; to a destination deliver"`
	User        string `json:"user,omitempty" yaml:"user,omitempty" maxLength:"100"`
	Group       string `json:"group,omitempty" yaml:"group,omitempty" maxLength:"100"`
}

// Session is a browser somebody is signed in with.
type Session struct {
	ID      string    `json:"id"`
	Begun   time.Time `json:"begun"`
	Seen    time.Time `json:"seen" doc:"When it was last used"`
	Address string    `json:"address"`
	Client  string    `json:"client,omitempty" doc:"What the browser says it is"`
	This    bool      `json:"this" doc:"Whether it is the one that asks"`
}

// Token is what a script signs in with.
type Token struct {
	ID      uint             `json:"id"`
	User    string           `json:"user"`
	Name    string           `json:"name"`
	Scope   string           `json:"scope" enum:"full,read,report,link" doc:"Whether it can do what its user can, only read, only run one report, or is part of an address that a spreadsheet reads"`
	Report  string           `json:"report,omitempty"`
	Inputs  parameter.Inputs `json:"inputs,omitempty"`
	Created time.Time        `json:"created"`
	Expires time.Time        `json:"expires"`
	Used    *time.Time       `json:"used,omitempty" doc:"When it was last used"`
	// Secret is the token itself, given when it is made and never again.
	Secret string `json:"token,omitempty" doc:"The token itself, given this once"`
}

// NewToken is a token to be made.
type NewToken struct {
	Name   string           `json:"name" minLength:"1" maxLength:"100" doc:"What it is for"`
	Scope  string           `json:"scope,omitempty" enum:"full,read,report,link" doc:"full where left out"`
	Report string           `json:"report,omitempty" maxLength:"200" doc:"The one report of the scopes report and link"`
	Inputs parameter.Inputs `json:"inputs,omitempty" doc:"Its answers; periods such as last month are read at each run"`
	Days   int              `json:"days,omitempty" minimum:"1" maximum:"3650" doc:"How long it can be used; 90 where left out"`
}

// SavedAnswers are answers to a report or an overview under a name.
type SavedAnswers struct {
	Name   string           `json:"name" maxLength:"200" doc:"What they are called"`
	Shared bool             `json:"shared" doc:"Whether they are for all readers, or for oneself"`
	Begins bool             `json:"begins" doc:"Whether the page begins with them; one's own come before those for all"`
	Inputs parameter.Inputs `json:"inputs" doc:"The answers by question, as they were typed"`
}

// SecretInfo is a password of sources that is kept sealed.
type SecretInfo struct {
	Name string    `json:"name"`
	At   time.Time `json:"at" doc:"When it was set"`
}

// Factor is a second factor that waits to be confirmed with a code.
type Factor struct {
	Secret  string `json:"secret" doc:"To be typed into an authenticator"`
	Address string `json:"address" doc:"The same for one that reads addresses (otpauth)"`
}

// ReportReader is somebody who can run a report, and why.
type ReportReader struct {
	User    string   `json:"user"`
	Display string   `json:"display,omitempty"`
	Because []string `json:"because" doc:"Each role or right that lets them, in words"`
}

// AppliedRights is what applying rights changed.
type AppliedRights struct {
	Given []Grant `json:"given"`
	Taken []Grant `json:"taken"`
}

// AuditEntry is what the audit log says of something that was done.
type AuditEntry struct {
	Number int64     `json:"number"`
	At     time.Time `json:"at"`
	Who    string    `json:"who,omitempty" doc:"The user; left out for whoever is at the machine, or in the open state"`
	From   string    `json:"from,omitempty" doc:"Their address"`
	What   string    `json:"what" example:"user.changed"`
	To     string    `json:"to,omitempty" doc:"What it was done to"`
	Before any       `json:"before,omitempty"`
	After  any       `json:"after,omitempty"`
}

// Verified is what became of verifying the audit log.
type Verified struct {
	Whole   bool   `json:"whole" doc:"Whether every entry is as it was written, and none is missing"`
	Head    string `json:"head" doc:"The end of the log as far as it is whole: note it somewhere else, and give it the next time"`
	Entries int64  `json:"entries" doc:"How many entries are whole"`
	Problem string `json:"problem,omitempty" doc:"Where the log is not as it was written"`
}
