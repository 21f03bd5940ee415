package definition

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"
)

// Merge takes two changes of a document together, field by field: both were made from the
// same base. What only one of them changed is as it is there, comments and order included.
// Where both changed a field in different ways, nothing is merged, and the paths of these
// fields are told.
func Merge(base, theirs, mine string) (merged string, touching []string) {
	m := merger{}
	b, t, own := viewOf(base), viewOf(theirs), viewOf(mine)
	if b == nil || t == nil || own == nil {
		return "", []string{"the document"}
	}
	lines := m.either("", b, t, own)
	if len(m.touching) > 0 {
		return "", m.touching
	}
	merged = strings.Join(lines, "\n")
	if !together(base, theirs, mine, merged) {
		return "", []string{"the document"}
	}
	return merged, nil
}

// together tells whether a text makes both changes and no other.
func together(base, theirs, mine, merged string) bool {
	var documents []Document
	for _, text := range []string{base, theirs, mine, merged} {
		read, problems := Decode("", []byte(text))
		if len(read) != 1 || problems.Failed() {
			return false
		}
		documents = append(documents, read[0])
	}
	words := func(before, after Document) []string {
		var all []string
		for _, d := range Differences(before, after) {
			all = append(all, d.Field+"\n"+d.Is)
		}
		slices.Sort(all)
		return all
	}
	made := words(documents[0], documents[3])
	for _, one := range slices.Concat(words(documents[0], documents[1]), words(documents[0], documents[2])) {
		if !slices.Contains(made, one) && !strings.Contains(one, ", ") { // an order is that of both
			return false
		}
	}
	return true
}

type merger struct{ touching []string }

// view is a value of a document and the lines that it takes.
type view struct {
	node *yaml.Node
	// lines are those from where what holds it begins; first is the number of the first.
	lines []string
	first int
}

func viewOf(text string) *view {
	nodes, err := load(text)
	if err != nil || len(nodes) != 1 || len(nodes[0].Content) != 1 {
		return nil
	}
	return &view{nodes[0].Content[0], strings.Split(text, "\n"), 1}
}

func (v *view) same(other *view) bool {
	return strings.TrimRight(strings.Join(v.lines, "\n"), "\n ") == strings.TrimRight(strings.Join(other.lines, "\n"), "\n ")
}

// either gives the lines of the one that changed, or both changes.
func (m *merger) either(path string, base, theirs, mine *view) []string {
	switch {
	case mine.same(base), mine.same(theirs):
		return theirs.lines
	case theirs.same(base):
		return mine.lines
	}
	parts := [3]*parts{base.parts(), theirs.parts(), mine.parts()}
	for _, p := range parts {
		if p == nil || p.kind != parts[0].kind {
			m.touching = append(m.touching, path)
			return nil
		}
	}
	return m.both(path, parts[0], parts[1], parts[2])
}

// parts are the fields or the items of a value, each with its lines.
type parts struct {
	// kind is that of the node, and how it is written.
	kind string
	// head are the lines before the first.
	head  []string
	names []string
	views map[string]*view
	// dash is the column of the dash of the item that this is, -1 for none.
	dash int
}

// parts takes a value apart; nil where it has no parts that lines tell apart.
func (v *view) parts() *parts {
	p := &parts{views: map[string]*view{}, dash: -1}
	n := v.node
	if n.Style&yaml.FlowStyle != 0 || n.Kind != yaml.MappingNode && n.Kind != yaml.SequenceNode || len(n.Content) == 0 {
		return nil
	}
	step := 1
	p.kind = "list"
	if n.Kind == yaml.MappingNode {
		step, p.kind = 2, "fields"
	}
	var starts []int // in v.lines
	lines := slices.Clone(v.lines)
	for i := 0; i < len(n.Content); i += step {
		at, column := n.Content[i].Line-v.first, n.Content[i].Column-1
		if at < 0 || at >= len(lines) {
			return nil
		}
		if p.kind == "list" { // the item's own place is after the dash
			column = strings.IndexByte(lines[at], '-')
		}
		if i == 0 && p.kind == "fields" && column >= 2 && strings.TrimSpace(lines[at][:min(column, len(lines[at]))]) == "-" {
			p.dash = strings.IndexByte(lines[at], '-')
			lines[at] = lines[at][:p.dash] + " " + lines[at][p.dash+1:]
		}
		for at > 0 && (len(starts) == 0 || at-1 > starts[len(starts)-1]) && column >= 0 && strings.HasPrefix(lines[at-1], strings.Repeat(" ", column)+"#") {
			at-- // a comment above it
		}
		if len(starts) > 0 && at <= starts[len(starts)-1] {
			return nil // two in one line
		}
		starts = append(starts, at)
	}
	p.head = lines[:starts[0]]
	for i, start := range starts {
		end := len(lines)
		if i+1 < len(starts) {
			end = starts[i+1]
		}
		name, value := nameOfItem(n.Content[i*step]), n.Content[i*step]
		if step == 2 {
			name, value = n.Content[i*2].Value, n.Content[i*2+1]
		}
		for slices.Contains(p.names, name) {
			name += "'"
		}
		p.names = append(p.names, name)
		p.views[name] = &view{value, lines[start:end], v.first + start}
	}
	return p
}

// nameOfItem tells an item of a list from the others, as nouns do for people.
func nameOfItem(n *yaml.Node) string {
	if n.Kind == yaml.ScalarNode {
		return n.Value
	}
	for _, field := range []string{"name", "use", "as", "table", "by", "rule", "value"} {
		if v, ok := valueOf(n, field); ok && n.Kind == yaml.MappingNode {
			return v.Value
		}
	}
	if n.Kind == yaml.MappingNode && len(n.Content) == 2 {
		return n.Content[0].Value // NAME: {fields}
	}
	return "item"
}

// both merges values part by part.
func (m *merger) both(path string, base, theirs, mine *parts) []string {
	lead, other := theirs, mine
	if !slices.Equal(common(base.names, mine.names), common(mine.names, base.names)) {
		lead, other = mine, theirs // the one that moved parts leads
		if !slices.Equal(common(base.names, theirs.names), common(theirs.names, base.names)) {
			m.touching = append(m.touching, path)
			return nil
		}
	}
	order := slices.Clone(lead.names)
	for i, name := range other.names {
		if slices.Contains(order, name) {
			continue
		}
		at := 0
		if i > 0 {
			at = slices.Index(order, other.names[i-1]) + 1
		}
		order = slices.Insert(order, at, name)
	}
	head := m.head(path, base, theirs, mine)
	made := slices.Clone(head)
	for _, name := range order {
		b, t, own := base.views[name], theirs.views[name], mine.views[name]
		at := join(path, name)
		switch {
		case b == nil && t == nil:
			made = append(made, own.lines...)
		case b == nil && own == nil:
			made = append(made, t.lines...)
		case t == nil && own == nil:
		case t == nil && b != nil && own.same(b), own == nil && b != nil && t.same(b): // one removed it
		case t == nil, own == nil, b == nil && !t.same(own):
			m.touching = append(m.touching, at)
		case b == nil:
			made = append(made, t.lines...)
		default:
			made = append(made, m.either(at, b, t, own)...)
		}
	}
	if dash := max(base.dash, theirs.dash, mine.dash); dash >= 0 {
		for i, line := range made {
			if i >= len(head) && strings.TrimSpace(line) != "" && !strings.HasPrefix(strings.TrimSpace(line), "#") {
				made[i] = line[:dash] + "-" + line[dash+1:]
				break
			}
		}
	}
	return made
}

// head is what stands before the parts: the key of a field, comments.
func (m *merger) head(path string, base, theirs, mine *parts) []string {
	same := func(a, b *parts) bool { return slices.Equal(a.head, b.head) }
	switch {
	case same(mine, base), same(mine, theirs):
		return theirs.head
	case same(theirs, base):
		return mine.head
	}
	m.touching = append(m.touching, path)
	return nil
}

// common are those of some names that are among others, in their order.
func common(names, others []string) []string {
	return slices.DeleteFunc(slices.Clone(names), func(name string) bool { return !slices.Contains(others, name) })
}
