package phrase

import (
	"fmt"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/core/catalog"
	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/period"
)

// Write is the text with the conditions of a tree that was read from it and changed, or
// every problem of the tree, each placed by its path: "parts[1].values[0]".
func Write(text string, root Phrase) (string, diag.Problems) {
	w := writer{reader: newReader(text, Naming{}), nodes: map[string]*node{}, stood: map[string]standing{}, kept: map[string]bool{}}
	var before *node
	if strings.TrimSpace(text) != "" {
		e, problems := criteria.Parse(text)
		if len(problems) > 0 {
			return "", problems
		}
		before = w.whole(e)
		w.keep(before)
	}
	if before != nil && same(before, root) {
		return text, nil
	}
	made := w.group(before, root, "", true)
	if len(w.problems) > 0 {
		return "", w.problems
	}
	if len(root.Parts) > 0 {
		if _, problems := criteria.Parse(made); len(problems) > 0 {
			return "", problems
		}
	}
	return made, nil
}

type writer struct {
	reader
	nodes map[string]*node
	stood map[string]standing
	// kept are the conditions whose comments were written already.
	kept     map[string]bool
	problems diag.Problems
}

// standing is where a condition stood: in which group, and at which place of it.
type standing struct {
	in *node
	at int
}

// keep notes what can be taken over from the text.
func (w *writer) keep(n *node) {
	for i, part := range n.parts {
		w.nodes[part.ID], w.stood[part.ID] = part, standing{n, i}
		w.keep(part)
	}
}

func (w *writer) fail(path, code, message, hint string) string {
	w.problems = append(w.problems, diag.Problem{Code: code, Field: strings.TrimPrefix(path, "."), Message: message, Hint: hint})
	return ""
}

// same tells whether a phrase is as it was read.
func same(n *node, p Phrase) bool {
	if !alike(n, p) || len(n.parts) != len(p.Parts) {
		return false
	}
	for i, part := range n.parts {
		if p.Parts[i].ID != part.ID || !same(part, p.Parts[i]) {
			return false
		}
	}
	return true
}

// alike is same without what a group is made of.
func alike(n *node, p Phrase) bool {
	return n.Kind == p.Kind && n.Not == p.Not && n.Comparison == p.Comparison && n.IgnoreCase == p.IgnoreCase && n.Text == p.Text &&
		slices.Equal(n.Values, p.Values) && slices.EqualFunc(n.By, p.By, func(a, b Subject) bool { return a.Text == b.Text }) && (n.Subject == nil) == (p.Subject == nil) && (n.Subject == nil || n.Subject.Text == p.Subject.Text)
}

// fit is the text of a condition as it can stand where it is put.
type fit func(text string, e criteria.Expr) string

// phrase is the text of a phrase in its place.
func (w *writer) phrase(p Phrase, path string, fits fit) string {
	n := w.nodes[p.ID]
	if n != nil && same(n, p) {
		return fits(w.slice(n.at), n.expr)
	}
	made := ""
	switch p.Kind {
	case All, Any, Related:
		if n != nil && (n.Kind == Related) != (p.Kind == Related) {
			n = nil
		}
		if p.Kind == Related && (n == nil || n.Text != p.Text) {
			text, e := w.piece(p.Text, path)
			if related, ok := e.(*criteria.Related); e != nil && (!ok || related.Where != nil) {
				return w.fail(path, "not_related", fmt.Sprintf("%q does not say how many of which records there are.", text), "Write any passages, no passages, or at least 3 passages.")
			}
			p.Text = text
		}
		if p.Kind != Related && !p.Not && len(p.Parts) == 1 { // of one condition, all and any are that condition
			return w.phrase(p.Parts[0], path+".parts[0]", fits)
		}
		made = w.group(n, p, path, false)
	case Meets:
		made = "meets " + p.Text
	case Free:
		made = p.Text
		if strings.TrimSpace(made) == "" {
			return w.fail(path, "empty_condition", "There is nothing in this condition.", "Write it, or remove it.")
		}
	case Says:
		made = w.says(n, p, path)
	case First:
		made = w.first(n, p, path)
	default:
		return w.fail(path, "unknown_kind", fmt.Sprintf("There is no condition of the kind %q.", p.Kind), "Write all, any, related, says, first, meets or text.")
	}
	if made == "" {
		return "" // its problem was told
	}
	if p.Kind == Meets || p.Kind == Free {
		made, e := w.piece(made, path)
		return fits(made, e)
	}
	e, problems := criteria.Parse(made)
	if w.told(path, problems) {
		return ""
	}
	return fits(made, e)
}

// told tells the problems of a piece of text, where there are any.
func (w *writer) told(path string, problems diag.Problems) bool {
	for _, problem := range problems {
		problem.Field = strings.TrimPrefix(path, ".")
		w.problems = append(w.problems, problem)
	}
	return len(problems) > 0
}

// piece is a text that somebody wrote as it can stand among others: without a comment
// after it, which would take in what follows.
func (w *writer) piece(text, path string) (string, criteria.Expr) {
	e, problems := criteria.Parse(text)
	if w.told(path, problems) {
		return "", nil
	}
	at := criteria.NewPlaces(text).Extent(e.At())
	return text[at.Start:at.End], e
}

// group is the text of a group, whose parts are joined as they were; root is the
// outermost, which stands by itself.
func (w *writer) group(n *node, p Phrase, path string, root bool) string {
	or := p.Kind == Any
	word := "and"
	if or {
		word = "or"
	}
	if len(p.Parts) == 0 {
		switch {
		case root:
			return ""
		case p.Kind == Related:
			return p.Text
		}
		return w.fail(path, "empty_group", "There is no condition in this group.", "Put one into it, or remove the group.")
	}
	if n != nil && (len(n.parts) == 0 || len(n.parts) > 1 && n.or != or) {
		n = nil // joined by another word
	}
	fits := func(text string, e criteria.Expr) string { return criteria.AsTerm(text, e, or) }
	alone := len(p.Parts) == 1
	if alone {
		fits = func(text string, _ criteria.Expr) string { return text }
		if p.Not {
			fits = criteria.AsNegated
		}
	}
	style := styleOf(w.text, n, word, root)
	var b strings.Builder
	opening, closing := w.frame(n, p, root, alone)
	b.WriteString(opening)
	var last *node // the part before, where it stood in this group
	after := ""    // the comment that ends its line
	for i, part := range p.Parts {
		at, to, own := w.place(n, part)
		switch {
		case i == 0:
			if at != 0 && own.before != "" {
				b.WriteString(own.before + "\n" + style.indent)
			}
		case at > 0 && last != nil && last == n.parts[at-1]:
			b.WriteString(w.text[last.at.End:n.parts[at].at.Start])
		default:
			b.WriteString(style.separator(after, own.before))
		}
		b.WriteString(w.phrase(part, fmt.Sprintf("%s.parts[%d]", path, i), fits))
		last, after = nil, own.after
		if at >= 0 {
			last = n.parts[to]
		}
	}
	if n != nil && last == n.parts[len(n.parts)-1] {
		b.WriteString(closing)
		return b.String()
	}
	if after != "" {
		b.WriteString(" " + after)
		if !root || strings.HasPrefix(strings.TrimSpace(closing), ")") {
			b.WriteString("\n" + style.indent)
		}
	}
	if n != nil && len(n.parts) > 0 { // what followed the last part's own comment
		if comment, rest := splitComment(closing); strings.HasPrefix(strings.TrimSpace(closing), "--") && comment != "" {
			closing = rest
		}
	}
	b.WriteString(closing)
	return b.String()
}

// frame is what stands before and after the parts of a group.
func (w *writer) frame(n *node, p Phrase, root, alone bool) (opening, closing string) {
	if n != nil && n.Not == p.Not && (n.Kind != Related || n.Text == p.Text) && (len(n.parts) > 1) == (len(p.Parts) > 1) {
		return w.text[n.at.Start:n.parts[0].at.Start], w.text[n.parts[len(n.parts)-1].at.End:n.at.End]
	}
	held := ""
	if n != nil && !root { // a comment after "not", or before the parenthesis closes
		for _, frame := range []string{w.text[n.at.Start:n.parts[0].at.Start], w.text[n.parts[len(n.parts)-1].at.End:n.at.End]} {
			for _, comment := range commentsIn(frame) {
				if !strings.HasPrefix(strings.TrimSpace(frame), comment) {
					held += comment + "\n"
				}
			}
		}
	}
	switch {
	case root && n != nil:
		return w.text[:n.parts[0].at.Start], w.text[n.parts[len(n.parts)-1].at.End:]
	case root:
		return "", ""
	case p.Kind == Related:
		return held + p.Text + " where ", ""
	case p.Not && alone:
		return held + "not ", ""
	case p.Not:
		return held + "not (", ")"
	}
	return held, ""
}

// style is how the parts of a group are joined.
type style struct {
	word, indent string
	lines        bool // each part on a line of its own
	trailing     bool // the word ends the line
}

// styleOf is how they were joined, or how an author would: conditions stand below each
// other, what is in parentheses stands in one line.
func styleOf(text string, n *node, word string, root bool) style {
	s := style{word: word, lines: root}
	if n == nil || len(n.parts) < 2 {
		return s
	}
	s.lines = false
	for i := 1; i < len(n.parts); i++ {
		gap := text[n.parts[i-1].at.End:n.parts[i].at.Start]
		at := wordIn(gap, word)
		if line := strings.LastIndexByte(gap[:at], '\n'); line >= 0 {
			return style{word: word, lines: true, indent: gap[line+1 : at]}
		}
		if line := strings.LastIndexByte(gap, '\n'); line >= 0 {
			return style{word: word, lines: true, trailing: true, indent: gap[line+1:]}
		}
	}
	return s
}

// separator joins two parts: the comment that ends the line of the first, and those on
// the lines before the second.
func (s style) separator(after, before string) string {
	if !s.lines && after == "" && before == "" {
		return " " + s.word + " "
	}
	if after != "" {
		after = " " + after
	}
	line := "\n" + s.indent
	if before != "" {
		before += line
	}
	if s.trailing {
		return " " + s.word + after + line + before
	}
	return after + line + before + s.word + " "
}

// wordIn finds the word that joins in the gap between two parts, past comments.
func wordIn(gap, word string) int {
	for i := 0; i < len(gap); i++ {
		switch {
		case strings.HasPrefix(gap[i:], "--"):
			end := strings.IndexByte(gap[i:], '\n')
			if end < 0 {
				return len(gap)
			}
			i += end
		case len(gap)-i >= len(word) && strings.EqualFold(gap[i:i+len(word)], word):
			return i
		}
	}
	return len(gap)
}

// place is where a part, or what was put into it, stood in a group, -1 for one that did
// not, and the comments that go with it.
func (w *writer) place(n *node, part Phrase) (at, to int, own comments) {
	at = -1
	var old []string
	var look func(p Phrase)
	look = func(p Phrase) {
		if _, ok := w.stood[p.ID]; ok {
			old = append(old, p.ID)
			return
		}
		for _, inner := range p.Parts {
			look(inner)
		}
	}
	look(part)
	if len(old) == 0 || old[0] != part.ID && !slices.ContainsFunc(old, func(id string) bool { return w.stood[id].in == n }) {
		return at, to, own // what is in it brings its own comments
	}
	var lines []string
	for _, id := range old {
		s := w.stood[id]
		if s.in == n {
			if at < 0 {
				at = s.at
			}
			to = s.at
		}
		if w.kept[id] {
			continue
		}
		w.kept[id] = true
		c := commentsOf(w.text, s.in, s.at)
		lines = append(lines, own.after, c.before)
		own.after = c.after
	}
	own.before = strings.Join(slices.DeleteFunc(lines, func(line string) bool { return line == "" }), "\n")
	return at, to, own
}

// comments are those of a part: on the lines before it, and at the end of its line.
type comments struct{ before, after string }

func commentsOf(text string, n *node, at int) (c comments) {
	if at > 0 {
		_, rest := splitComment(text[n.parts[at-1].at.End:n.parts[at].at.Start])
		c.before = strings.Join(commentsIn(rest), "\n")
	}
	switch {
	case at+1 < len(n.parts):
		c.after, _ = splitComment(text[n.parts[at].at.End:n.parts[at+1].at.Start])
	case strings.HasPrefix(strings.TrimSpace(text[n.parts[at].at.End:n.at.End]), "--"):
		c.after, _ = splitComment(text[n.parts[at].at.End:n.at.End])
	}
	return c
}

// commentsIn are the comments of a text that holds no quotes, line by line.
func commentsIn(text string) (found []string) {
	for _, line := range strings.Split(text, "\n") {
		if i := strings.Index(line, "--"); i >= 0 {
			found = append(found, strings.TrimSpace(line[i:]))
		}
	}
	return found
}

// splitComment takes the comment off that ends the first line.
func splitComment(gap string) (comment, rest string) {
	line, rest, more := strings.Cut(gap, "\n")
	if more {
		rest = "\n" + rest
	}
	if i := strings.Index(line, "--"); i >= 0 {
		return strings.TrimSpace(line[i:]), rest
	}
	return "", gap
}

// says is the text of what is said of a value.
func (w *writer) says(n *node, p Phrase, path string) string {
	if p.Subject == nil || strings.TrimSpace(p.Subject.Text) == "" {
		return w.fail(path, "no_subject", "The condition says something, but not of what.", "Choose a column.")
	}
	c, ok := comparison(p.Subject.Type, p.Comparison)
	if !ok {
		return w.fail(path, "unknown_comparison", fmt.Sprintf("There is no comparison %q.", p.Comparison), "Take one of those that are listed for the type.")
	}
	told, subject := len(w.problems), p.Subject.Text
	if !strings.HasPrefix(subject, "span(") {
		subject = w.operand(subject, path+".subject")
	} else if whole, _ := w.piece(subject+" overlaps :p", path+".subject"); !strings.HasSuffix(whole, subject+" overlaps :p") {
		return w.fail(path+".subject", "no_subject", "The condition says something, but not of what.", "Write span(start, end).")
	}
	if c.Takes == None {
		return subject + " " + c.Comparison
	}
	least := 1
	if c.Takes == Two {
		least = 2
	}
	if len(p.Values) < least || len(p.Values) > least && c.Takes != Many {
		return w.fail(path, "wrong_number_of_values", fmt.Sprintf("%q needs %s.", c.Words, map[Takes]string{One: "one value", APeriod: "one period", Two: "two values", Many: "at least one value"}[c.Takes]), "Add what is missing, or remove what is too much.")
	}
	var values []string
	for i, v := range p.Values {
		values = append(values, w.value(n, v, c, p.Subject.Type, fmt.Sprintf("%s.values[%d]", path, i)))
	}
	if len(w.problems) > told {
		return ""
	}
	said := ""
	switch {
	case c.Takes == Two:
		said = strings.Join(values, " and ")
	case c.Takes == Many && (len(values) > 1 || p.Values[0].From != Asked):
		said = "(" + strings.Join(values, ", ") + ")"
	default:
		said = values[0]
	}
	if p.IgnoreCase && c.Folds {
		said += " ignoring case"
	}
	return subject + " " + c.Comparison + " " + said
}

// counted is how many records are left, as a comparison of whole numbers takes it.
var counted = Operator{Comparison: "first", Takes: One}

// first is the text of how many records are left.
func (w *writer) first(n *node, p Phrase, path string) string {
	told := len(w.problems)
	if !slices.Contains([]string{"first", "greatest", "least"}, p.Comparison) {
		w.fail(path, "unknown_comparison", fmt.Sprintf("There is no comparison %q.", p.Comparison), "Write first, greatest or least.")
	}
	if len(p.Values) != 1 {
		return w.fail(path, "wrong_number_of_values", "How many records are left is one number.", "Write it, or ask for it.")
	}
	if p.Values[0].From == Worked {
		return w.fail(path+".values[0]", "bad_number", "How many records are left cannot be worked out.", "Write a number, or ask for it.")
	}
	made := p.Comparison + " " + w.value(n, p.Values[0], counted, catalog.Integer, path+".values[0]")
	if p.Comparison != "first" {
		if p.Subject == nil || strings.TrimSpace(p.Subject.Text) == "" {
			return w.fail(path, "no_subject", "Of what the "+p.Comparison+" are left is not said.", "Choose a column.")
		}
		made += " of " + w.operand(p.Subject.Text, path+".subject")
	}
	keys := make([]string, len(p.By))
	for i, by := range p.By {
		keys[i] = w.operand(by.Text, fmt.Sprintf("%s.by[%d]", path, i))
	}
	switch e, _ := criteria.Parse(strings.Join(keys, "")); {
	case len(keys) == 0:
	case len(keys) == 1 && !isArithmetic(e):
		made += " by " + keys[0]
	default:
		made += " by (" + strings.Join(keys, ", ") + ")"
	}
	if len(w.problems) > told {
		return ""
	}
	return made
}

func isArithmetic(e criteria.Expr) bool {
	_, ok := e.(*criteria.Arithmetic)
	return ok
}

// operand is an expression as it can stand beside a comparison.
func (w *writer) operand(text, path string) string {
	text, e := w.piece(text, path)
	if e == nil {
		return ""
	}
	return criteria.AsOperand(text, e)
}

// value is the text of a value, as it stood where it is one of those that stood there.
func (w *writer) value(n *node, v Value, c Operator, t catalog.Type, path string) string {
	if n != nil {
		for _, stood := range w.written(n.expr) {
			if w.reader.value(stood) == v {
				return w.slice(w.places.Extent(stood.At()))
			}
		}
	}
	switch v.From {
	case Asked:
		return w.operand(":"+v.Text, path)
	case Worked:
		return w.operand(v.Text, path)
	case Fixed:
		return w.literal(v.Text, c, t, path)
	}
	return w.fail(path, "unknown_kind", fmt.Sprintf("There are no values from %q.", v.From), "Write fixed, asked or worked.")
}

// written are the values that stood in a condition.
func (w *writer) written(e criteria.Expr) []criteria.Expr {
	switch e := e.(type) {
	case *criteria.Logic, *criteria.Related, *criteria.Not:
		return nil
	default:
		values := slices.Collect(criteria.Children(e))
		return values[min(1, len(values)):]
	}
}

// literal writes a fixed value.
func (w *writer) literal(text string, c Operator, t catalog.Type, path string) string {
	quoted := "'" + strings.ReplaceAll(text, "'", "''") + "'"
	switch {
	case t.IsDate() || t == Span || c.Takes == APeriod:
		_, problems := period.Parse(text)
		w.told(path, problems)
		return quoted
	case t.IsNumber():
		if number, err := decimal.NewFromString(text); err != nil || len(text) > 40 || strings.ContainsAny(text, "eE") {
			return w.fail(path, "bad_number", fmt.Sprintf("%q is not a number.", text), "Write 12 or 12.50.")
		} else if strings.HasPrefix(text, "+") || strings.HasPrefix(text, ".") || strings.HasSuffix(text, ".") || strings.HasPrefix(text, "-.") {
			return number.String()
		}
		return text
	case t == catalog.Boolean:
		if text != "true" && text != "false" {
			return w.fail(path, "bad_yes_no", fmt.Sprintf("%q is neither true nor false.", text), "Write true or false.")
		}
		return text
	}
	return quoted
}
