package sqltext

import "strings"

// Compared is a condition of a statement that compares a column with values that are
// written in it.
type Compared struct {
	// Table and Column are as they are written, without quotes; Table may be empty.
	Table, Column string
	// Op is a comparison, "between", "in" or "like"; Not tells that "not" stands before it,
	// and Denied that it stands before the whole.
	Op          string
	Not, Denied bool
	Values      []Literal
	// Next tells that the following condition is joined by "and".
	Next bool
	// Start and End are its place, in bytes.
	Start, End int
}

// Literal is a value that is written in a statement: a number as it is written, or a text
// without its quotes.
type Literal struct {
	Text   string
	Number bool
}

// ComparedIn finds the conditions of a statement that compare a column with values; those on
// groups are none of them, nor what stands in braces already.
func ComparedIn(text string, flavour Flavour) (found []Compared) {
	s := splitter{text: text, flavour: flavour}
	s.split()
	c := comparing{text: text, tokens: s.tokens}
	clause := ""
	for c.at < len(c.tokens) {
		t := c.tokens[c.at]
		if t.kind == tWord && clauses[t.text] {
			clause = t.text
		}
		if conditions[clause] && c.begins() {
			before := c.at
			if one, ok := c.condition(); ok {
				found = append(found, one)
				continue
			}
			c.at = before
		}
		c.at++
	}
	return found
}

// clauses begin a part of a statement, and conditions are those in which conditions stand.
var (
	clauses    = map[string]bool{"select": true, "from": true, "where": true, "on": true, "having": true, "group": true, "order": true, "limit": true, "union": true, "values": true, "filter": true}
	conditions = map[string]bool{"where": true, "on": true}
)

type comparing struct {
	text   string
	tokens []token
	at     int
}

func (c *comparing) peek(n int) token {
	if c.at+n < 0 || c.at+n >= len(c.tokens) {
		return token{}
	}
	return c.tokens[c.at+n]
}

// begins tells whether a condition can begin here.
func (c *comparing) begins() bool {
	t := c.peek(0)
	if t.kind != tName && (t.kind != tWord || t.text == "" || !isNameStart(t.text[0]) && t.text[0] < 0x80) {
		return false
	}
	for n := -1; ; n-- {
		switch before := c.peek(n); {
		case before.is("("):
			if c.peek(n-1).kind == tWord && !joins[c.peek(n-1).text] {
				return false // arguments
			}
		case before.is("where"), before.is("on"), before.is("and"), before.is("or"), before.is("not"):
			return true
		default:
			return false
		}
	}
}

// joins are the words before a parenthesis around conditions.
var joins = map[string]bool{"where": true, "on": true, "and": true, "or": true, "not": true}

// condition reads a column and what it is compared with.
func (c *comparing) condition() (made Compared, ok bool) {
	first, before := c.peek(0), c.peek(-1)
	names := []string{c.written(first)}
	c.at++
	for c.peek(0).is(".") && (c.peek(1).kind == tWord || c.peek(1).kind == tName) {
		names = append(names, c.written(c.peek(1)))
		c.at += 2
	}
	made = Compared{Column: names[len(names)-1], Start: first.start}
	if before.is("not") {
		made.Denied, made.Start = true, before.start
	}
	if len(names) > 1 {
		made.Table = names[len(names)-2]
	}
	if c.peek(0).is("not") {
		made.Not = true
		c.at++
	}
	op := c.peek(0)
	c.at++
	switch {
	case op.kind == tMark && !made.Not && strings.Contains(" = <> != < <= > >= ", " "+op.text+" "):
		made.Op = strings.Replace(op.text, "!=", "<>", 1)
		ok = c.value(&made)
	case op.is("between"):
		made.Op = "between"
		if ok = c.value(&made) && c.peek(0).is("and"); ok {
			c.at++
			ok = c.value(&made)
		}
	case op.is("in") && c.peek(0).is("("):
		made.Op = "in"
		for ok = true; ok && !c.peek(0).is(")"); {
			c.at++
			ok = c.value(&made)
			ok = ok && (c.peek(0).is(",") || c.peek(0).is(")"))
		}
		c.at++
	case op.is("like"):
		made.Op = "like"
		ok = c.value(&made)
	}
	if !ok || len(made.Values) == 0 {
		return made, false
	}
	made.End = c.peek(-1).end
	switch after := c.peek(0); {
	case after.is("and"):
		made.Next = true
	case after.kind == tMark && !after.is(")") && !after.is(";"), after.is("escape"), after.is("at"), after.is("collate"):
		return made, false // part of an expression
	}
	return made, true
}

// value reads a text or a number, perhaps with date or timestamp before it.
func (c *comparing) value(made *Compared) bool {
	if t := c.peek(0); (t.is("date") || t.is("timestamp")) && c.peek(1).kind == tOther && c.peek(1).text == "'" {
		c.at++
	}
	t := c.peek(0)
	sign := ""
	if t.is("-") {
		sign = "-"
		c.at++
		t = c.peek(0)
	}
	switch {
	case t.kind == tOther && t.text == "'" && sign == "":
		inner := c.text[t.start+1 : t.end-1]
		made.Values = append(made.Values, Literal{Text: strings.ReplaceAll(inner, "''", "'")})
	case t.kind == tWord && digits(t.text):
		number := sign + t.text
		if c.peek(1).is(".") && digits(c.peek(2).text) && c.peek(1).start == t.end {
			number += "." + c.peek(2).text
			c.at += 2
		}
		made.Values = append(made.Values, Literal{number, true})
	default:
		return false
	}
	c.at++
	return true
}

func digits(s string) bool { return s != "" && strings.Trim(s, "0123456789") == "" }

// written is a name as it is written, without its quotes.
func (c *comparing) written(t token) string {
	if t.kind == tName {
		return t.text
	}
	return c.text[t.start:t.end]
}

// OrderOf is the order that a statement ends with, as far as it names columns: "name", or
// "name descending".
func OrderOf(text string, flavour Flavour) (keys []string) {
	s := splitter{text: text, flavour: flavour}
	s.split()
	depth, at := 0, -1
	for i, t := range s.tokens {
		switch {
		case t.is("("):
			depth++
		case t.is(")"):
			depth--
		case depth == 0 && t.is("by") && i > 0 && s.tokens[i-1].is("order"):
			at = i + 1
		}
	}
	c := comparing{text: text, tokens: s.tokens, at: at}
	for at >= 0 && c.at < len(c.tokens) {
		name := c.peek(0)
		if name.kind != tName && (name.kind != tWord || digits(name.text)) {
			return nil
		}
		key := c.written(name)
		for c.at++; c.peek(0).is("."); c.at += 2 {
			key = c.written(c.peek(1))
		}
		switch {
		case c.peek(0).is("desc"):
			key += " descending"
			c.at++
		case c.peek(0).is("asc"):
			c.at++
		}
		keys = append(keys, key)
		if !c.peek(0).is(",") {
			if t := c.peek(0); t.text != "" && !t.is("limit") && !t.is(";") {
				return nil // in a way of its own
			}
			return keys
		}
		c.at++
	}
	return keys
}
