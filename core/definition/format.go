package definition

import (
	"bytes"
	"reflect"
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"

	"pikegate/core/criteria"
	"pikegate/core/diag"
	"pikegate/core/recurrence"
)

// Format writes definitions the one way they are written: fields in the order
// of the format, two blanks of indentation, expressions as Print has them, one
// top-level condition to a line. Comments stay, with what they stand beside.
// What cannot be read is returned as it is, with its problems.
func Format(file string, content []byte) ([]byte, diag.Problems) {
	if _, problems := Decode(file, content); problems.Failed() {
		return content, problems
	}
	var out bytes.Buffer
	for _, part := range split(string(content)) {
		nodes, err := load(part.text)
		if err != nil {
			return content, diag.Problems{{Code: "not_yaml", File: file, Message: "This is not YAML: " + err.Error() + "."}}
		}
		if len(nodes) == 0 {
			continue
		}
		root := &nodes[0]
		body := root.Content[0]
		if kind, ok := valueOf(body, "kind"); ok {
			tidy(body, reflect.TypeOf(kinds[kind.Value]()).Elem())
		}
		if out.Len() > 0 {
			out.WriteString("---\n")
		}
		encoder := yaml.NewEncoder(&out)
		encoder.SetIndent(2)
		if err := encoder.Encode(root); err != nil {
			return content, diag.Problems{{Code: "not_yaml", File: file, Message: err.Error()}}
		}
	}
	return out.Bytes(), nil
}

// valueOf finds the value of a key.
func valueOf(n *yaml.Node, name string) (*yaml.Node, bool) {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == name {
			return n.Content[i+1], true
		}
	}
	return nil, false
}

// tidy orders the fields of what a node holds, and prints its expressions.
func tidy(n *yaml.Node, t reflect.Type) {
	switch {
	case t == textType:
		if n.Kind == yaml.ScalarNode {
			expression(n)
		}
	case t.Kind() == reflect.Slice && n.Kind == yaml.SequenceNode:
		for _, item := range n.Content {
			tidy(item, t.Elem())
		}
	case t.Kind() == reflect.Struct && n.Kind == yaml.ScalarNode:
		if _, ok := reflect.New(t).Interface().(shorthand); ok && hasExpression(t) {
			expression(n)
		}
	case t.Kind() == reflect.Struct && n.Kind == yaml.MappingNode:
		if _, ok := reflect.New(t).Interface().(keyed); ok {
			if len(n.Content) == 2 {
				fields(n.Content[1], t)
			}
			return
		}
		fields(n, t)
	}
}

// hasExpression tells whether the short form of a structure is an expression.
func hasExpression(t reflect.Type) bool {
	return t == reflect.TypeFor[Column]() || t == reflect.TypeFor[Group]()
}

func fields(n *yaml.Node, t reflect.Type) {
	if n.Kind != yaml.MappingNode {
		return
	}
	type pair struct {
		key, value *yaml.Node
		place      int
	}
	known := fieldsOf(t)
	var pairs []pair
	for i := 0; i+1 < len(n.Content); i += 2 {
		p := pair{n.Content[i], n.Content[i+1], len(known)}
		if at := slices.IndexFunc(known, func(f field) bool { return f.name == p.key.Value }); at >= 0 {
			p.place = at
			switch p.key.Value { // of languages of their own
			case "derive":
				p.value.Value = strings.Join(strings.Fields(p.value.Value), " ")
			case "when":
				if rule, problems := recurrence.Parse(p.value.Value); !problems.Failed() {
					p.value.Value = rule.String()
				}
			default:
				tidy(p.value, known[at].typ)
			}
		}
		pairs = append(pairs, p)
	}
	slices.SortStableFunc(pairs, func(a, b pair) int { return a.place - b.place })
	n.Content = n.Content[:0]
	for _, p := range pairs {
		n.Content = append(n.Content, p.key, p.value)
	}
}

// directions are the words after a key of an order.
var directions = []string{" blanks first", " blanks last", " ascending", " descending"}

// expression prints the expression in a scalar; one with comments stays.
func expression(n *yaml.Node) {
	text := strings.TrimSpace(n.Value)
	if strings.Contains(text, "--") {
		return
	}
	tail := ""
	for _, words := range directions {
		if rest, ok := strings.CutSuffix(text, words); ok {
			text, tail = rest, words+tail
		}
	}
	e, problems := criteria.ParseAggregate(text)
	if len(problems) > 0 {
		return
	}
	if l, ok := e.(*criteria.Logic); ok && !l.Or && tail == "" && n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0 {
		lines := make([]string, len(l.Terms))
		for i, term := range l.Terms {
			lines[i] = criteria.Print(&criteria.Logic{Terms: []criteria.Expr{term}})
		}
		n.Value, n.Style = strings.Join(lines, "\nand ")+"\n", yaml.LiteralStyle
		return
	}
	printed := criteria.Print(e) + tail
	if n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0 {
		printed += "\n"
	}
	n.Value = printed
}
