package sqltext

import (
	"slices"
	"strings"
)

// Reading is what a statement may read, as far as its text tells: every name that
// stands in it, so that none is missed. Which of them are tables and columns the
// catalogue knows.
type Reading struct {
	// Names are the words and quoted names of the statement that may be names of
	// tables or columns, in lower case, each once.
	Names []string
	// Tables are the names that follow from, join or a comma there, with the names
	// that they are given.
	Tables []TableName
	// Whole are names that stand for all columns of their table: "t.*", or a table as
	// a value. All tells that all columns of all tables are meant.
	Whole []string
	All   bool
	// Unknown is what cannot be followed: a function that may read anything, or names
	// that are written in escapes.
	Unknown []string
}

// TableName is a table as a statement names it.
type TableName struct {
	// Name is in lower case, perhaps after that of its schema; Alias is the name it is
	// given, or its own, in lower case; and As that name as the engine has it.
	Name, Alias, As string
}

// ReadingOf tells what a statement may read.
func ReadingOf(text string, flavour Flavour) Reading {
	s := splitter{text: text, flavour: flavour}
	s.split()
	s.tokens = slices.DeleteFunc(s.tokens, func(t token) bool { return t.text == "" })
	r := newReading(text, flavour, s.tokens)
	r.read()
	return r.Reading
}

func newReading(text string, flavour Flavour, tokens []token) reading {
	return reading{text: text, flavour: flavour, tokens: tokens, seen: map[string]bool{}, defined: map[int]bool{}, placed: map[int]string{}, schemas: map[int]bool{}}
}

type reading struct {
	Reading
	text    string
	flavour Flavour
	tokens  []token
	// defined are the tokens where tables are named, and given their names.
	defined map[int]bool
	// placed are the names of tables where they are named, by their last token; schemas
	// are the tokens of schemas before them.
	placed  map[int]string
	schemas map[int]bool
	// closing is where the parenthesis that opens at a token is closed.
	closing map[int]int
	// seen is what was told already, by the list it was told in.
	seen map[string]bool
}

// once adds to a list what it does not have.
func (r *reading) once(list *[]string, kind, what string) {
	if key := kind + what; !r.seen[key] {
		r.seen[key] = true
		*list = append(*list, what)
	}
}

// match finds where parentheses are closed.
func (r *reading) match() {
	r.closing = map[int]int{}
	var open []int
	for i, t := range r.tokens {
		switch {
		case t.is("("):
			open = append(open, i)
		case t.is(")") && len(open) > 0:
			r.closing[open[len(open)-1]] = i
			open = open[:len(open)-1]
		}
	}
}

func (r *reading) at(i int) token {
	if i < 0 || i >= len(r.tokens) {
		return token{kind: tMark}
	}
	return r.tokens[i]
}

// isName tells whether a token can be a name.
func (t token) isName() bool {
	return t.kind == tName || t.kind == tWord && !reserved[t.text] && (t.text[0] < '0' || t.text[0] > '9')
}

func (r *reading) read() {
	r.match()
	for i, t := range r.tokens {
		switch {
		case t.is("*"):
			r.star(i)
		case t.is("natural"):
			r.All = true
		case t.is("from") || t.is("join") || t.is("straight_join"):
			r.tables(i + 1)
		case t.kind == tName && r.at(i-1).is("&") && r.at(i-2).is("u"): // U&"\0061"
			r.unknown("a name in escapes")
		}
		if !t.isName() && !(t.kind == tWord && r.at(i-1).is(".")) {
			continue
		}
		r.once(&r.Names, "name ", strings.ToLower(t.text))
		if r.at(i+1).is("(") && r.calls(i) && !(t.kind == tWord && harmless[t.text]) {
			r.unknown("the function " + t.text)
		}
	}
	tables := map[string]bool{}
	for _, table := range r.Tables {
		tables[table.Alias] = true
	}
	for i, t := range r.tokens { // a table as a value
		if named := tables[strings.ToLower(t.text)]; t.isName() && named && !r.defined[i] && !r.at(i+1).is(".") && !r.at(i-1).is(".") {
			r.whole(strings.ToLower(t.text))
		}
	}
}

func (r *reading) whole(name string) { r.once(&r.Whole, "whole ", name) }

func (r *reading) unknown(what string) { r.once(&r.Unknown, "unknown ", what) }

// star tells a list of all columns from a multiplication and from count(*).
func (r *reading) star(i int) {
	before := r.at(i - 1)
	switch {
	case before.is("."):
		r.whole(strings.ToLower(r.at(i - 2).text))
	case before.is("(") && r.at(i-2).is("count"):
	case before.is("select") || before.is("distinct") || before.is("all") || before.is(",") || before.is("("):
		r.All = true
	}
}

// tables reads a list of tables.
func (r *reading) tables(i int) {
	for {
		for r.at(i).is("(") || r.at(i).is("lateral") || r.at(i).is("only") {
			i++
		}
		if !r.at(i).isName() {
			return
		}
		name, alias := r.at(i).text, r.at(i)
		for r.at(i+1).is(".") && i+2 < len(r.tokens) {
			r.schemas[i] = true
			i += 2
			alias = r.at(i)
			name += "." + alias.text
		}
		r.defined[i], r.placed[i] = true, strings.ToLower(name)
		i++
		if r.at(i).is("as") {
			i++
		}
		if r.at(i).isName() {
			r.defined[i] = true
			alias = r.at(i)
			i++
		}
		r.Tables = append(r.Tables, TableName{strings.ToLower(name), strings.ToLower(alias.text), r.kept(alias)})
		if !r.at(i).is(",") {
			return
		}
		i++
	}
}

// kept is a name as the engine keeps it: PostgreSQL makes those that are not quoted
// small, others leave them.
func (r *reading) kept(t token) string {
	if t.kind == tName || r.flavour.Dollars {
		return t.text
	}
	return r.text[t.start:t.end]
}

// calls tells whether a name before a parenthesis is that of a function.
func (r *reading) calls(i int) bool {
	before := r.at(i - 1)
	if before.is("as") || before.is(")") || before.is("with") || before.is("recursive") {
		return false // a type, or a name with those of its columns
	}
	end, closed := r.closing[i+1]
	after := r.at(end + 2)
	isQuery := closed && r.at(end+1).is("as") && (after.is("(") || after.is("materialized") || after.is("not")) // x (a, b) as (…)
	return !isQuery
}

func set(words string) map[string]bool {
	made := map[string]bool{}
	for _, word := range strings.Fields(words) {
		made[word] = true
	}
	return made
}

// reserved are words of SQL that are no names unless they are quoted.
var reserved = set(`all and any as asc between both by case cast collate cross desc distinct else end escape except exists false fetch filter first for from full
	group having in inner intersect into is join last lateral leading left like ilike limit natural not null nulls of offset on only or order outer over partition
	range recursive regexp right rlike row rows select similar some straight_join symmetric tablesample then trailing true union unknown using values when where window with within`)

// harmless are functions that read nothing but what they are given; source: the
// manuals of the engines. What follows the types is written like a call.
var harmless = set(`abs acos age array array_agg array_length array_position array_to_string ascii asin atan atan2 avg bit_and bit_length bit_or bit_xor bool_and bool_or btrim
	cardinality ceil ceiling char char_length character character_length chr clock_timestamp coalesce concat concat_ws convert corr cos cot count covar_pop covar_samp cume_dist
	curdate current_date current_time current_timestamp curtime date date_add date_bin date_diff date_format date_part date_sub date_trunc datediff datetime day dayname dayofmonth
	dayofweek dayofyear dec decimal degrees dense_rank div elt encode every exp extract field find_in_set first_value floor format from_days from_unixtime generate_series
	glob greatest group_concat grouping hex hour if ifnull iif initcap insert instr interval isfinite isnull json json_agg json_array json_array_elements json_array_elements_text
	json_array_length json_arrayagg json_build_array json_build_object json_each json_each_text json_extract json_extract_path json_extract_path_text json_object json_object_agg
	json_objectagg json_quote json_tree json_type json_unquote json_valid json_value jsonb_agg jsonb_array_elements jsonb_array_elements_text jsonb_array_length jsonb_build_array
	jsonb_build_object jsonb_each jsonb_each_text jsonb_extract_path jsonb_extract_path_text jsonb_object_agg julianday justify_days justify_hours justify_interval lag last_day
	last_value lcase lead least left length ln localtime localtimestamp locate log log10 log2 lower lpad ltrim make_date make_interval make_time make_timestamp max md5 mid min minute
	mod mode month monthname now nth_value ntile nullif num_nonnulls num_nulls numeric nvarchar octet_length overlay percent_rank percentile_cont percentile_disc pi position pow power
	printf quarter quote radians random rank regexp_count regexp_instr regexp_like regexp_match regexp_matches regexp_replace regexp_split_to_array regexp_split_to_table
	regexp_substr repeat replace reverse right round row_number rpad rtrim sec_to_time second sha1 sha2 sha256 sign sin space split_part sqrt starts_with std stddev stddev_pop
	stddev_samp str_to_date strcmp strftime string_agg string_to_array strpos subdate substr substring substring_index subtime sum tan time time_format time_to_sec timediff
	timestamp timestampadd timestampdiff timestamptz to_char to_date to_days to_hex to_json to_jsonb to_number to_timestamp total translate trim trunc truncate typeof ucase unicode
	unixepoch unix_timestamp unnest upper utc_date utc_time utc_timestamp var_pop var_samp varbinary varchar variance week weekday weekofyear width_bucket year yearweek criteria
	rollup cube sets materialized`)
