// Package period is the language in which people say "from … to …".
//
// An expression is read in a calendar context to a half-open span of civil
// time [From, Until): the start is in, the end is out, and an end that is
// typed covers the whole of what is written.
//
//	2026-03-14                    that day
//	2026-03, 2026-Q1, 2026        the whole of it
//	last month, last 7 days       whole units before the running one
//	2026-03-01/2026-03-31         both days in
//	2026-03-01 to 2026-03-31      the same
//	2026-03-01/..                 no end
//	P7D/2026-03-31                seven days, the last of them 31 March
//	this month - 1 year           both ends moved
//
// Reading goes in two steps. Parse turns text into a tree of the closed set
// of nodes in tree.go; Resolve turns the tree into a Span. Both report every
// problem with its place in characters. Nothing reads the clock.
package period
